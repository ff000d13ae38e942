"""What there is to set up of a site, beside its stations and plans: everything is reached here."""

from __future__ import annotations

from enum import Enum, auto

from rook_tally.desk.plan.texts import tr


class SiteTask(Enum):
    """A dialog of the site as a whole."""

    SETTINGS = auto()
    PLACES = auto()
    UNITS = auto()
    STORE = auto()
    DOORS = auto()
    ACCESS_KEYS = auto()
    LEAVES = auto()
    CHANGES = auto()
    READ_FILE = auto()
    SAVE_FILE = auto()


def more_tasks() -> list[tuple[SiteTask, str]]:
    """Those that have no button of their own, with their words."""
    return [
        (SiteTask.UNITS, tr("Units…")),
        (SiteTask.STORE, tr("Store, copies and collector…")),
        (SiteTask.DOORS, tr("Doors and what is in reach…")),
        (SiteTask.ACCESS_KEYS, tr("Keys of programs and gateways…")),
        (SiteTask.LEAVES, tr("What leaves this machine…")),
        (SiteTask.CHANGES, tr("What was changed…")),
        (SiteTask.READ_FILE, tr("Read a site file…")),
        (SiteTask.SAVE_FILE, tr("Save as a site file…")),
    ]

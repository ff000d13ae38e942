"""Decides the words and buttons beside the picked watch; without Qt."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.desk.watch.texts import tr

if TYPE_CHECKING:
    from rook_tally.desk.watch.model import WatchModel


class WatchFoot(msgspec.Struct, frozen=True):
    """Words beside a watch and on its buttons, and which of these can be pressed.

    `trouble` says what was refused, `stands` what is done about its alarm. A watch that `is_saved`
    can be switched, shelved and deleted; what is done about an alarm is done now, so nothing of it
    `is_offered` while the past is shown.
    """

    trouble: str
    stands: str
    journal: str
    switch: str
    shelve: str
    can_save: bool
    can_discard: bool
    can_test: bool
    can_acknowledge: bool
    is_saved: bool
    is_offered: bool


def foot_of(model: WatchModel) -> WatchFoot:
    """The words and buttons for the watch that the model has picked."""
    kept, standing = model.kept, model.standing()
    is_shelved = any(one.state is AlarmState.SHELVED for one in standing)
    seen = [one for one in standing if one.state is AlarmState.ACKNOWLEDGED]
    stands = [tr("Seen by {0}", one.who) + (f": {one.word}" if one.word else "") for one in seen]
    if kept is not None and model.listing is not None and kept.slug in model.listing.nothing:
        why = model.listing.nothing[kept.slug]
        stands.append(why or tr("It watches nothing that is there."))
    return WatchFoot(
        trouble=" ".join(one for one in (model.notice, model.trouble) if one),
        stands=". ".join(stands),
        journal=tr("all watches") if model.shows_all_lines else tr("this watch"),
        switch=tr("Switch off") if kept is None or kept.is_on else tr("Switch on"),
        shelve=tr("Unshelve") if is_shelved else tr("Shelve for an hour"),
        can_save=model.draft is not None and model.is_altered,
        can_discard=model.is_altered,
        can_test=kept is not None and not model.is_altered and model.is_live,
        can_acknowledge=model.is_live and any(one.is_calling for one in standing),
        is_saved=kept is not None,
        is_offered=model.is_live,
    )

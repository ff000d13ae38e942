"""What is kept, how big it is, and its copies; decided without Qt."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.engine import Connection

from rook_tally.core.moment_words import moment_words
from rook_tally.core.progress import Progress, part_of
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.store.base import Store
from rook_tally.store.maintenance.backup_schedule import backup_schedule, last_backup
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.maintenance.inspection import compact_file, sqlite_path, verify
from rook_tally.store.maintenance.space import StoredSize, rooms_of
from rook_tally.store.maintenance.thinning import thin, thinned_after_days
from rook_tally.store.site import load_site
from rook_tally.store.site.configuration import zone_named


@dataclass(frozen=True, slots=True)
class StoreAccount:
    """What is kept where: rooms, copies in words, whether it is a file of this machine."""

    rooms: tuple[StoredSize, ...]
    copies: str
    thinning: str
    is_file: bool


def account_of(connection: Connection) -> StoreAccount:
    """The account of a store; how big everything is takes a look at all of it."""
    schedule, last = backup_schedule(connection), last_backup(connection)
    days = thinned_after_days(connection)
    copies = tr("No copies are made by themselves.")
    if schedule is not None:
        copies = tr("Every day into {0}.", schedule.folder)
        if last.made_us:
            zone = zone_named(load_site(connection).zone)
            made = datetime_from_time_us(last.made_us).astimezone(zone)
            copies += " " + tr("The last one on {0}.", moment_words(made, year=True))
        if last.trouble:
            copies += " " + tr("None since: {0}.", last.trouble)
    thinning = (
        tr("Every reading is kept for good.")
        if days is None
        else tr("Days older than {0:g} days keep lowest and highest of every five minutes.", days)
    )
    is_file = connection.dialect.name == "sqlite"
    return StoreAccount(tuple(rooms_of(connection)), copies, thinning, is_file)


def size_text(size: int) -> str:
    """Bytes as people read them."""
    for unit, factor in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size >= factor:
            return f"{size / factor:.1f} {unit}"
    return f"{size} B"


def copy_to(store: Store, target: Path, progress: Progress) -> str:
    """Copy the store while it is in use; says how that went."""
    found = back_up(store, target, progress=progress)
    words = tr(
        "{0}: {1}, {2} readings, read back.",
        target,
        size_text(target.stat().st_size),
        found.readings,
    )
    return words if not found.damage else words + "\n" + "\n".join(found.damage)


def look_over(store: Store, progress: Progress) -> str:
    """Read everything once, and say whether something is damaged."""
    progress(0.0)
    found = verify(store)
    if found.damage:
        return "\n".join(found.damage)
    return tr_count(
        found.readings,
        "1 reading, {1} sealed days: nothing is damaged.",
        "{0} readings, {1} sealed days: nothing is damaged.",
        found.pages,
    )


def make_small(store: Store, progress: Progress) -> str:
    """Give free space back to the disk."""
    progress(0.0)
    before, after = compact_file(sqlite_path(store))
    return tr("{0} before, {1} after.", size_text(before), size_text(after))


def thin_now(store: Store, days: float, now_us: int, progress: Progress, *, remove: bool) -> str:
    """Thin days older than so many days, with a copy of everything first; or say what that would
    do."""
    with store.read() as connection:
        series = [one for one in load_site(connection).series if not one.station.is_worked_out]
    said = ""
    if remove:
        path = sqlite_path(store)
        backup = Path(f"{path}.before-thinning-{time.time_ns() // 10**9}")
        back_up(store, backup, progress=part_of(progress, 0.0, 0.4))
        said = tr("{0} holds everything as it was. ", backup)
    found = thin(
        store,
        series,
        now_us - round(days * DAY_US),
        remove=remove,
        progress=part_of(progress, 0.4 if remove else 0.0, 1.0),
    )
    readings, freed = sum(one.readings for one in found), sum(one.bytes_freed for one in found)
    if not readings:
        return said + tr("There is nothing to thin.")
    if remove:
        return said + tr(
            "{0} readings thinned; Compact gives {1} back.", readings, size_text(freed)
        )
    return tr("{0} readings and {1} would go; lows and highs stay.", readings, size_text(freed))

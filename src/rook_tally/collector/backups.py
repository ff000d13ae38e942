"""Daily copies: one collector at a time takes them, where the store's settings say so."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo

import structlog
from sqlalchemy.engine import Connection

from rook_tally.collector.leases import look_while_held
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.errors import StoreError
from rook_tally.core.generations import copies_that_stay
from rook_tally.core.timestamps import DAY_US, HOUR_US, datetime_from_time_us
from rook_tally.store.alarms import write_journal
from rook_tally.store.alarms.clock_trust import may_remove
from rook_tally.store.base import Store
from rook_tally.store.base.private_files import private_folder
from rook_tally.store.maintenance.backup_schedule import (
    BackupSchedule,
    LastBackup,
    backup_schedule,
    last_backup,
    note_backup,
)
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.site import load_site
from rook_tally.store.site.leases import Leases, Role

_LOOK_S = 5.0
_AGAIN_US = HOUR_US
_NAME = "Daily copy"

_log = structlog.get_logger(__name__)


async def keep_backing_up(duties: Leases, *, clock: Callable[[], int]) -> None:
    """Take a copy a day whenever that is ours to do, until cancelled."""

    async def look(store: Store) -> None:
        await asyncio.to_thread(back_up_if_due, store, clock())

    if duties.store.path is None:
        # A server's store is copied by its own tools.
        await asyncio.Event().wait()
    await look_while_held(duties, Role.BACKUP, look, every_s=_LOOK_S)


def back_up_if_due(store: Store, now_us: int) -> None:
    """Take today's copy unless there is one, and drop those whose time is over; what goes wrong is
    journalled once and tried again every hour.

    Raises
    ------
    StoreError
        When the store cannot be asked or written.
    """
    with store.read() as connection:
        schedule, last = backup_schedule(connection), last_backup(connection)
        if schedule is None or store.path is None:
            return
        zone = ZoneInfo(load_site(connection).zone)
        is_clock_sure = may_remove(connection, now_us=now_us)
    now = datetime_from_time_us(now_us).astimezone(zone)
    today = now.date()
    if now.hour < schedule.from_hour and 0 <= now_us - last.made_us < 2 * DAY_US:
        # Later today. Who has none of the last two days gets one at once.
        return
    target = Path(schedule.folder) / f"{store.path.stem}-{today.isoformat()}.db"
    if last.path == str(target) and not last.trouble:
        return
    if last.trouble and 0 <= now_us - last.tried_us < _AGAIN_US:
        return
    try:
        private_folder(target.parent)
        found = back_up(store, target, progress=lambda _share: None)
    except (StoreError, OSError) as error:
        _failed(store, last, str(error), now_us)
        return
    _log.info("backed_up", path=str(target), readings=found.readings)
    with store.write() as connection:
        note_backup(connection, LastBackup(now_us, str(target), "", now_us))
        if last.trouble:
            _say(connection, f"works again: {target.name}", now_us)
        if found.damage:
            _say(connection, f"made, with what is damaged in the store: {found.damage[0]}", now_us)
    if is_clock_sure:
        _drop_old(store.path.stem, schedule)


def _failed(store: Store, last: LastBackup, why: str, now_us: int) -> None:
    _log.warning("backup_failed", why=why)
    with store.write() as connection:
        note_backup(connection, LastBackup(last.made_us, last.path, why, now_us))
        if not last.trouble:
            _say(connection, f"failed, and is tried again every hour: {why}", now_us)


def _say(connection: Connection, words: str, now_us: int) -> None:
    write_journal(connection, [Entry(now_us, JournalKind.DUTY, "", _NAME, words=words)])


def _drop_old(stem: str, schedule: BackupSchedule) -> None:
    """Drop copies of ours whose time is over; nothing else in the folder is touched."""
    form = re.compile(rf"{re.escape(stem)}-(\d{{4}}-\d{{2}}-\d{{2}})\.db")
    made: dict[date, Path] = {}
    for one in Path(schedule.folder).iterdir():
        told = form.fullmatch(one.name)
        if told is not None:
            made[date.fromisoformat(told[1])] = one
    stay = copies_that_stay(
        made, daily=schedule.daily, weekly=schedule.weekly, monthly=schedule.monthly
    )
    for day, path in made.items():
        if day not in stay:
            path.unlink(missing_ok=True)
            _log.info("old_copy_dropped", path=str(path))

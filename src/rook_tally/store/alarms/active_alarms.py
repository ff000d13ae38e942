"""Alarms now and at a moment of the past, and those that rang over a stretch."""

from __future__ import annotations

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms.records import alarms
from rook_tally.store.alarms.watches import watches
from rook_tally.store.base.raw_sql import fetched

_LONGEST_US = 60 * DAY_US
"""A ring of the past that began longer ago than this is not looked for."""


class ActiveAlarm(msgspec.Struct, frozen=True):
    """An alarm that is not normal."""

    watch: str
    name: str
    series_id: int
    state: AlarmState
    level: Level
    since_us: int | None
    value: float | None = None
    who: str = ""
    word: str = ""
    shelved_until_us: int | None = None


class AlarmInterval(msgspec.Struct, frozen=True):
    """A ring of the past: when it began and cleared (None while it stands)."""

    watch: str
    name: str
    begin_us: int
    end_us: int | None
    level: Level


def standing(connection: Connection) -> tuple[ActiveAlarm, ...]:
    """Every alarm that is not normal, the worst first, the newest of those."""
    known = alarms(connection, standing=True)
    if not known:
        return ()
    names = {one.slug: one.name for one in watches(connection)}
    found = [
        ActiveAlarm(
            one.watch,
            names.get(one.watch, one.watch),
            one.series_id,
            one.state,
            one.level,
            one.since_us,
            one.value,
            one.who,
            one.word,
            one.shelved_until_us,
        )
        for one in known.values()
    ]
    return tuple(sorted(found, key=lambda one: (-one.level, -(one.since_us or 0))))


def rings_between(
    connection: Connection, start_us: int, end_us: int
) -> dict[int, tuple[AlarmInterval, ...]]:
    """Alarms that rang within [start, end), or were ringing then, by series id; in order of their
    beginning."""
    told = [
        JournalKind.RANG.value,
        JournalKind.RANG_LATE.value,
        JournalKind.CLEARED.value,
        JournalKind.CLEARED_LATE.value,
    ]
    marks = ", ".join("?" for _ in told)
    rows = fetched(
        connection,
        "SELECT watch, name, series_id, time_us, sort, level FROM journal "
        f"WHERE time_us >= ? AND time_us < ? AND sort IN ({marks}) AND series_id IS NOT NULL "
        "ORDER BY time_us, id",
        (start_us - _LONGEST_US, end_us, *told),
    )
    found: dict[int, list[AlarmInterval]] = {}
    still_open: dict[tuple[str, int], AlarmInterval] = {}
    for watch, name, series_id, time_us, sort, level in rows:
        key = watch, series_id
        if sort in told[:2]:
            still_open.setdefault(key, AlarmInterval(watch, name, time_us, None, Level(level)))
        elif key in still_open:
            one = still_open.pop(key)
            if time_us > start_us:
                found.setdefault(series_id, []).append(
                    AlarmInterval(watch, name, one.begin_us, time_us, one.level)
                )
    for (_, series_id), one in still_open.items():
        found.setdefault(series_id, []).append(one)
    return {
        series_id: tuple(sorted(several, key=lambda one: one.begin_us))
        for series_id, several in found.items()
    }


def standing_at(connection: Connection, at_us: int) -> tuple[ActiveAlarm, ...]:
    """Alarms at a moment of the past, by the journal: who had acknowledged them is not told."""
    found = [
        ActiveAlarm(
            one.watch, one.name, series_id, AlarmState.UNACKNOWLEDGED, one.level, one.begin_us
        )
        for series_id, several in rings_between(connection, at_us, at_us + 1).items()
        for one in several
    ]
    return tuple(sorted(found, key=lambda one: (-one.level, -(one.since_us or 0))))

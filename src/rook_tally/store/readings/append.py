"""Append: readings into the row table, each told apart as new, duplicate or revision."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.store.base.changes import note_readings
from rook_tally.store.base.raw_sql import executed, executed_many, fetched
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.query import readings_at
from rook_tally.store.readings.summaries import PAGE_US


class NewReading(msgspec.Struct, frozen=True, gc=False):
    """A reading on its way in, already screened: base unit, known series."""

    series_id: int
    time_us: int
    value: float
    quality: Quality


class Appended(msgspec.Struct, frozen=True):
    """The result of a batch: one flag a reading, in the batch's order.

    `duplicate`: the same series, time and value was there already; ignored.
    `revised`: another value was there for that series and time; the newer arrival won.
    `newest_before`: the newest row before of each series of which all of the batch is newer; others
    are left out. `none_was_held`: nothing of the batch was there, and no moment comes twice in it.
    `newest_us`: each series' newest row now.
    """

    duplicate: tuple[bool, ...]
    revised: tuple[bool, ...]
    newest_before: Mapping[int, int | None]
    newest_us: Mapping[int, int]
    none_was_held: bool


def append_readings(
    connection: Connection,
    batch: Sequence[NewReading],
    known_us: Mapping[int, int] | None = None,
    empty_us: Mapping[int, tuple[int, int]] | None = None,
) -> Appended:
    """Write a batch in the running transaction and note the change.

    Within the batch, later entries count as arriving later. `known_us` are the newest moments of
    series, and `empty_us` moments between which nothing of a series is held, where the caller knows
    them for certain; all else is looked up.
    """
    touched = _touched(batch)
    before = _newest_rows(connection, touched, known_us or {})
    newer, between = _fresh_series(connection, batch, touched, before, empty_us or {})
    fresh = newer | between
    after = {
        series_id: max(last_us, before[series_id] or last_us)
        for series_id, (_, last_us) in touched.items()
    }
    if len(fresh) == len(touched):
        # Nearly every batch: nothing in it was there, and nothing comes twice.
        _insert(connection, _plain(batch))
        note_readings(connection, touched)
        nothing = (False,) * len(batch)
        newest_before = {series_id: before[series_id] for series_id in newer}
        return Appended(nothing, nothing, newest_before, after, none_was_held=True)
    # One that is late, or comes again, makes nothing slower but its own series.
    others = [new for new in batch if new.series_id not in fresh]
    held = readings_at(connection, [(new.series_id, new.time_us) for new in others])
    duplicate: list[bool] = []
    revised: list[bool] = []
    written: dict[tuple[int, int], NewReading] = {}
    for new in batch:
        moment = (new.series_id, new.time_us)
        value = None
        if new.series_id not in fresh:
            value = written[moment].value if moment in written else held.get(moment, (None,))[0]
        duplicate.append(value == new.value)
        revised.append(value is not None and value != new.value)
        if value != new.value:
            written[moment] = new
    _insert(connection, _plain(written.values()), _REPLACE)
    note_readings(connection, _touched(written.values()))
    newest_before = {series_id: before[series_id] for series_id in newer}
    return Appended(tuple(duplicate), tuple(revised), newest_before, after, none_was_held=False)


def _newest_rows(
    connection: Connection, touched: Collection[int], known_us: Mapping[int, int]
) -> dict[int, int | None]:
    """The newest row of each series. The write lock is ours, so what is true stays so until the
    batch is written."""
    unknown = [series_id for series_id in touched if series_id not in known_us]
    looked_up: dict[int, int | None] = {}
    if unknown:
        newest = _NEWEST_ROWS
        if len(unknown) <= _FEW:
            newest += f" WHERE id IN ({', '.join(map(str, unknown))})"
        looked_up = dict(fetched(connection, newest))
    return {
        series_id: known_us[series_id] if series_id in known_us else looked_up.get(series_id)
        for series_id in touched
    }


def _fresh_series(
    connection: Connection,
    batch: Sequence[NewReading],
    touched: Mapping[int, tuple[int, int]],
    before: Mapping[int, int | None],
    empty_us: Mapping[int, tuple[int, int]],
) -> tuple[set[int], set[int]]:
    """The series of which nothing of the batch is there already, and no moment comes twice: those
    of which all of it is newer than what is there, and those where it lies where nothing is."""
    ((newest_page_us,),) = fetched(connection, _NEWEST_PAGE)
    sealed_until_us = -1 if newest_page_us is None else newest_page_us + PAGE_US
    newer: set[int] = set()
    between: set[int] = set()
    for series_id, (first_us, last_us) in touched.items():
        newest_us = before[series_id]
        if first_us >= sealed_until_us and (newest_us is None or first_us > newest_us):
            newer.add(series_id)
        elif series_id in empty_us:
            from_us, until_us = empty_us[series_id]
            if from_us < first_us and last_us < until_us:
                between.add(series_id)
    if len(touched) < len(batch):
        seen: set[tuple[int, int]] = set()
        for new in batch:
            moment = (new.series_id, new.time_us)
            if moment in seen:
                newer.discard(new.series_id)
                between.discard(new.series_id)
            seen.add(moment)
    return newer, between


def _touched(batch: Iterable[NewReading]) -> dict[int, tuple[int, int]]:
    """First and last moment by series id."""
    touched: dict[int, tuple[int, int]] = {}
    for one in batch:
        series_id, time_us = one.series_id, one.time_us
        known = touched.get(series_id)
        if known is None:
            touched[series_id] = (time_us, time_us)
        elif time_us < known[0]:
            touched[series_id] = (time_us, known[1])
        elif time_us > known[1]:
            touched[series_id] = (known[0], time_us)
    return touched


def append_history(connection: Connection, series_id: int, readings: Readings) -> None:
    """Write a long stretch of one series at once; an equal time replaces what was there."""
    if not len(readings):
        return
    write_rows(connection, series_id, readings)
    first_us, last_us = int(readings.time_us.min()), int(readings.time_us.max())
    note_readings(connection, {series_id: (first_us, last_us)})
    note_past_changed(connection, series_id, first_us, last_us + 1)


def write_rows(connection: Connection, series_id: int, readings: Readings) -> None:
    """Write readings as rows without a notice; an equal time replaces what was there."""
    columns = (readings.time_us.tolist(), readings.value.tolist(), readings.quality.tolist())
    rows = list(zip([series_id] * len(readings), *columns, strict=True))
    _insert(connection, rows, _REPLACE)


def remove_readings(connection: Connection, series_id: int, time_us: TimeArray) -> None:
    """Take fresh rows of a series away, at these moments."""
    rows = [(series_id, moment) for moment in time_us.tolist()]
    executed_many(connection, "DELETE FROM reading WHERE series_id = ? AND time_us = ?", rows)
    note_readings(connection, {series_id: (int(time_us.min()), int(time_us.max()))})


_NEWEST_PAGE = "SELECT max(start_us) FROM page"
# The end of each series' stretch of the primary key; asking for many by name takes longer.
_NEWEST_ROWS = (
    "SELECT id, (SELECT max(time_us) FROM reading WHERE series_id = series.id) FROM series"
)
_FEW = 50

# Tuples straight to the driver: three times as fast as dictionaries for a long history.
_INSERT = "INSERT INTO reading (series_id, time_us, value, quality) VALUES (?, ?, ?, ?)"
# One array a column is what PostgreSQL takes fastest.
_INSERT_COLUMNS = (
    "INSERT INTO reading (series_id, time_us, value, quality) "
    "SELECT * FROM unnest(?::integer[], ?::bigint[], ?::float8[], ?::smallint[])"
)
_REPLACE = (
    " ON CONFLICT (series_id, time_us) "
    "DO UPDATE SET value = excluded.value, quality = excluded.quality"
)


def _plain(batch: Iterable[NewReading]) -> list[tuple[int, int, float, int]]:
    """Tuples and whole numbers as such: the driver takes their subclasses at half the speed."""
    return [(one.series_id, one.time_us, one.value, int(one.quality)) for one in batch]


def _insert(
    connection: Connection, rows: list[tuple[int, int, float, int]], on_conflict: str = ""
) -> None:
    """Write readings, with what is to be done about those that are there."""
    if not rows:
        return
    if connection.dialect.name == "sqlite":
        executed_many(connection, _INSERT + on_conflict, rows)
        return
    columns = tuple(list(column) for column in zip(*rows, strict=True))
    executed(connection, _INSERT_COLUMNS + on_conflict, columns)

"""Append: readings into the row table, each told apart as new, duplicate or revision."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.readings import Quality, Readings
from rook_tally.store import schema
from rook_tally.store.changes import note_readings
from rook_tally.store.database import upserting_insert
from rook_tally.store.query import newest_times, readings_at


@dataclass(frozen=True, slots=True)
class NewReading:
    """A reading on its way in, already screened: base unit, known series."""

    series_id: int
    time_us: int
    value: float
    quality: Quality


@dataclass(frozen=True, slots=True)
class Appended:
    """What became of a batch: one flag a reading, in the batch's order.

    `duplicate`: the same series, time and value was there already; ignored.
    `revised`: another value was there for that series and time; the newer arrival won.
    """

    duplicate: tuple[bool, ...]
    revised: tuple[bool, ...]


def append_readings(connection: Connection, batch: Sequence[NewReading]) -> Appended:
    """Write a batch in the running transaction and note the change.

    Within the batch, later entries count as arriving later.
    """
    held = _values_held(connection, batch)
    moments = {(new.series_id, new.time_us) for new in batch}
    if not held and len(moments) == len(batch):
        # Nearly every batch: nothing in it was there, and nothing comes twice.
        _insert(connection, [_row(new) for new in batch])
        note_readings(connection, _touched(moments))
        nothing = (False,) * len(batch)
        return Appended(nothing, nothing)
    duplicate: list[bool] = []
    revised: list[bool] = []
    # By whether the moment was there before: only those have to replace a row.
    fresh: dict[tuple[int, int], NewReading] = {}
    replacing: dict[tuple[int, int], NewReading] = {}
    for new in batch:
        place = (new.series_id, new.time_us)
        before = held.get(place)
        value = fresh[place].value if place in fresh else before
        if place in replacing:
            value = replacing[place].value
        duplicate.append(value == new.value)
        revised.append(value is not None and value != new.value)
        if value != new.value:
            (fresh if before is None else replacing)[place] = new
    _insert(connection, [_row(new) for new in fresh.values()])
    _upsert(connection, [_row(new) for new in replacing.values()])
    note_readings(connection, _touched([*fresh, *replacing]))
    return Appended(tuple(duplicate), tuple(revised))


def _touched(moments: Iterable[tuple[int, int]]) -> dict[int, tuple[int, int]]:
    """First and last moment by series id."""
    touched: dict[int, tuple[int, int]] = {}
    for series_id, time_us in moments:
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
    _upsert(
        connection,
        list(
            zip(
                [series_id] * len(readings),
                readings.time_us.tolist(),
                readings.value.tolist(),
                readings.quality.tolist(),
                strict=True,
            )
        ),
    )
    touched = {series_id: (int(readings.time_us.min()), int(readings.time_us.max()))}
    note_readings(connection, touched)


def _values_held(
    connection: Connection, batch: Sequence[NewReading]
) -> dict[tuple[int, int], float]:
    """Values already kept at the series and times of a batch.

    Readings newer than all of their series, nearly every live one, cost no look-up of their own.
    """
    newest = newest_times(connection, {new.series_id for new in batch})
    asked = [
        (new.series_id, new.time_us)
        for new in batch
        if new.series_id in newest and new.time_us <= newest[new.series_id]
    ]
    return {moment: value for moment, (value, _) in readings_at(connection, asked).items()}


def _row(new: NewReading) -> tuple[int, int, float, int]:
    return new.series_id, new.time_us, new.value, int(new.quality)


def _insert(connection: Connection, rows: list[tuple[int, int, float, int]]) -> None:
    """Write readings of moments that are free: the write lock is ours, so they stay free."""
    if connection.dialect.name != "sqlite":
        _upsert(connection, rows)  # another collector may be writing as well
    elif rows:
        connection.exec_driver_sql(_INSERT, rows)


# Tuples straight to the driver: three times as fast as dictionaries for a long history.
_INSERT = "INSERT INTO reading (series_id, time_us, value, quality) VALUES (?, ?, ?, ?)"
_UPSERT = (
    _INSERT + " ON CONFLICT (series_id, time_us) "
    "DO UPDATE SET value = excluded.value, quality = excluded.quality"
)


def _upsert(connection: Connection, rows: list[tuple[int, int, float, int]]) -> None:
    if not rows:
        return
    if connection.dialect.name == "sqlite":
        connection.exec_driver_sql(_UPSERT, rows)
        return
    insert = upserting_insert(connection, schema.reading)
    statement = insert.on_conflict_do_update(
        index_elements=["series_id", "time_us"],
        set_={"value": insert.excluded.value, "quality": insert.excluded.quality},
    )
    names = ("series_id", "time_us", "value", "quality")
    connection.execute(statement, [dict(zip(names, row, strict=True)) for row in rows])

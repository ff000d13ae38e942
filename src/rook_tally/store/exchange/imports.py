"""Imports: readings brought in from files, each remembered so that it can be taken back.

Only what was not there before is written: a reading that a station sent stands above a file's.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import CancelledError, UsageError
from rook_tally.core.progress import Progress, part_of, unwatched
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.page_codec import decode, encode
from rook_tally.core.series.readings import Readings, in_whole_units, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change, note_readings
from rook_tally.store.base.database import Store
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.append import append_history
from rook_tally.store.readings.quality_overrides import with_overrulings
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.removal import remove_stretch
from rook_tally.store.readings.rescreening import rescreen_stretch
from rook_tally.store.site.configuration import add_series
from rook_tally.store.site.learned_cadence import learn_cadence, stations_that_learn
from rook_tally.store.site.site import Series, Station
from rook_tally.store.site.site_reading import load_site, site_settings

_PIECE = 50_000
_PIECE_US = 30 * DAY_US
"""So many readings are written in one transaction."""


@dataclass(frozen=True, slots=True)
class Import:
    """An import that can be taken back: from which file, when, how many readings it brought."""

    id: int
    name: str
    made_us: int
    readings: int


def new_readings(connection: Connection, series: Series, readings: Readings) -> Readings:
    """Return the readings of a stretch whose moments hold nothing yet, their times cut as finely as
    the store keeps them. What was kept before that was set counts by its cut time as well."""
    unit_us = site_settings(connection).times.unit_us
    readings = in_whole_units(readings, unit_us)
    if not len(readings):
        return readings
    held = read_raw_range(
        connection, series.id, int(readings.time_us[0]), int(readings.time_us[-1]) + unit_us
    )
    new = ~np.isin(readings.time_us, held.time_us // unit_us * unit_us)
    return Readings(readings.time_us[new], readings.value[new], readings.quality[new])


@dataclass(frozen=True, slots=True)
class NewSeries:
    """A series that an import is to begin."""

    station: Station
    field: str
    quantity: Quantity
    unit: str


ImportTarget: TypeAlias = "Series | NewSeries"
"""What a file's column is brought into."""


def bring_in(
    store: Store,
    name: str,
    readings: Sequence[tuple[ImportTarget, Readings]],
    *,
    now_us: int,
    is_screened: bool = False,
    progress: Progress = unwatched,
) -> Import:
    """Write the new ones of these readings as one import, a piece at a time: between two pieces the
    doors have the store to themselves. Broken off in between, what is written can be taken back.

    Parameters
    ----------
    is_screened : their qualities were judged where they were first kept, and by people; they stand

    Raises
    ------
    CancelledError
        When it is cancelled; what was written has been taken back.
    """
    with store.write() as connection:
        made = connection.execute(sa.insert(schema.import_).values(name=name, made_us=now_us))
        key = made.inserted_primary_key
        assert key is not None
        number = int(key[0])
        targets = [(_begun(connection, target), told) for target, told in readings]
    try:
        count = sum(
            _bring_into(
                store,
                number,
                series,
                told,
                is_screened,
                part_of(progress, at / len(targets), (at + 1) / len(targets)),
            )
            for at, (series, told) in enumerate(targets)
        )
    except CancelledError:
        with store.write() as connection:
            take_back(connection, number, {series.id: series for series, _ in targets})
        raise
    # What is asked of them next may be asked before a collector comes by.
    with store.write() as connection:
        learning = set(stations_that_learn(connection))
        for station_id in sorted(learning & {series.station.id for series, _ in targets}):
            learn_cadence(connection, station_id)
    return Import(number, name, now_us, count)


def _bring_into(
    store: Store, number: int, series: Series, told: Readings, is_screened: bool, progress: Progress
) -> int:
    with store.read() as connection:
        new = new_readings(connection, series, told)
    if not len(new):
        return 0
    _remember(store, number, series, new)
    written: list[Readings] = []
    cancelled: CancelledError | None = None
    for part in _pieces(new.time_us):
        try:
            progress(part.start / len(new))
        except CancelledError as error:
            cancelled = error
            break
        with store.write() as connection:
            # Of what has come meanwhile nothing is written over.
            piece = new_readings(connection, series, new[part])
            piece = with_overrulings(connection, series.id, piece)
            append_history(connection, series.id, piece)
            # A file's readings stand among those of stations, and are judged among them.
            _rescreen(connection, series, piece.time_us, is_screened=is_screened)
        written.append(piece)
    if sum(map(len, written)) < len(new):
        # What a station said meanwhile is none of it, and is not taken back with it.
        new = _joined(written)
        _remember(store, number, series, new)
    if cancelled is not None:
        raise cancelled
    return len(new)


def _pieces(time_us: TimeArray) -> Iterator[slice]:
    """Stretches of increasing moments that are written, or judged, at once: of so many at most, and
    of so long, as all that stations said in between is read with them."""
    start = 0
    while start < len(time_us):
        within = int(np.searchsorted(time_us, time_us[start] + _PIECE_US))
        stop = min(start + _PIECE, within)
        yield slice(start, stop)
        start = stop


def _rescreen(
    connection: Connection, series: Series, time_us: TimeArray, *, is_screened: bool = False
) -> None:
    for part in _pieces(time_us):
        first_us, last_us = int(time_us[part][0]), int(time_us[part][-1])
        settled_us = time_us[part] if is_screened else None
        rescreen_stretch(connection, series, first_us, last_us, settled_us=settled_us)


def _joined(parts: Sequence[Readings]) -> Readings:
    if not parts:
        return readings_from(np.empty(0, np.int64), np.empty(0))
    return Readings(
        np.concatenate([one.time_us for one in parts]),
        np.concatenate([one.value for one in parts]),
        np.concatenate([one.quality for one in parts]),
    )


def _remember(store: Store, number: int, series: Series, brought: Readings) -> None:
    """Record what an import brings into a series, before it does."""
    table, payload = schema.imported, encode(brought) if len(brought) else b""
    with store.write() as connection:
        connection.execute(
            sa.delete(table).where(table.c.import_id == number, table.c.series_id == series.id)
        )
        if len(brought):
            connection.execute(
                sa.insert(table).values(import_id=number, series_id=series.id, payload=payload)
            )


def _begun(connection: Connection, target: ImportTarget) -> Series:
    """The series of a target, begun unless somebody did so meanwhile."""
    if isinstance(target, Series):
        return target
    station, field = target.station, target.field
    for one in load_site(connection).series:
        if (one.station.id, one.field) == (station.id, field):
            return one
    return add_series(connection, station, field=field, quantity=target.quantity, unit=target.unit)


def imports(connection: Connection) -> list[Import]:
    """Imports that can be taken back, the last one first."""
    counts: dict[int, int] = {}
    for row in connection.execute(sa.select(schema.imported)):
        counts[row.import_id] = counts.get(row.import_id, 0) + len(decode(row.payload))
    return [
        Import(row.id, row.name, row.made_us, counts.get(row.id, 0))
        for row in connection.execute(
            sa.select(schema.import_).order_by(schema.import_.c.id.desc())
        )
    ]


def take_back(connection: Connection, number: int, series: Mapping[int, Series]) -> int:
    """Remove what an import brought, unless it was changed since; returns how many went.

    Raises
    ------
    UsageError
        When there is no such import.
    """
    known = connection.execute(
        sa.select(schema.import_.c.id).where(schema.import_.c.id == number)
    ).first()
    if known is None:
        raise UsageError(f"there is no import {number}", remedy="see rook-tally import --list")
    gone = 0
    brought = connection.execute(
        sa.select(schema.imported).where(schema.imported.c.import_id == number)
    ).all()
    for row in brought:
        readings = decode(row.payload)
        gone += remove_stretch(connection, series[row.series_id], readings)
        span_us = int(readings.time_us[0]), int(readings.time_us[-1])
        # Whoever seals one of these days meanwhile has to begin anew.
        note_readings(connection, {row.series_id: span_us})
        note_past_changed(
            connection, row.series_id, int(readings.time_us[0]), int(readings.time_us[-1]) + 1
        )
        # What was judged among them is judged without them.
        _rescreen(connection, series[row.series_id], readings.time_us)
    connection.execute(sa.delete(schema.imported).where(schema.imported.c.import_id == number))
    connection.execute(sa.delete(schema.import_).where(schema.import_.c.id == number))
    note_change(connection, Subject.SITE)
    return gone

"""Imports: readings brought in from files, each remembered so that it can be taken back.

Only what was not there before is written: a reading that a station sent stands above a file's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.gaps import max_gap_s, microseconds
from rook_tally.core.pages import decode, encode
from rook_tally.core.readings import Readings
from rook_tally.store import schema
from rook_tally.store.append import append_history
from rook_tally.store.changes import Subject, note_change, note_readings
from rook_tally.store.due import note_past_changed
from rook_tally.store.overruling import with_overrulings
from rook_tally.store.pages import sealed_days, write_pages
from rook_tally.store.query import read_raw_range
from rook_tally.store.site import Series
from rook_tally.store.summaries import PAGE_US
from rook_tally.store.thinned import pages_anew


@dataclass(frozen=True, slots=True)
class Import:
    """An import that can be taken back: from which file, when, how many readings it brought."""

    id: int
    name: str
    made_us: int
    readings: int


def new_readings(connection: Connection, series: Series, readings: Readings) -> Readings:
    """Those of a stretch whose moments hold nothing yet."""
    if not len(readings):
        return readings
    held = read_raw_range(
        connection, series.id, int(readings.time_us[0]), int(readings.time_us[-1]) + 1
    )
    new = ~np.isin(readings.time_us, held.time_us)
    return Readings(readings.time_us[new], readings.value[new], readings.quality[new])


def bring_in(
    connection: Connection, name: str, readings: Mapping[Series, Readings], *, now_us: int
) -> Import:
    """Write the new ones of these readings as one import."""
    made = connection.execute(sa.insert(schema.import_).values(name=name, made_us=now_us))
    key = made.inserted_primary_key
    assert key is not None
    count = 0
    for series, all_of_it in readings.items():
        new = new_readings(connection, series, all_of_it)
        if not len(new):
            continue
        new = with_overrulings(connection, series.id, new)
        count += len(new)
        append_history(connection, series.id, new)
        connection.execute(
            sa.insert(schema.imported).values(
                import_id=int(key[0]), series_id=series.id, payload=encode(new)
            )
        )
    return Import(int(key[0]), name, now_us, count)


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
        gone += _remove(connection, series[row.series_id], readings)
        span_us = int(readings.time_us[0]), int(readings.time_us[-1])
        # Whoever seals one of these days meanwhile has to begin anew.
        note_readings(connection, {row.series_id: span_us})
        note_past_changed(
            connection, row.series_id, int(readings.time_us[0]), int(readings.time_us[-1]) + 1
        )
    connection.execute(sa.delete(schema.imported).where(schema.imported.c.import_id == number))
    connection.execute(sa.delete(schema.import_).where(schema.import_.c.id == number))
    note_change(connection, Subject.SITE)
    return gone


def _remove(connection: Connection, series: Series, brought: Readings) -> int:
    """Take readings out of rows and pages, those that still say what was brought."""
    rows = schema.reading.c
    first_us, last_us = int(brought.time_us[0]), int(brought.time_us[-1]) + 1
    gap_us = microseconds(max_gap_s(series.station.cadence_s))
    held = read_raw_range(connection, series.id, first_us, last_us)
    at = np.searchsorted(held.time_us, brought.time_us)
    there = at < len(held)
    same = np.zeros(len(brought), dtype=np.bool_)
    same[there] = (held.time_us[at[there]] == brought.time_us[there]) & (
        held.value[at[there]] == brought.value[there]
    )
    leaving = brought.time_us[same]
    connection.exec_driver_sql(
        "DELETE FROM reading WHERE series_id = ? AND time_us = ?"
        if connection.dialect.name == "sqlite"
        else "DELETE FROM reading WHERE series_id = %s AND time_us = %s",
        [(series.id, moment) for moment in leaving.tolist()] or [(0, 0)],
    )
    touched = sealed_days(connection, [series.id], first_us - gap_us, last_us + gap_us)
    for _, day_us in sorted(touched):
        around = read_raw_range(connection, series.id, day_us - gap_us, day_us + PAGE_US + gap_us)
        stays = ~np.isin(around.time_us, leaving)
        left = Readings(around.time_us[stays], around.value[stays], around.quality[stays])
        anew = pages_anew(connection, series, left, day_us, day_us + PAGE_US)
        for table in (schema.page, schema.page_hours, schema.page_data):
            connection.execute(
                sa.delete(table).where(table.c.series_id == series.id, table.c.start_us == day_us)
            )
        write_pages(connection, anew)
        # Late rows of the day are part of its page now.
        connection.execute(
            sa.delete(schema.reading).where(
                rows.series_id == series.id, rows.time_us >= day_us, rows.time_us < day_us + PAGE_US
            )
        )
    return len(leaving)

"""Working stretches of the past out again: inputs read, results put in place of what was there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import newest_seq, note_readings
from rook_tally.store.base.database import Store
from rook_tally.store.base.recompute_queue import (
    ALWAYS_US,
    RecomputeSpan,
    note_past_changed,
    note_reached,
)
from rook_tally.store.readings.append import write_rows
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.readings.page_writing import delete_pages, write_pages
from rook_tally.store.readings.pages import day_of
from rook_tally.store.readings.query import read_range, read_raw_range
from rook_tally.store.readings.sealing import SEALED_AFTER_US
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.readings.thinned import pages_anew, thinned_days
from rook_tally.store.site.site import Series

if TYPE_CHECKING:
    from rook_tally.core.workings.alignment import Inputs
    from rook_tally.core.workings.evaluator import Program
    from rook_tally.core.workings.scores import ScoreProgram

CHUNK_US = 8 * DAY_US
"""How much is worked out between two looks at what else there is to do."""


def inputs_of(
    connection: Connection, program: Program | ScoreProgram, start_us: int, end_us: int
) -> Inputs:
    """Good readings, corrected, of what a working uses: all it can look at from [start, end)."""
    from rook_tally.core.workings.alignment import Inputs, heard_of

    factors = {one.series_id: one.factor for one in program.inputs}
    return Inputs(
        {
            series_id: heard_of(
                read_range(connection, series_id, start_us - program.reach_us, end_us), factor
            )
            for series_id, factor in factors.items()
        }
    )


def span_of_inputs(connection: Connection, program: Program | ScoreProgram) -> tuple[int, int]:
    """First and last moment of anything a working uses; (0, 0) without a reading."""
    rows, pages = schema.reading.c, schema.page.c
    firsts: list[int] = []
    lasts: list[int] = []
    for series_id in program.series_ids:
        for table, first, last in (
            (rows, rows.time_us, rows.time_us),
            (pages, pages.first_us, pages.last_us),
        ):
            ends = connection.execute(
                sa.select(sa.func.min(first), sa.func.max(last)).where(table.series_id == series_id)
            ).one()
            if ends[0] is not None:
                firsts.append(int(ends[0]))
                lasts.append(int(ends[1]))
    return (min(firsts), max(lasts)) if firsts else (0, 0)


class _Worked(msgspec.Struct, frozen=True):
    """A stretch worked out: what is to be written for [start, end)."""

    start_us: int
    end_us: int
    readings: Readings


def work_out_due(
    store: Store,
    due: RecomputeSpan,
    series: Series,
    program: Program | ScoreProgram,
    *,
    now_us: int,
) -> bool:
    """Work the next part of a stretch out and write it, in one transaction.

    Returns
    -------
    bool
        False when readings it rests on came meanwhile: nothing was written then, try again.
    """
    with store.read() as connection:
        seen = newest_seq(connection)
        first_us, last_us = span_of_inputs(connection, program)
        held_first, held_last = _span_held(connection, series.id)
        begin = max(due.reached_us, min(first_us, held_first))
        stop = min(due.to_us, max(last_us, held_last) + 1)
        if begin >= stop:
            worked = None
        else:
            sealed_until = day_of(now_us - SEALED_AFTER_US)
            start, end = _part(begin, stop, sealed_until)
            inputs = inputs_of(connection, program, start, end)
            times, value = program.worked_out(inputs, start, end)
            readings = results(times, value)
            if thinned_days(connection, list(program.series_ids), start, end):
                readings = _beside_thinned(connection, series, readings, due, start, end)
            worked = _Worked(start, end, readings)
    with store.write() as connection:
        if worked is not None and _came_meanwhile(connection, seen, program, worked, series):
            return False
        if worked is None:
            note_reached(connection, due, due.to_us)
            return True
        _replace(connection, series, worked, sealed_until=day_of(now_us - SEALED_AFTER_US))
        note_past_changed(connection, series.id, worked.start_us, worked.end_us)
        note_reached(connection, due, due.to_us if worked.end_us >= stop else worked.end_us)
    return True


def _beside_thinned(
    connection: Connection, series: Series, anew: Readings, due: RecomputeSpan, start: int, end: int
) -> Readings:
    """Results where inputs were thinned: what was worked out while they were whole stays, but for
    the stretch that is due."""
    held = read_raw_range(connection, series.id, start, end)
    stays = (held.time_us < due.from_us) | (held.time_us >= due.to_us)
    inside = (anew.time_us >= due.from_us) & (anew.time_us < due.to_us)
    parts = (
        Readings(held.time_us[stays], held.value[stays], held.quality[stays]),
        Readings(anew.time_us[inside], anew.value[inside], anew.quality[inside]),
    )
    joined = _joined(*parts)
    order = np.argsort(joined.time_us, kind="stable")
    return Readings(joined.time_us[order], joined.value[order], joined.quality[order])


def results(times: TimeArray, value: FloatArray) -> Readings:
    """Results as readings: where there is none there is no reading."""
    told = np.isfinite(value)
    return readings_from(times[told], value[told])


def _part(begin: int, stop: int, sealed_until: int) -> tuple[int, int]:
    """The next stretch to do: whole days where they are sealed."""
    if begin < sealed_until:
        start = day_of(begin)
        return start, min(start + CHUNK_US, sealed_until, day_of(stop - 1) + PAGE_US)
    return begin, min(begin + CHUNK_US, stop)


def _span_held(connection: Connection, series_id: int) -> tuple[int, int]:
    """First and last moment of what a series holds; (always, 0) without a reading."""
    rows, pages = schema.reading.c, schema.page.c
    row = connection.execute(
        sa.select(sa.func.min(rows.time_us), sa.func.max(rows.time_us)).where(
            rows.series_id == series_id
        )
    ).one()
    page = connection.execute(
        sa.select(sa.func.min(pages.first_us), sa.func.max(pages.last_us)).where(
            pages.series_id == series_id
        )
    ).one()
    firsts = [int(one[0]) for one in (row, page) if one[0] is not None]
    lasts = [int(one[1]) for one in (row, page) if one[1] is not None]
    return min(firsts, default=ALWAYS_US), max(lasts, default=0)


def _came_meanwhile(
    connection: Connection,
    seen: int,
    program: Program | ScoreProgram,
    worked: _Worked,
    series: Series,
) -> bool:
    changes = schema.change.c
    found = connection.execute(
        sa.select(changes.seq)
        .where(
            changes.seq > seen,
            changes.series_id.in_([*program.series_ids, series.id]),
            changes.from_us < worked.end_us,
            changes.to_us >= worked.start_us - program.reach_us,
        )
        .limit(1)
    )
    return found.first() is not None


def _replace(connection: Connection, series: Series, worked: _Worked, *, sealed_until: int) -> None:
    """Put a stretch in place of what its series held there, in rows and pages alike."""
    rows = schema.reading.c
    start, end = worked.start_us, worked.end_us
    days = {day for _, day in sealed_days(connection, [series.id], start, end)}
    readings = worked.readings
    page_until = min(
        end, max(sealed_until, *(day + PAGE_US for day in days)) if days else sealed_until
    )
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    page_start = day_of(start)
    if page_until > start:
        page_end = day_of(page_until - 1) + PAGE_US
        whole = _joined(
            read_raw_range(connection, series.id, page_start - margin_us, start),
            readings,
            read_raw_range(connection, series.id, end, max(end, page_end + margin_us)),
        )
        anew = pages_anew(connection, series, whole, page_start, page_end)
        delete_pages(connection, series.id, page_start, page_end)
        write_pages(connection, anew)
        gone_until = max(end, page_end)
        fresh = readings[int(np.searchsorted(readings.time_us, page_end)) :]
    else:
        gone_until, fresh = end, readings
    first_gone = page_start if page_until > start else start
    connection.execute(
        sa.delete(schema.reading).where(
            rows.series_id == series.id, rows.time_us >= first_gone, rows.time_us < gone_until
        )
    )
    write_rows(connection, series.id, fresh)
    note_readings(connection, {series.id: (start, end - 1)})


def _joined(*parts: Readings) -> Readings:
    return Readings(
        np.concatenate([one.time_us for one in parts]),
        np.concatenate([one.value for one in parts]),
        np.concatenate([one.quality for one in parts]),
    )


def work_out_everything(
    store: Store, programs: Mapping[int, tuple[Series, Program | ScoreProgram]], *, now_us: int
) -> int:
    """Work out all that is due, at once; returns how many parts that was."""
    from rook_tally.store.base.recompute_queue import stretches_to_work_out

    done = 0
    while True:
        with store.read() as connection:
            due = [one for one in stretches_to_work_out(connection) if one.series_id in programs]
        if not due:
            return done
        for one in due[:1]:
            done += work_out_due(store, one, *programs[one.series_id], now_us=now_us)

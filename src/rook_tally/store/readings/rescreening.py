"""Judging: earlier readings marked when the next ones make certain that they are suspect."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import QualityArray, TimeArray
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.series.screening import (
    SCREENED_TAIL,
    SPIKE_ACCURACIES,
    SPIKE_NEIGHBOURS,
    STUCK_FOR_S,
    STUCK_READINGS,
    screened,
    stuck_parts,
)
from rook_tally.store.base import schema
from rook_tally.store.base.changes import note_readings
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.readings.append import write_rows
from rook_tally.store.readings.quality_overrides import overruled
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.site.site import Series

# Half of what a stuck value takes lies on one side of a reading in it.
_STILL_NEIGHBOURS = STUCK_READINGS // 2
# Readings may come later than their cadence.
_TAIL_CADENCES = 2 * SCREENED_TAIL
_NEWEST_SEALED = "SELECT series_id, max(start_us) FROM page WHERE series_id IN ({}) GROUP BY 1"
_COLUMNS = "SELECT time_us, value, quality FROM reading WHERE series_id = ? AND time_us"
# One statement: it runs with every batch and series.
_AROUND = (
    f"SELECT * FROM ({_COLUMNS} BETWEEN ? AND ? "
    f"ORDER BY time_us DESC LIMIT {SCREENED_TAIL}) AS before "
    f"UNION ALL {_COLUMNS} BETWEEN ? AND ? "
    f"UNION ALL SELECT * FROM ({_COLUMNS} > ? ORDER BY time_us LIMIT {SCREENED_TAIL}) AS after"
)


class Rescreened(msgspec.Struct, frozen=True):
    """Readings whose quality changed: how many became suspect, and the moment of the first."""

    became_suspect: int
    first_us: int


def rescreen_around(
    connection: Connection,
    series: Collection[Series],
    written: Mapping[int, Sequence[int]],
    seen: Callable[[int, Readings], None] | None = None,
) -> dict[int, Rescreened]:
    """Screen around readings just written and mark earlier ones that now are known to be suspect.

    Parameters
    ----------
    written : the moments written, by series id
    seen : hears by series id of the readings around that were looked at and are as they were; they
        are looked at also where none of them can be suspect

    Returns
    -------
    dict of series id to what was judged anew; series without a change are left out.
    """
    marked: dict[int, Rescreened] = {}
    chosen = [one for one in series if seen is not None or is_screened_later(one.quantity)]
    open_us = _open_since(connection, chosen)
    for one in chosen:
        changed: list[Rescreened] = []
        stretches = _stretches(one, written.get(one.id, ()))
        for first_us, last_us in stretches:
            near = _readings_around(connection, one, first_us, last_us, open_us.get(one.id, 0))
            if is_screened_later(one.quantity):
                changed += _mark_around(connection, one, near, (first_us, last_us))
            if seen is not None and not changed and len(stretches) == 1:
                seen(one.id, near)
        if changed:
            marked[one.id] = Rescreened(
                sum(part.became_suspect for part in changed), min(part.first_us for part in changed)
            )
    return marked


def rescreen_stretch(
    connection: Connection,
    series: Series,
    first_us: int,
    last_us: int,
    *,
    settled_us: TimeArray | None = None,
) -> None:
    """Screen a stretch of history that was written or taken out, among all that is there, in one
    go: as long as it is, as many readings are read.

    Parameters
    ----------
    settled_us : moments whose readings keep the quality they have; their neighbours are judged
    """
    if is_screened_later(series.quantity):
        open_us = _open_since(connection, [series]).get(series.id, 0)
        near = _readings_around(connection, series, first_us, last_us, open_us)
        _mark_around(connection, series, near, (first_us, last_us), settled_us)


def _stretches(series: Series, moments: Sequence[int]) -> list[tuple[int, int]]:
    """First and last moment of those that are near each other.

    A month that came late beside today's readings: what lies between was not touched, and may be
    millions of rows.
    """
    if not moments:
        return []
    first_us, last_us = min(moments), max(moments)
    if last_us - first_us <= _margin_us(series):
        # Nearly always it is one reading, or a few of one batch.
        return [(int(first_us), int(last_us))]
    ordered = np.unique(np.asarray(moments, np.int64))
    apart = np.flatnonzero(np.diff(ordered) > _margin_us(series))
    firsts, lasts = ordered[np.append(0, apart + 1)], ordered[np.append(apart, -1)]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))


def _mark_around(
    connection: Connection,
    series: Series,
    near: Readings,
    written_us: tuple[int, int],
    settled_us: TimeArray | None = None,
) -> list[Rescreened]:
    first_us, last_us = written_us
    changed: list[Rescreened] = []
    if _may_hold_a_fault(near, series.quantity):
        told = _told_nearby(series, near, first_us, last_us)
        changed += _mark(connection, series, near, told, settled_us)
    if not series.quantity.never_still:
        return changed
    # With fewer rows after the new ones than were asked for, these are the last there are.
    reaches_end = np.count_nonzero(near.time_us > last_us) < SCREENED_TAIL
    for still in _still_parts(near):
        is_last = bool(reaches_end) and still.stop == len(near)
        stretch = _stretch_to_judge(connection, series, near[still], is_last=is_last)
        if stretch is not None:
            changed += _mark(
                connection, series, stretch, _told_of_stretch(series, stretch), settled_us
            )
        elif near.quality[still.start] == Quality.STUCK:
            part = near[still]
            stuck = np.full(len(part), Quality.STUCK, np.uint8)
            changed += _mark(connection, series, part, stuck, settled_us)
    return changed


def _mark(
    connection: Connection,
    series: Series,
    readings: Readings,
    told: QualityArray,
    settled_us: TimeArray | None,
) -> list[Rescreened]:
    """Write qualities that differ; what was judged anew, if anything was."""
    # What a person set aside stays so, also where their word came with a file.
    changed = (told != readings.quality) & (readings.quality != Quality.SET_ASIDE)
    if settled_us is not None:
        changed &= ~np.isin(readings.time_us, settled_us)
    if changed.any():
        changed &= ~overruled(connection, series.id, readings)
    if not changed.any():
        return []
    # One that is sealed gets a row, which stands before its page until that is sealed anew.
    marked = Readings(readings.time_us[changed], readings.value[changed], told[changed])
    write_rows(connection, series.id, marked)
    moments = marked.time_us
    note_readings(connection, {series.id: (int(moments[0]), int(moments[-1]))})
    was_good = readings.quality == Quality.GOOD
    became_suspect = int(np.count_nonzero(changed & was_good & (told != Quality.GOOD)))
    return [Rescreened(became_suspect, int(readings.time_us[changed][0]))]


def _told_nearby(series: Series, near: Readings, first_us: int, last_us: int) -> QualityArray:
    """Screen the readings that the new ones can have made certain."""
    told = screened(near, series.quantity, max_gap_s=max_gap_s(series.station.cadence_s))
    first = int(np.searchsorted(near.time_us, first_us))
    settled = max(0, first - SCREENED_TAIL // 2)
    told[:settled] = near.quality[:settled]
    # As far behind them nothing is new either, and the last of what was read has nobody after it.
    beyond = int(np.searchsorted(near.time_us, last_us, side="right")) + SCREENED_TAIL // 2
    told[beyond:] = near.quality[beyond:]
    # A value is known to be stuck from far more readings than these.
    still = (near.quality == Quality.STUCK) & (told == Quality.GOOD)
    told[still] = Quality.STUCK
    return told


def _still_parts(near: Readings) -> list[slice]:
    """The stretches of equal values that may be stuck, or no longer are."""
    if not len(near):
        return []
    moved = np.flatnonzero(np.diff(near.value) != 0) + 1
    begin, end = np.append(0, moved), np.append(moved, len(near))
    long = end - begin >= min(_STILL_NEIGHBOURS, len(near))
    was_stuck = np.logical_or.reduceat(near.quality == Quality.STUCK, begin)
    chosen = long | was_stuck
    return [slice(*pair) for pair in zip(begin[chosen].tolist(), end[chosen].tolist(), strict=True)]


def _stretch_to_judge(
    connection: Connection, series: Series, part: Readings, *, is_last: bool
) -> Readings | None:
    """All of the stretch a part belongs to, where that has to be looked at; None where the part
    tells enough: it goes on being stuck, or cannot be so yet.

    Nearly every reading comes last, and a value may be still for as long as it likes.
    """
    whole = bool((np.diff(part.time_us) <= microseconds(max_gap_s(series.station.cadence_s))).all())
    value = float(part.value[0])
    if is_last and whole and part.quality[0] == Quality.STUCK:
        return None
    if is_last and not (part.quality == Quality.STUCK).any():
        columns = schema.reading.c
        long_before = connection.execute(
            sa.select(columns.value)
            .where(
                columns.series_id == series.id,
                columns.time_us < int(part.time_us[-1]) - microseconds(STUCK_FOR_S),
                columns.quality == int(Quality.GOOD),
            )
            .order_by(columns.time_us.desc())
            .limit(1)
        ).scalar()
        if long_before != value:
            return None
    return _stretch_around(connection, series.id, int(part.time_us[0]), value)


def _stretch_around(connection: Connection, series_id: int, at_us: int, value: float) -> Readings:
    """All rows around a moment, good or stuck, up to where the value was another."""
    columns = schema.reading.c
    ours = sa.and_(
        columns.series_id == series_id, columns.quality.in_((int(Quality.GOOD), int(Quality.STUCK)))
    )
    other = sa.select(columns.time_us).where(ours, columns.value != float(value)).limit(1)
    before = connection.scalar(
        other.where(columns.time_us < at_us).order_by(columns.time_us.desc())
    )
    after = connection.scalar(other.where(columns.time_us > at_us).order_by(columns.time_us))
    rows = sa.select(columns.time_us, columns.value, columns.quality).where(ours)
    if before is not None:
        rows = rows.where(columns.time_us > before)
    if after is not None:
        rows = rows.where(columns.time_us < after)
    return _readings(connection.execute(rows.order_by(columns.time_us)).all())


def _told_of_stretch(series: Series, stretch: Readings) -> QualityArray:
    good = readings_from(stretch.time_us, stretch.value)
    stuck = stuck_parts(good, max_gap_s=max_gap_s(series.station.cadence_s))
    return np.where(stuck, Quality.STUCK, Quality.GOOD).astype(np.uint8)


def is_screened_later(quantity: Quantity) -> bool:
    """True if a reading of a quantity can be suspect by what comes after it."""
    return quantity.is_slow or not quantity.zero_possible or quantity.never_still


def _may_hold_a_fault(near: Readings, quantity: Quantity) -> bool:
    """True if a look is worth its time: nearly always nothing has jumped, nor did before."""
    if ((near.quality == Quality.LONE_SPIKE) | (near.quality == Quality.LONE_ZERO)).any():
        return True
    if len(near) < 3:
        return False
    if (near.value == 0).any():
        return True
    furthest = SPIKE_ACCURACIES * quantity.accuracy
    if near.value.max() - near.value.min() <= furthest:
        return False
    # As far as a spike stands out, in however many steps it went there.
    width = min(len(near), 2 * SPIKE_NEIGHBOURS + 1)
    windows = np.lib.stride_tricks.sliding_window_view(near.value, width)
    ranges = windows.max(axis=1) - windows.min(axis=1)
    return bool((ranges > furthest).any())


def _open_since(connection: Connection, series: Collection[Series]) -> dict[int, int]:
    """From when on nothing of a series is sealed, by its id; those without a page are left out."""
    if not series:
        return {}
    ids = ", ".join(str(one.id) for one in series)
    rows = fetched(connection, _NEWEST_SEALED.format(ids))
    return {series_id: sealed_us + PAGE_US for series_id, sealed_us in rows}


def _readings_around(
    connection: Connection, series: Series, first_us: int, last_us: int, open_us: int
) -> Readings:
    """Readings of a window with `SCREENED_TAIL` before and after it; what came late for a sealed
    day is judged among what is sealed. From `open_us` on nothing is."""
    series_id = series.id
    margin_us = _margin_us(series)
    if first_us - margin_us < open_us:
        return read_raw_range(connection, series_id, first_us - margin_us, last_us + margin_us)
    # Rows of sealed days came late: without what is sealed around them nobody can judge them.
    bounds = (series_id, open_us, first_us - 1, series_id, first_us, last_us, series_id, last_us)
    return _readings(sorted(fetched(connection, _AROUND, bounds)))


def _margin_us(series: Series) -> int:
    """The distance from a reading within which it can make others certain."""
    return microseconds(_TAIL_CADENCES * series.station.cadence_s)


def _readings(rows: Sequence[Sequence[Any]]) -> Readings:
    return readings_from(*zip(*rows, strict=True)) if rows else readings_from([], [])

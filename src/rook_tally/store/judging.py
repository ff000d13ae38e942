"""Judging: earlier readings marked when the next ones make certain that they are suspect."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import QualityArray
from rook_tally.core.gaps import max_gap_s
from rook_tally.core.quantities import Quantity
from rook_tally.core.readings import Quality, Readings, readings_from
from rook_tally.core.screening import SCREENED_TAIL, STUCK_READINGS, screened, stuck_parts
from rook_tally.store import schema
from rook_tally.store.overruling import overruled, write_row_qualities
from rook_tally.store.site import Series

# Half of what a stuck value takes lies on one side of a reading in it.
_STILL_NEIGHBOURS = STUCK_READINGS // 2


def mark_what_became_certain(
    connection: Connection, series: Collection[Series], touched: Mapping[int, tuple[int, int]]
) -> dict[int, int]:
    """Screen around readings just written and mark earlier ones that now are known to be suspect.

    Parameters
    ----------
    touched : first and last moment written, by series id

    Returns
    -------
    dict of series id to how many readings became suspect; series without a change are left out.
    """
    marked: dict[int, int] = {}
    for one in series:
        if one.id not in touched or not _is_screened_later(one.quantity):
            continue
        near = _rows_around(connection, one.id, *touched[one.id])
        changed = 0
        if _may_hold_a_fault(near, one.quantity):
            changed += _mark(connection, one, near, _told_nearby(one, near, touched[one.id][0]))
        if one.quantity.never_still:
            for at in _still_moments(near):
                stretch = _stretch_around(connection, one.id, int(near.time_us[at]), near.value[at])
                changed += _mark(connection, one, stretch, _told_of_stretch(one, stretch))
        if changed:
            marked[one.id] = changed
    return marked


def _mark(connection: Connection, series: Series, readings: Readings, told: QualityArray) -> int:
    """Write qualities that differ; how many readings became suspect."""
    changed = told != readings.quality
    if not changed.any():
        return 0
    changed &= ~overruled(connection, series.id, readings)
    if changed.any():
        write_row_qualities(connection, series.id, readings, told, changed)
    was_good = readings.quality == Quality.GOOD
    return int(np.count_nonzero(changed & was_good & (told != Quality.GOOD)))


def _told_nearby(series: Series, near: Readings, first_us: int) -> QualityArray:
    """What screening says of the readings that the new ones can have made certain."""
    told = screened(near, series.quantity, max_gap_s=max_gap_s(series.station.cadence_s))
    first = int(np.searchsorted(near.time_us, first_us))
    settled = max(0, first - SCREENED_TAIL // 2)
    told[:settled] = near.quality[:settled]
    # A value is known to be stuck from far more readings than these.
    still = (near.quality == Quality.STUCK) & (told == Quality.GOOD)
    told[still] = Quality.STUCK
    return told


def _still_moments(near: Readings) -> list[int]:
    """One reading of each stretch that may be stuck, or no longer is."""
    if not len(near):
        return []
    moved = np.flatnonzero(np.diff(near.value) != 0) + 1
    begin, end = np.append(0, moved), np.append(moved, len(near))
    long = end - begin >= min(_STILL_NEIGHBOURS, len(near))
    was_stuck = np.logical_or.reduceat(near.quality == Quality.STUCK, begin)
    return [int(at) for at in begin[long | was_stuck]]


def _stretch_around(connection: Connection, series_id: int, at_us: int, value: float) -> Readings:
    """All rows around a moment, good or stuck, up to where the value was another."""
    columns = schema.reading.c
    ours = sa.and_(
        columns.series_id == series_id,
        columns.quality.in_((int(Quality.GOOD), int(Quality.STUCK))),
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


def _is_screened_later(quantity: Quantity) -> bool:
    return quantity.is_slow or not quantity.zero_possible or quantity.never_still


def _may_hold_a_fault(near: Readings, quantity: Quantity) -> bool:
    """Whether a look is worth its time: nearly always nothing has jumped."""
    if len(near) < 3:
        return False
    jumped = float(np.abs(np.diff(near.value)).max()) > 4 * quantity.accuracy
    return jumped or bool((near.value == 0).any())


def _rows_around(connection: Connection, series_id: int, first_us: int, last_us: int) -> Readings:
    columns = schema.reading.c
    wanted = sa.select(columns.time_us, columns.value, columns.quality).where(
        columns.series_id == series_id
    )
    before = connection.execute(
        wanted.where(columns.time_us < first_us)
        .order_by(columns.time_us.desc())
        .limit(SCREENED_TAIL)
    ).all()
    rest = connection.execute(
        wanted.where(columns.time_us >= first_us, columns.time_us <= last_us).order_by(
            columns.time_us
        )
    ).all()
    after = connection.execute(
        wanted.where(columns.time_us > last_us).order_by(columns.time_us).limit(SCREENED_TAIL)
    ).all()
    return _readings([*reversed(before), *rest, *after])


def _readings(rows: Sequence[Sequence[Any]]) -> Readings:
    return readings_from(*zip(*rows, strict=True)) if rows else readings_from([], [])

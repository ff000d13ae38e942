"""Runs and gaps. Section 0 and H of our collected formulas: the gap rule is our own definition.

*Good*: quality 0 and finite. *Gap*: good neighbours further apart than `max_gap_s`, strictly.
*Run*: the longest stretch of good readings without a gap.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

SHORTEST_GAP_S = 90.0
GAP_CADENCES = 3.0


def max_gap_s(cadence_s: float) -> float:
    """The longest distance between two readings without a gap, s."""
    return max(GAP_CADENCES * cadence_s, SHORTEST_GAP_S)


@lru_cache
def longest_gap_us(cadence_s: float) -> int:
    """The same in whole microseconds; remembered, since it is asked for with every reading."""
    return microseconds(max_gap_s(cadence_s))


class Runs(msgspec.Struct, frozen=True):
    """Runs of good readings: first and last moment and number of readings of each, (K,) int64."""

    first_us: TimeArray
    last_us: TimeArray
    count: IntArray


def good_rows(readings: Readings, also: BoolArray | None = None) -> IntArray | slice:
    """Which rows are good (and hold besides), in order of time; of equal times the last to come.

    Nearly always that is all of them as they stand, for which a slice is given: it copies nothing.
    """
    time_us = readings.time_us
    holds = also is None or bool(also.all())
    if holds and readings.are_all_good and bool((time_us[1:] > time_us[:-1]).all()):
        return slice(None)
    good = readings.good if also is None else readings.good & also
    rows = np.flatnonzero(good)
    rows = rows[np.argsort(time_us[rows], kind="stable")]
    last_of_equals = np.append(np.diff(time_us[rows]) > 0, True)[: len(rows)]
    last_rows: IntArray = rows[last_of_equals]
    return last_rows


def cleaned(readings: Readings) -> tuple[TimeArray, FloatArray]:
    """Good readings sorted by time; of equal times the one that came last wins.

    Returns
    -------
    (M,) int64 strictly increasing, (M,) float64
    """
    rows = good_rows(readings)
    return readings.time_us[rows], readings.value[rows]


def rows_after_gaps(time_us: TimeArray, max_gap_us: int) -> IntArray:
    """Rows, but the first, that come more than a gap after the row before, or earlier than it.

    (N,) int64 → (G,) int64, rising.
    """
    # A clock that went back parts as a gap does: unsigned, its step is a huge one.
    step = (time_us[1:] - time_us[:-1]).view(np.uint64)
    # Mostly there is none, which the longest step tells at once.
    if not len(step) or step.max() <= max_gap_us:
        return np.empty(0, dtype=np.int64)
    return np.flatnonzero(step > max_gap_us) + 1


def stretches_of(
    state: BoolArray | NDArray[np.int8], parted: IntArray
) -> tuple[IntArray, IntArray]:
    """First and last row of every stretch of rows that stand alike, without a gap between them.

    Parameters
    ----------
    state : (N,)
    parted : (G,) int64
        Rows, but the first, before which there is a gap.
    """
    first = np.flatnonzero(state[1:] != state[:-1]) + 1
    if len(parted):
        first = np.union1d(first, parted)
    first = np.concatenate((np.zeros(min(1, len(state)), dtype=np.int64), first))
    return first, np.append(first[1:], len(state))[: len(first)] - 1


def microseconds(seconds: float) -> int:
    """Seconds as whole microseconds, rounded, as every comparison with times needs them."""
    return round(seconds * SECOND_US)


def good_runs(
    readings: Readings, max_gap_us: int, also: BoolArray | None = None
) -> tuple[IntArray | slice, IntArray]:
    """`good_rows`, and which of them come after a gap: (G,) positions among them."""
    time_us = readings.time_us
    if readings.are_all_good and (also is None or also.all()) and len(time_us) > 1:
        step_us = time_us[1:] - time_us[:-1]
        if step_us.min() > 0:
            longer = step_us > max_gap_us if step_us.max() > max_gap_us else np.zeros(0, np.bool_)
            return slice(None), np.flatnonzero(longer) + 1
    rows = good_rows(readings, also)
    return rows, rows_after_gaps(time_us[rows], max_gap_us)


def find_runs(readings: Readings, *, max_gap_s: float) -> Runs:
    """Runs of good readings, in order of time. Empty input gives empty arrays."""
    rows, parted = good_runs(readings, microseconds(max_gap_s))
    time_us = readings.time_us[rows]
    if not len(time_us):
        empty = np.empty(0, dtype=np.int64)
        return Runs(empty, empty, empty)
    starts = np.concatenate(([0], parted))
    ends = np.append(starts[1:], len(time_us)) - 1
    return Runs(time_us[starts], time_us[ends], ends - starts + 1)


def find_gaps(
    readings: Readings, *, max_gap_s: float, start_us: int | None = None, end_us: int | None = None
) -> TimeArray:
    """Gaps between good readings of a window, its edges included when they are given.

    Returns
    -------
    (G, 2) int64
        From, to. With `start_us` also the start to the first reading, with `end_us` also the
        last reading to the end, when longer than `max_gap_s`. No good reading at all: one gap
        from edge to edge when both are given, else none.

    Raises
    ------
    ValueError
        When the window's end is not after its start.
    """
    check_window(start_us, end_us)
    time_us, _ = cleaned(readings)
    return gaps_of_times(time_us, max_gap_s=max_gap_s, start_us=start_us, end_us=end_us)


def gaps_of_times(
    time_us: TimeArray, *, max_gap_s: float, start_us: int | None = None, end_us: int | None = None
) -> TimeArray:
    """As `find_gaps`, of the strictly rising times of good readings."""
    time_us = time_us[inside(time_us, start_us, end_us)]
    edges = [
        np.array([] if start_us is None else [start_us], dtype=np.int64),
        time_us,
        np.array([] if end_us is None else [end_us], dtype=np.int64),
    ]
    moments = np.concatenate(edges)
    if not len(time_us):
        return moments.reshape(-1, 2) if len(moments) == 2 else np.empty((0, 2), dtype=np.int64)
    wide = np.flatnonzero(np.diff(moments) > microseconds(max_gap_s))
    return np.stack((moments[wide], moments[wide + 1]), axis=1)


def check_window(start_us: int | None, end_us: int | None) -> None:
    """ValueError when both edges are given and the end is not after the start."""
    if start_us is not None and end_us is not None and end_us <= start_us:
        raise ValueError(f"end_us must be after start_us, got {start_us} to {end_us}")


def inside(time_us: TimeArray, start_us: int | None, end_us: int | None) -> slice:
    """The half-open window [start, end) of increasing times, as a slice."""
    first = 0 if start_us is None else int(np.searchsorted(time_us, start_us))
    last = len(time_us) if end_us is None else int(np.searchsorted(time_us, end_us))
    return slice(first, last)

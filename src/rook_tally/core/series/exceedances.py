"""Stretches of readings beyond a threshold: how long, how high, how much (section I)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.series.gaps import good_runs, microseconds, stretches_of
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import HOUR_US, SECOND_US


@dataclass(frozen=True, slots=True)
class Spells:
    """Stretches over a threshold, (K,) each: its peak and the moment of that, the area over the
    baseline, unit·h, and whether the true extent is unknown at either end."""

    start_us: TimeArray
    end_us: TimeArray
    peak: FloatArray
    peak_us: TimeArray
    area_h: FloatArray
    cut_start: BoolArray
    cut_end: BoolArray


@dataclass(frozen=True, slots=True)
class _Excess:
    """Good rows with a baseline: how far each is beyond it, (N,), and the rows, but the first,
    before which a gap is, (G,)."""

    time_us: TimeArray
    e: FloatArray
    parted: IntArray

    def moments(self, rows: IntArray) -> FloatArray:
        """µs since the first: float seconds since 1970 would lose microseconds."""
        moments: FloatArray = (self.time_us[rows] - self.time_us[0]).astype(np.float64)
        return moments


def spells(
    readings: Readings,
    *,
    threshold: float,
    max_gap_s: float,
    cadence_s: float,
    baseline: FloatArray | float | None = None,
    min_length_s: float = 0.0,
    merge_s: float = 0.0,
    direction: str = "above",
) -> Spells:
    """Stretches in which the straight line through a run is beyond baseline + threshold (ours).

    Ends are the crossings, rounded to the microsecond; at a run's edge the reading itself, marked
    as cut; a lone reading stands for one cadence. Neighbours of a run at most `merge_s` apart are
    one, then those shorter than `min_length_s` are dropped. ValueError for another direction.
    """
    if direction not in ("above", "below"):
        raise ValueError(f"direction is above or below, got {direction!r}")
    x, value = _excess(readings, baseline, max_gap_s, is_above=direction == "above")
    is_over = x.e > threshold
    first, last = stretches_of(is_over, x.parted)
    first, last = first[is_over[first]], last[is_over[first]]
    if not len(first):
        times, numbers = np.empty(0, np.int64), np.empty(0)
        return Spells(times, times, numbers, times, numbers, numbers > 0, numbers > 0)
    (start, end), (cut_start, cut_end), (area_before, area_after) = _edges(
        x, threshold, first, last
    )
    lone = (first == last) & cut_start & cut_end
    end[lone] += microseconds(cadence_s)
    head, tail = _merged(x, first, last, start, end, merge_s)
    begin, stop = first[head], last[tail]
    area, peak = _areas_and_peaks(x, begin, stop)
    area += area_before[head] + area_after[tail]
    lone, start, end = lone[head], start[head], end[tail]
    area[lone] = np.maximum(x.e[begin[lone]], 0) * microseconds(cadence_s)
    is_long = end - start >= min_length_s * SECOND_US
    long = slice(None) if is_long.all() else is_long
    peak = peak[long]
    return Spells(
        _half_up(start[long]) + x.time_us[0],
        _half_up(end[long]) + x.time_us[0],
        value[peak],
        x.time_us[peak],
        area[long] / HOUR_US,
        cut_start[head][long],
        cut_end[tail][long],
    )


def _half_up(us: FloatArray) -> TimeArray:
    return np.floor(us + 0.5).astype(np.int64)


def _excess(
    readings: Readings, baseline: FloatArray | float | None, max_gap_s: float, *, is_above: bool
) -> tuple[_Excess, FloatArray]:
    """The excess of the rows that count, and their values."""
    level = None if baseline is None else np.broadcast_to(np.float64(baseline), len(readings))
    known = None if level is None else np.isfinite(level)
    rows, parted = good_runs(readings, microseconds(max_gap_s), known)
    time_us, value = readings.time_us[rows], readings.value[rows]
    excess = value if level is None else value - level[rows]
    return _Excess(time_us, excess if is_above else -excess, parted), value


def _edges(
    x: _Excess, threshold: float, first: IntArray, last: IntArray
) -> tuple[FloatArray, BoolArray, FloatArray]:
    """Of both ends of each stretch, (2, K): where the line crosses the threshold, µs since the
    first reading; where there is no line, so that the reading itself is the edge; the area between.
    """
    inner = np.stack((first, last))
    edge = np.stack((first, last + 1))
    cut = (edge == 0) | (edge == len(x.e))
    if len(x.parted):
        cut |= np.isin(edge, x.parted)
    outer = np.where(cut, inner, inner + np.array([[-1], [1]]))
    here, value = x.moments(inner), x.e[inner]
    with np.errstate(divide="ignore", invalid="ignore"):
        share = (value - threshold) / (value - x.e[outer])
        crossing = np.where(cut, here, here + share * (x.moments(outer) - here))
    return crossing, cut, _positive_area(value, np.asarray(threshold), np.abs(crossing - here))


def _merged(
    x: _Excess, first: IntArray, last: IntArray, start: FloatArray, end: FloatArray, merge_s: float
) -> tuple[IntArray | slice, IntArray | slice]:
    """Which stretches begin and end a spell, once those of a run that lie close are one.

    Mostly none do: then all of them, as a slice, which copies nothing.
    """
    is_apart = start[1:] - end[:-1] > merge_s * SECOND_US
    if len(x.parted):
        run = np.searchsorted(x.parted, np.stack((first[1:], last[:-1])), side="right")
        is_apart |= run[0] > run[1]
    if is_apart.all():
        return slice(None), slice(None)
    apart = np.flatnonzero(is_apart)
    return np.concatenate(([0], apart + 1)), np.append(apart, len(first) - 1)


def _areas_and_peaks(x: _Excess, begin: IntArray, stop: IntArray) -> tuple[FloatArray, IntArray]:
    """Of each stretch [begin, stop] of rows: the integral of max(e, 0) from its first reading to
    its last, unit·µs, and the row of its greatest excess, the earliest of equals."""
    # Only rows of stretches are looked at, one stretch behind the other: they are few, as a rule.
    lengths = stop - begin + 1
    after = np.cumsum(lengths)
    firsts = after - lengths
    rows = np.arange(after[-1]) + np.repeat(begin - firsts, lengths)
    e, time_us = x.e[rows], x.time_us[rows]
    pieces = np.zeros(len(rows))
    pieces[:-1] = _positive_area(e[:-1], e[1:], np.diff(time_us).astype(np.float64))
    pieces[after - 1] = 0.0
    at = np.flatnonzero(e == np.repeat(np.maximum.reduceat(e, firsts), lengths))
    return np.add.reduceat(pieces, firsts), rows[at[np.searchsorted(at, firsts)]]


def _positive_area(left: FloatArray, right: FloatArray, width: FloatArray) -> FloatArray:
    """Under straight lines and over zero, crossings of zero exact."""
    height = left + right
    if min(left.min(initial=0.0), right.min(initial=0.0)) < 0:
        high, low = np.maximum(left, right), np.minimum(left, right)
        with np.errstate(divide="ignore", invalid="ignore"):
            triangle = high * high / (high - low)
        height = np.where(low >= 0, height, np.where(high > 0, triangle, 0.0))
    return height * width / 2

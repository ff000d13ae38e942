"""Two series side by side (section J of our formulas). Differences are second − first.

Paired values with NaN on either side are left out; fewer than three pairs say nothing (ours).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from rook_tally.core.arrays import (
    BoolArray,
    FloatArray,
    IntArray,
    TimeArray,
    are_finite,
    finite_of,
    inner,
    median_of,
)
from rook_tally.core.series.gaps import cleaned, good_rows, microseconds
from rook_tally.core.series.nearest_index import nearest_of
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.resampling import values_at
from rook_tally.core.timestamps import DAY_US, SECOND_US

MONTH_S = 2_629_800.0
"""365.25/12 days."""
_FEWEST = 3
_SAME = 1e-12
_SIDE = 64
_FLAT = 1e-9
# So many pairs of cells are looked at together: few enough to stay near the processor.
_CELLS_AT_ONCE = 1 << 17


def pairs_of(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The pairs that both sides have; ValueError for different lengths."""
    if len(a) != len(b):
        raise ValueError(f"pairs are equally many on both sides, got {len(a)} and {len(b)}")
    with np.errstate(invalid="ignore"):
        difference = b - a
    if are_finite(difference):
        return a, b
    both = np.isfinite(difference)
    return a[both], b[both]


def _differences(a: FloatArray, b: FloatArray) -> FloatArray:
    """b − a of the pairs that both sides have; a new array."""
    if len(a) != len(b):
        raise ValueError(f"pairs are equally many on both sides, got {len(a)} and {len(b)}")
    with np.errstate(invalid="ignore"):
        return finite_of(b - a)


@dataclass(frozen=True, slots=True)
class Aligned:
    """One-to-one pairs of rows in order of the first series' time; dt = t_b − t_a."""

    index_a: IntArray
    index_b: IntArray
    dt_s: FloatArray


def align_nearest(a: Readings, b: Readings, *, tolerance_s: float) -> Aligned:
    """Pairs no further apart than a tolerance, the nearest first, each row used once (ours).

    A pair that is the nearest for both of its rows is taken before anything else of either, so that
    all such pairs are taken at once, and again among what is left. Of two as near the earlier.
    """
    left = np.arange(len(a))[good_rows(a)]
    right = np.arange(len(b))[good_rows(b)]
    tolerance = microseconds(tolerance_s)
    taken: list[tuple[IntArray, IntArray, TimeArray]] = []
    while len(left) and len(right):
        time_a, time_b = a.time_us[left], b.time_us[right]
        to_b = nearest_of(time_b, time_a)
        theirs = time_b[to_b]
        dt_us = theirs - time_a
        apart = np.abs(dt_us)
        # Times rise, so whoever is nearer to a row of b is the neighbour before (which also wins
        # when as near) or the one behind.
        both = apart <= tolerance
        both[1:] &= np.abs(theirs[1:] - time_a[:-1]) > apart[1:]
        both[:-1] &= np.abs(theirs[:-1] - time_a[1:]) >= apart[:-1]
        if both.all():
            taken.append((left, right[to_b], dt_us))
            break
        if not both.any():
            break
        taken.append((left[both], right[to_b[both]], dt_us[both]))
        free = np.ones(len(right), dtype=np.bool_)
        free[to_b[both]] = False
        # What is too far from the nearest left is too far from all: it never finds a partner.
        left, right = left[~both & (apart <= tolerance)], right[free]
    if not taken:
        nothing = np.empty(0, dtype=np.int64)
        return Aligned(nothing, nothing, np.empty(0))
    index_a, index_b, dt_us = (np.concatenate(part) for part in zip(*taken, strict=True))
    if len(taken) > 1:
        order = np.argsort(a.time_us[index_a])
        index_a, index_b, dt_us = index_a[order], index_b[order], dt_us[order]
    return Aligned(index_a, index_b, dt_us / SECOND_US)


def bias(a: FloatArray, b: FloatArray) -> float:
    """Mean difference b − a; NaN without a pair."""
    difference = _differences(a, b)
    return float(difference.mean()) if len(difference) else math.nan


def mae(a: FloatArray, b: FloatArray) -> float:
    """Mean size of the differences; NaN without a pair."""
    difference = _differences(a, b)
    np.abs(difference, out=difference)
    return float(difference.mean()) if len(difference) else math.nan


def rmse(a: FloatArray, b: FloatArray) -> float:
    """Root of the mean squared difference; NaN without a pair."""
    difference = _differences(a, b)
    squares = inner(difference, difference)
    return math.sqrt(squares / len(difference)) if len(difference) else math.nan


def pearson_r(a: FloatArray, b: FloatArray) -> float:
    """Pearson's correlation; NaN for fewer than three pairs or a constant side."""
    a, b = pairs_of(a, b)
    if len(a) < _FEWEST or np.ptp(a) == 0 or np.ptp(b) == 0:
        return math.nan
    return _correlation(a, b)


def _correlation(a: FloatArray, b: FloatArray) -> float:
    """Pearson's of pairs that are all there; NaN for a side whose power no double holds."""
    x, y = a - a.mean(), b - b.mean()
    power = inner(x, x) * inner(y, y)
    return min(1.0, max(-1.0, inner(x, y) / math.sqrt(power))) if power > 0 else math.nan


def spearman_r(a: FloatArray, b: FloatArray) -> float:
    """Correlation of the ranks, ties sharing their mean rank (Spearman 1904)."""
    a, b = pairs_of(a, b)
    return pearson_r(_ranks(a), _ranks(b))


def _ranks(values: FloatArray) -> FloatArray:
    order = np.argsort(values)
    ordered = values[order]
    rank = np.arange(1.0, len(values) + 1)
    same = ordered[1:] == ordered[:-1]
    if same.any():
        first = np.flatnonzero(np.concatenate(([True], ~same)))
        count = np.diff(np.append(first, len(values)))
        rank = np.repeat(first + (count + 1) / 2, count)
    ranks = np.empty(len(values))
    ranks[order] = rank
    return ranks


@dataclass(frozen=True, slots=True)
class Lag:
    """The delay of the second series behind the first; NaN and `n` 0 when unknown.

    `at_edge`: the best lies at the end of the search and is no peak; not to be trusted.
    """

    lag_s: float
    r: float
    n: int
    at_edge: bool


class LagCurve(msgspec.Struct, frozen=True):
    """How two series go together at every whole shift: (K,) shifts of `step_s`, r and pairs.

    r is NaN where too few pairs, or a flat side, say nothing.
    """

    step_s: float
    shift: IntArray
    r: FloatArray
    n: IntArray


def lag_curve(
    a: Readings,
    b: Readings,
    *,
    step_s: float,
    max_lag_s: float,
    max_gap_s: float,
    min_pairs: int = 10,
) -> LagCurve:
    """Pearson's r of two series at every whole shift (ours); no shifts where nothing is known.

    Both are resampled on multiples of `step_s` within their runs and their straight lines deleted.
    """
    unknown = LagCurve(step_s, np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64))
    step, farthest = microseconds(step_s), math.floor(max_lag_s / step_s)
    cleaned_a, cleaned_b = cleaned(a), cleaned(b)
    if not len(cleaned_a[0]) or not len(cleaned_b[0]):
        return unknown
    low = min(int(cleaned_a[0][0]), int(cleaned_b[0][0]))
    high = max(int(cleaned_a[0][-1]), int(cleaned_b[0][-1]))
    grid = np.arange(-(-low // step), high // step + 1, dtype=np.int64) * step
    if len(grid) < _FEWEST:
        return unknown
    x, y = (values_at(*one, grid, microseconds(max_gap_s)) for one in (cleaned_a, cleaned_b))
    if min(np.isfinite(x).sum(), np.isfinite(y).sum()) < _FEWEST:
        return unknown
    size_x, size_y = float(np.nanmax(np.abs(x))), float(np.nanmax(np.abs(y)))
    x, y = _detrended(x), _detrended(y)
    shifts = np.arange(-farthest, farthest + 1)
    r, counts = np.full(len(shifts), np.nan), np.zeros(len(shifts), np.int64)
    # Row j is y[i + shifts[j]] for each i, unknown beyond the ends.
    moved = sliding_window_view(np.pad(y, farthest, constant_values=np.nan), len(x))
    at_once = max(1, _CELLS_AT_ONCE // len(x))
    for first in range(0, len(shifts), at_once):
        part = slice(first, first + at_once)
        r[part], counts[part] = _row_correlations(x, moved[part], _FLAT * size_x, _FLAT * size_y)
    r[counts < max(min_pairs, _FEWEST, counts.max(initial=0) / 2)] = np.nan
    return LagCurve(step_s, shifts, r, counts)


def _row_correlations(
    x: FloatArray, rows: FloatArray, flat_x: float, flat_y: float
) -> tuple[FloatArray, IntArray]:
    """Pearson's r of (N,) x with each of (K, N) rows where both are known, and how often they are:
    (K,) each. NaN where a side ranges over no more than is flat."""
    both = np.isfinite(x) & np.isfinite(rows)
    counts = np.count_nonzero(both, axis=1)
    r = np.full(len(rows), np.nan)
    with np.errstate(invalid="ignore", divide="ignore"):
        sides = []
        is_flat = np.zeros(len(rows), np.bool_)
        for side, flat in ((np.broadcast_to(x, rows.shape), flat_x), (rows, flat_y)):
            mean = np.where(both, side, 0.0).sum(axis=1) / counts
            away = np.where(both, side - mean[:, None], 0.0)
            # 0 stands where nothing is known: the mean lies within any range.
            is_flat |= ~(away.max(axis=1) - away.min(axis=1) > flat)
            sides.append(away)
        first, second = sides
        power = np.einsum("ki,ki->k", first, first) * np.einsum("ki,ki->k", second, second)
        told = np.clip(np.einsum("ki,ki->k", first, second) / np.sqrt(power), -1.0, 1.0)
    holds = ~is_flat & (power > 0)
    r[holds] = told[holds]
    return r, counts


def lag_s(
    a: Readings,
    b: Readings,
    *,
    step_s: float,
    max_lag_s: float,
    max_gap_s: float,
    min_pairs: int = 10,
    min_r: float = 0.0,
    refine: bool = True,
) -> Lag:
    """The shift at which two series go together best (ours); positive: the second follows."""
    curve = lag_curve(
        a, b, step_s=step_s, max_lag_s=max_lag_s, max_gap_s=max_gap_s, min_pairs=min_pairs
    )
    return best_lag(curve, min_r=min_r, refine=refine)


def best_lag(curve: LagCurve, *, min_r: float = 0.0, refine: bool = True) -> Lag:
    """The best shift of a curve, refined by a parabola; of two as good the one nearer to 0."""
    shifts, r = curve.shift, curve.r
    best = -1
    for at in np.argsort(np.abs(shifts) * 2 + (shifts < 0), kind="stable").tolist():
        if np.isfinite(r[at]) and (best < 0 or r[at] > r[best] + _SAME):
            best = at
    if best < 0:
        return Lag(math.nan, math.nan, 0, False)
    at_edge = best in (0, len(shifts) - 1)
    if not r[best] > min_r + _SAME:
        return Lag(math.nan, float(r[best]), int(curve.n[best]), at_edge)
    part = 0.0
    if refine and not at_edge:
        before, here, after = r[best - 1 : best + 2].tolist()
        bend = before - 2 * here + after
        if bend < 0:
            part = min(0.5, max(-0.5, 0.5 * (before - after) / bend))
    lag = (int(shifts[best]) + part) * curve.step_s
    return Lag(lag, float(r[best]), int(curve.n[best]), at_edge)


def _detrended(value: FloatArray) -> FloatArray:
    at = np.arange(len(value), dtype=np.float64)
    known = np.isfinite(value)
    t, v = (at, value) if known.all() else (at[known], value[known])
    middle, mean = float(t.mean()), float(v.mean())
    t, v = t - middle, v - mean
    slope = inner(t, v) / inner(t, t)
    return value - (mean + slope * (at - middle))


@dataclass(frozen=True, slots=True)
class Agreement:
    """Limits of agreement and how sure they are (Bland & Altman 1986)."""

    bias: float
    sd: float
    lower: float
    upper: float
    se_bias: float
    se_limits: float
    n: int


def limits_of_agreement(a: FloatArray, b: FloatArray, z: float = 1.96) -> Agreement:
    """Between which differences z standard deviations lie; independent pairs are assumed."""
    a, b = pairs_of(a, b)
    n, middle = len(a), bias(a, b)
    if n < 2:
        nan = math.nan
        return Agreement(middle, nan, nan, nan, nan, nan, n)
    sd = float((b - a).std(ddof=1))
    return Agreement(
        middle, sd, middle - z * sd, middle + z * sd, sd / math.sqrt(n), sd * math.sqrt(3 / n), n
    )


@dataclass(frozen=True, slots=True)
class Line:
    """b = gain·a + offset, from n pairs; NaN when unknown."""

    gain: float
    offset: float
    n: int


def deming(a: FloatArray, b: FloatArray, variance_ratio: float = 1.0) -> Line:
    """The line when both sides err (Deming 1943; Cornbleet & Gochman 1979).

    `variance_ratio` is the error variance of b over that of a.
    """
    a, b = pairs_of(a, b)
    n, q = len(a), variance_ratio
    if n < _FEWEST:
        return Line(math.nan, math.nan, n)
    x, y = a - a.mean(), b - b.mean()
    saa, sbb, sab = inner(x, x), inner(y, y), inner(x, y)
    if abs(sab) <= _SAME * math.sqrt(saa * sbb):
        gain = 0.0 if q * saa > sbb else math.nan
    else:
        u = sbb - q * saa
        root = math.sqrt(u * u + 4 * q * sab * sab)
        gain = 2 * q * sab / (root - u) if u < 0 else (u + root) / (2 * sab)
    return Line(gain, float(b.mean()) - gain * float(a.mean()), n)


def theil_sen(a: FloatArray, b: FloatArray, max_n: int = 2000) -> Line:
    """The line of median slope, hardly moved by outliers (Theil 1950, Sen 1968).

    Offset = median(b − gain·a). More than `max_n` pairs are thinned evenly (ours).
    """
    a, b = pairs_of(a, b)
    if len(a) > max_n:
        chosen = np.arange(max_n) * len(a) // max_n
        a, b = a[chosen], b[chosen]
    n = len(a)
    if n < _FEWEST or np.ptp(a) == 0:
        return Line(math.nan, math.nan, n)
    gain = median_of(slopes_of_pairs(a, b))
    return Line(gain, median_of(b - gain * a), n)


def slopes_of_pairs(a: FloatArray, b: FloatArray) -> FloatArray:
    """The slope of every pair whose sides differ in a; a new array."""
    n = len(a)
    slopes = np.empty(n * (n - 1) // 2)
    done = 0
    with np.errstate(divide="ignore", invalid="ignore"):
        for start in range(0, n, _SIDE):
            stop = min(start + _SIDE, n)
            # Some rows with all that come after them are one rectangle; among themselves, a corner.
            rows, columns = np.triu_indices(stop - start, 1)
            corner = slopes[done : done + len(rows)]
            np.divide(
                b[start + columns] - b[start + rows],
                a[start + columns] - a[start + rows],
                out=corner,
            )
            done += len(corner)
            size = (stop - start) * (n - stop)
            rectangle = slopes[done : done + size].reshape(stop - start, n - stop)
            np.subtract(b[stop:], b[start:stop, None], out=rectangle)
            rectangle /= a[stop:] - a[start:stop, None]
            done += size
    if len(np.unique(a)) == n:
        return slopes
    # Pairs level in a have no slope: ±∞ or NaN came of them, in the order of `slopes`.
    level = [
        part
        for start in range(0, n, _SIDE)
        for part in _level_pairs(a, start, min(start + _SIDE, n))
    ]
    return slopes[~np.concatenate(level)]


def _level_pairs(a: FloatArray, start: int, stop: int) -> tuple[BoolArray, BoolArray]:
    """Which pairs of some rows, in the order of `slopes_of_pairs`, are alike in a."""
    rows, columns = np.triu_indices(stop - start, 1)
    return a[start + rows] == a[start + columns], (a[start:stop, None] == a[stop:]).ravel()


@dataclass(frozen=True, slots=True)
class Drift:
    """The change per month of the difference of two series; NaN when unknown."""

    drift_per_month: float
    bias_start: float
    bias_end: float
    span_days: float
    n: int


def drift_per_month(
    time_us: TimeArray, a: FloatArray, b: FloatArray, min_span_days: float = 7.0, max_n: int = 2000
) -> Drift:
    """The median slope of b − a over months of 365.25/12 days (ours; no uncertainty is given)."""
    if not len(time_us) == len(a) == len(b):
        raise ValueError("times and both sides of the pairs are equally many")
    order = np.argsort(time_us, kind="stable")
    both = np.isfinite(a[order]) & np.isfinite(b[order])
    order = order[both]
    times, difference = time_us[order], b[order] - a[order]
    n = len(times)
    span_days = float((times[-1] - times[0]) / DAY_US) if n else math.nan
    if n < _FEWEST or span_days < min_span_days:
        return Drift(math.nan, math.nan, math.nan, span_days, n)
    months = (times - times[0]) / (MONTH_S * SECOND_US)
    line = theil_sen(months, difference, max_n)
    end = line.offset + line.gain * float(months[-1])
    return Drift(line.gain, line.offset, end, span_days, line.n)

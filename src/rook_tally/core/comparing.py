"""Two series side by side (section J of our formulas). Differences are second − first.

Paired values with NaN on either side are left out; fewer than three pairs say nothing (ours).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray, inner
from rook_tally.core.gaps import cleaned, good_rows, microseconds
from rook_tally.core.readings import Readings
from rook_tally.core.timestamps import DAY_US, SECOND_US

MONTH_S = 2_629_800.0
"""365.25/12 days."""
_FEWEST = 3
_SAME = 1e-12
_FLAT = 1e-9


def pairs_of(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The pairs that both sides have; ValueError for different lengths."""
    if len(a) != len(b):
        raise ValueError(f"pairs are equally many on both sides, got {len(a)} and {len(b)}")
    difference = b - a
    # A sum is finite when all of it is.
    if np.isfinite(difference.sum()):
        return a, b
    both = np.isfinite(difference)
    return a[both], b[both]


def _differences(a: FloatArray, b: FloatArray) -> FloatArray:
    """b − a of the pairs that both sides have; a new array."""
    if len(a) != len(b):
        raise ValueError(f"pairs are equally many on both sides, got {len(a)} and {len(b)}")
    difference = b - a
    return difference if np.isfinite(difference.sum()) else difference[np.isfinite(difference)]


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
    rows_a = np.arange(len(a))[good_rows(a)]
    rows_b = np.arange(len(b))[good_rows(b)]
    time_a, time_b = a.time_us[rows_a], b.time_us[rows_b]
    tolerance = microseconds(tolerance_s)
    left, right = np.arange(len(time_a)), np.arange(len(time_b))
    taken: list[IntArray] = []
    while len(left) and len(right):
        to_b, apart = _nearest(time_a[left], time_b[right])
        # What is too far from the nearest left is too far from all: it never finds a partner.
        near = apart <= tolerance
        if not near.any():
            break
        left, to_b = left[near], to_b[near]
        to_a, _ = _nearest(time_b[right], time_a[left])
        both = to_a[to_b] == np.arange(len(left))
        taken.append(np.stack((left[both], right[to_b[both]])))
        free = np.ones(len(right), dtype=np.bool_)
        free[to_b[both]] = False
        left, right = left[~both], right[free]
    pairs = np.concatenate(taken, axis=1) if taken else np.empty((2, 0), dtype=np.int64)
    pairs = pairs[:, np.argsort(pairs[0])]
    dt_us = time_b[pairs[1]] - time_a[pairs[0]]
    return Aligned(rows_a[pairs[0]], rows_b[pairs[1]], dt_us / SECOND_US)


def _nearest(moments: TimeArray, others: TimeArray) -> tuple[IntArray, TimeArray]:
    """Which of the others is nearest to each moment, of two as near the earlier, and how near."""
    after = np.searchsorted(others, moments)
    before = np.maximum(after - 1, 0)
    after = np.minimum(after, len(others) - 1)
    to_before, to_after = np.abs(moments - others[before]), np.abs(others[after] - moments)
    return np.where(to_after < to_before, after, before), np.minimum(to_before, to_after)


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
    x, y = a - a.mean(), b - b.mean()
    power = inner(x, x) * inner(y, y)
    return min(1.0, max(-1.0, inner(x, y) / math.sqrt(power))) if power > 0 else math.nan


def spearman_r(a: FloatArray, b: FloatArray) -> float:
    """Correlation of the ranks, ties sharing their mean rank (Spearman 1904)."""
    a, b = pairs_of(a, b)
    return pearson_r(_ranks(a), _ranks(b))


def _ranks(values: FloatArray) -> FloatArray:
    _, position, count = np.unique(values, return_inverse=True, return_counts=True)
    mean_rank = np.cumsum(count) - (count - 1) / 2
    return np.asarray(mean_rank[position], np.float64)


@dataclass(frozen=True, slots=True)
class Lag:
    """How far the second series is behind the first; NaN and `n` 0 when unknown.

    `at_edge`: the best lies at the end of the search and is no peak; not to be trusted.
    """

    lag_s: float
    r: float
    n: int
    at_edge: bool


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
    """The shift at which two series go together best (ours); positive: the second follows.

    Both are resampled on multiples of `step_s` within their runs, their straight lines taken away,
    and Pearson's r asked for every whole shift; the best one is refined by a parabola.
    """
    unknown = Lag(math.nan, math.nan, 0, False)
    step, farthest = microseconds(step_s), math.floor(max_lag_s / step_s)
    cleaned_a, cleaned_b = cleaned(a), cleaned(b)
    if not len(cleaned_a[0]) or not len(cleaned_b[0]):
        return unknown
    low = min(int(cleaned_a[0][0]), int(cleaned_b[0][0]))
    high = max(int(cleaned_a[0][-1]), int(cleaned_b[0][-1]))
    grid = np.arange(-(-low // step), high // step + 1, dtype=np.int64) * step
    if len(grid) < _FEWEST:
        return unknown
    x, y = (_resampled(one, grid, microseconds(max_gap_s)) for one in (cleaned_a, cleaned_b))
    if min(np.isfinite(x).sum(), np.isfinite(y).sum()) < _FEWEST:
        return unknown
    size_x, size_y = float(np.nanmax(np.abs(x))), float(np.nanmax(np.abs(y)))
    x, y = _detrended(x), _detrended(y)
    shifts = np.arange(-farthest, farthest + 1)
    counts = np.array([_overlap(x, y, k)[0].size for k in shifts.tolist()])
    fewest = max(min_pairs, _FEWEST, counts.max(initial=0) / 2)
    r = np.full(len(shifts), np.nan)
    for at in np.flatnonzero(counts >= fewest).tolist():
        left, right = _overlap(x, y, int(shifts[at]))
        if np.ptp(left) > _FLAT * size_x and np.ptp(right) > _FLAT * size_y:
            r[at] = pearson_r(left, right)
    best = -1
    for at in np.argsort(np.abs(shifts) * 2 + (shifts < 0), kind="stable").tolist():
        if np.isfinite(r[at]) and (best < 0 or r[at] > r[best] + _SAME):
            best = at
    if best < 0:
        return unknown
    at_edge = abs(int(shifts[best])) == farthest
    if not r[best] > min_r + _SAME:
        return Lag(math.nan, float(r[best]), int(counts[best]), at_edge)
    part = 0.0
    if refine and not at_edge:
        before, here, after = r[best - 1 : best + 2].tolist()
        bend = before - 2 * here + after
        if bend < 0:
            part = min(0.5, max(-0.5, 0.5 * (before - after) / bend))
    return Lag((int(shifts[best]) + part) * step_s, float(r[best]), int(counts[best]), at_edge)


def _resampled(
    series: tuple[TimeArray, FloatArray], grid: TimeArray, max_gap_us: int
) -> FloatArray:
    time_us, value = series
    right = np.clip(np.searchsorted(time_us, grid), 0, len(time_us) - 1)
    left = np.maximum(right - 1, 0)
    exact = time_us[right] == grid
    between = (time_us[left] < grid) & (grid < time_us[right])
    between &= time_us[right] - time_us[left] <= max_gap_us
    width = np.maximum(time_us[right] - time_us[left], 1)
    share = (grid - time_us[left]) / width
    line = value[left] + share * (value[right] - value[left])
    return np.where(exact, value[right], np.where(between, line, np.nan))


def _detrended(value: FloatArray) -> FloatArray:
    at = np.arange(len(value), dtype=np.float64)
    known = np.isfinite(value)
    t, v = at[known] - at[known].mean(), value[known] - value[known].mean()
    slope = inner(t, v) / inner(t, t)
    line: FloatArray = value[known].mean() + slope * (at - at[known].mean())
    return value - line


def _overlap(x: FloatArray, y: FloatArray, k: int) -> tuple[FloatArray, FloatArray]:
    """x[i] with y[i+k] where both exist."""
    if abs(k) >= len(x):
        return x[:0], y[:0]
    left, right = (x[: len(x) - k], y[k:]) if k >= 0 else (x[-k:], y[: len(y) + k])
    both = np.isfinite(left) & np.isfinite(right)
    return left[both], right[both]


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
        middle, sd, middle - z * sd, middle + z * sd,
        sd / math.sqrt(n), sd * math.sqrt(3 / n), n,
    )  # fmt: skip


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
    gain = float(np.median(_slopes_of_pairs(a, b), overwrite_input=True))
    return Line(gain, float(np.median(b - gain * a)), n)


def _slopes_of_pairs(a: FloatArray, b: FloatArray) -> FloatArray:
    """The slope of every pair whose sides differ in a; a new array."""
    n = len(a)
    slopes = np.empty(n * (n - 1) // 2)
    done = 0
    # At a distance in the list all pairs are one difference of two slices.
    for distance in range(1, n):
        part = slopes[done : done + n - distance]
        with np.errstate(divide="ignore", invalid="ignore"):
            np.divide(b[distance:] - b[:-distance], a[distance:] - a[:-distance], out=part)
        level = a[distance:] == a[:-distance]
        if level.any():
            part = part[~level]
            slopes[done : done + len(part)] = part
        done += len(part)
    return slopes[:done]


@dataclass(frozen=True, slots=True)
class Drift:
    """How the difference of two series changes by the month; NaN when unknown."""

    drift_per_month: float
    bias_start: float
    bias_end: float
    span_days: float
    n: int


def drift_per_month(
    time_us: TimeArray,
    a: FloatArray,
    b: FloatArray,
    min_span_days: float = 7.0,
    max_n: int = 2000,
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

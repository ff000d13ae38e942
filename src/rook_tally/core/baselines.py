"""Usual level, spread and spells of irregular readings (section I of our formulas)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.faults import MAD_TO_SIGMA
from rook_tally.core.gaps import cleaned, good_rows, microseconds
from rook_tally.core.readings import Readings
from rook_tally.core.rolling import OrderStatistics, is_rising
from rook_tally.core.timestamps import DAY_US, SECOND_US

MEAN_DEVIATION_TO_SIGMA = float(np.sqrt(np.pi / 2))
"""√(π/2): a normal law's deviation by its mean absolute deviation."""
_ROUNDING = 1e-12
_FEWEST_FOR_Z = 3


def rolling_median_baseline(
    readings: Readings, *, window_s: float, mode: str = "centred", min_count: int = 3
) -> FloatArray:
    """Median of the good readings around (or before) each reading; (N,) float64 (ours).

    Centred: |t_j − t_i| ≤ window/2; trailing: t_i − window < t_j ≤ t_i. NaN for fewer than
    `min_count`. Gaps do not cut the window. ValueError for another mode.
    """
    if mode not in ("centred", "trailing"):
        raise ValueError(f"mode is centred or trailing, got {mode!r}")
    time_us, value = cleaned(readings)
    if mode == "centred":
        # Twice the distance against the window: half an odd number of microseconds is no time.
        half = microseconds(window_s) // 2
        first = np.searchsorted(time_us, readings.time_us - half, side="left")
        after = np.searchsorted(time_us, readings.time_us + half, side="right")
    else:
        first = np.searchsorted(time_us, readings.time_us - microseconds(window_s), side="right")
        after = np.searchsorted(time_us, readings.time_us, side="right")
    return OrderStatistics(value).median(first, after, fewest=min_count)


def robust_z(readings: Readings, baseline: FloatArray | float | None = None) -> FloatArray:
    """How many robust spreads each good reading is from the middle of all; (N,) float64.

    r = value − baseline, z = (r − median r)/(1.4826·MAD): Hampel 1974; Iglewicz & Hoaglin 1993.
    With MAD 0 the spread is √(π/2) times the mean deviation, with that 0 as well z is 0 (ours). NaN
    for rows that are not good or have no baseline, and for fewer than three.
    """
    level = np.broadcast_to(np.float64(0.0 if baseline is None else baseline), len(readings))
    used = readings.good & np.isfinite(level)
    result = np.full(len(readings), np.nan)
    if np.count_nonzero(used) < _FEWEST_FOR_Z:
        return result
    r = readings.value[used] - level[used]
    away = r - np.median(r)
    nothing = _ROUNDING * float(np.abs(readings.value[used]).max())
    spread = MAD_TO_SIGMA * float(np.median(np.abs(away)))
    if spread <= nothing:
        spread = MEAN_DEVIATION_TO_SIGMA * float(np.abs(away).mean())
    result[used] = away / spread if spread > nothing else 0.0
    return result


@dataclass(frozen=True, slots=True)
class Spell:
    """A stretch over a threshold: its peak, the area over the baseline, unit·h, and whether its
    true extent is unknown at either end."""

    start_us: int
    end_us: int
    peak: float
    peak_us: int
    area_h: float
    cut_start: bool
    cut_end: bool


@dataclass(frozen=True, slots=True)
class _Excess:
    """Good rows with a baseline: how far each is beyond it, in runs."""

    time_us: TimeArray
    value: FloatArray
    e: FloatArray
    run: IntArray


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
) -> list[Spell]:
    """Stretches in which the straight line through a run is beyond baseline + threshold (ours).

    Ends are the crossings, rounded to the microsecond; at a run's edge the reading itself, marked
    as cut; a lone reading stands for one cadence. Neighbours of a run at most `merge_s` apart are
    one, then those shorter than `min_length_s` are dropped. ValueError for another direction.
    """
    if direction not in ("above", "below"):
        raise ValueError(f"direction is above or below, got {direction!r}")
    x = _excess(readings, baseline, 1.0 if direction == "above" else -1.0, max_gap_s)
    if not len(x.e):
        return []
    over = x.e > threshold
    joined = np.diff(x.run) == 0
    goes_on = over[1:] & over[:-1] & joined
    first = np.flatnonzero(over & ~np.concatenate(([False], goes_on)))
    last = np.flatnonzero(over & ~np.concatenate((goes_on, [False])))
    if not len(first):
        return []
    start, cut_start = _edge(x, threshold, first, -1)
    end, cut_end = _edge(x, threshold, last, +1)
    # From the first time on: float seconds since 1970 would lose microseconds.
    lone = (start == end) & cut_start & cut_end & _is_lone(x, first)
    end = np.where(lone, start + microseconds(cadence_s), end)
    merge_us, least_us = merge_s * SECOND_US, min_length_s * SECOND_US
    apart = np.concatenate((
        [True],
        (x.run[first[1:]] != x.run[last[:-1]]) | (start[1:] - end[:-1] > merge_us),
    ))  # fmt: skip
    head, tail = np.flatnonzero(apart), np.append(np.flatnonzero(apart)[1:], len(first)) - 1
    start, cut_start, first = start[head], cut_start[head], first[head]
    end, cut_end, last, lone = end[tail], cut_end[tail], last[tail], lone[head]
    long = end - start >= least_us
    area = _areas(x, start, end, lone, cadence_s)
    peak = _peaks(x, first, last)
    base_us = int(x.time_us[0])
    return [
        Spell(
            base_us + _half_up(start[i]), base_us + _half_up(end[i]), float(x.value[peak[i]]),
            int(x.time_us[peak[i]]), float(area[i]), bool(cut_start[i]), bool(cut_end[i]),
        )
        for i in np.flatnonzero(long).tolist()
    ]  # fmt: skip


def _half_up(us: float) -> int:
    return int(np.floor(us + 0.5))


def _excess(
    readings: Readings, baseline: FloatArray | float | None, sign: float, max_gap_s: float
) -> _Excess:
    level = np.broadcast_to(np.float64(0.0 if baseline is None else baseline), len(readings))
    source = good_rows(readings, also=np.isfinite(level))
    time_us, value = readings.time_us[source], readings.value[source]
    gaps = np.diff(time_us) > microseconds(max_gap_s)
    run = np.concatenate(([0], np.cumsum(gaps)))[: len(time_us)].astype(np.int64)
    return _Excess(time_us, value, sign * (value - level[source]), run)


def _edge(x: _Excess, threshold: float, inner: IntArray, side: int) -> tuple[FloatArray, BoolArray]:
    """Where the line crosses the threshold next to readings over it; µs since the first reading."""
    moments = (x.time_us - x.time_us[0]).astype(np.float64)
    outer = np.clip(inner + side, 0, len(x.e) - 1)
    cut = (outer == inner) | (x.run[outer] != x.run[inner])
    with np.errstate(divide="ignore", invalid="ignore"):
        share = (x.e[inner] - threshold) / (x.e[inner] - x.e[outer])
        crossing = moments[inner] + share * (moments[outer] - moments[inner])
    return np.where(cut, moments[inner], crossing), cut


def _is_lone(x: _Excess, at: IntArray) -> BoolArray:
    alone = np.concatenate(([True], np.diff(x.run) != 0))
    alone &= np.concatenate((np.diff(x.run) != 0, [True]))
    return np.asarray(alone[at], np.bool_)


def _areas(
    x: _Excess, start: FloatArray, end: FloatArray, lone: BoolArray, cadence_s: float
) -> FloatArray:
    """Integral of max(e, 0) over each [start, end], unit·h, crossings of zero exact."""
    moments = (x.time_us - x.time_us[0]).astype(np.float64)
    a, b = x.e[:-1], x.e[1:]
    width = np.where(np.diff(x.run) == 0, np.diff(moments), 0.0)
    upto = np.concatenate(([0.0], np.cumsum(_positive_area(a, b, width))))

    def integral(at: FloatArray) -> FloatArray:
        left = np.clip(np.searchsorted(moments, at, side="right") - 1, 0, len(moments) - 1)
        right = np.minimum(left + 1, len(moments) - 1)
        part = at - moments[left]
        with np.errstate(divide="ignore", invalid="ignore"):
            rise = (x.e[right] - x.e[left]) / (moments[right] - moments[left])
            slope = np.where(right > left, rise, 0.0)
        inside = (part > 0) & (x.run[right] == x.run[left]) & (right > left)
        there = x.e[left] + slope * part
        return upto[left] + np.where(inside, _positive_area(x.e[left], there, part), 0.0)

    area = (integral(end) - integral(start)) / SECOND_US / 3600
    left = np.clip(np.searchsorted(moments, start, side="right") - 1, 0, len(moments) - 1)
    return np.where(lone, np.maximum(x.e[left], 0) * cadence_s / 3600, area)


def _positive_area(a: FloatArray, b: FloatArray, width: FloatArray) -> FloatArray:
    high, low = np.maximum(a, b), np.minimum(a, b)
    with np.errstate(divide="ignore", invalid="ignore"):
        triangle = high * high / (2 * (high - low))
    area = np.where(low >= 0, (a + b) / 2, np.where(high > 0, triangle, 0.0))
    return np.asarray(area * width)


def _peaks(x: _Excess, first: IntArray, last: IntArray) -> IntArray:
    """Position of the greatest excess of each stretch [first, last], the earliest of equals."""
    # Reduced over pairs of bounds; what lies between two stretches falls into odd parts.
    best = np.maximum.reduceat(
        np.append(x.e, -np.inf), np.stack((first, last + 1), axis=1).ravel()
    )[::2]
    stretch = np.zeros(len(x.e) + 1, dtype=np.int64)
    np.add.at(stretch, first, 1)
    np.add.at(stretch, last + 1, -1)
    inside = np.cumsum(stretch[:-1]) > 0
    number = np.searchsorted(first, np.arange(len(x.e)), side="right") - 1
    is_best = inside & (x.e == best[np.maximum(number, 0)])
    at = np.flatnonzero(is_best)
    return at[np.searchsorted(number[at], np.arange(len(first)), side="left")]


@dataclass(frozen=True, slots=True)
class Usual:
    """What was usual before each of N readings, how widely it spread, and how far off each is."""

    usual: FloatArray
    spread: FloatArray
    z: FloatArray


def usual_level(
    readings: Readings,
    *,
    window_s: float,
    min_spread: float,
    exclude_s: float = 0.0,
    min_count: int = 20,
    tod_half_width_s: float | None = None,
) -> Usual:
    """Usual level by the good readings that arrived earlier, in order of arrival (ours).

    Of those with t − exclude − window ≤ t_j < t − exclude, and with `tod_half_width_s` of a like
    time of day: usual = median, spread = max(1.4826·MAD, min_spread), z = (v − usual)/spread. NaN
    for fewer than `min_count`; z NaN for rows that are not good. ValueError unless min_spread > 0.
    """
    if not min_spread > 0:
        raise ValueError(f"min_spread must be over 0, got {min_spread}")
    good = np.flatnonzero(readings.good)
    time_us, value = readings.time_us[good], readings.value[good]
    begin = readings.time_us - microseconds(exclude_s) - microseconds(window_s)
    end = readings.time_us - microseconds(exclude_s)
    begins, ends = _stretches(readings.time_us, begin, end, window_s, exclude_s, tod_half_width_s)
    arrived = np.searchsorted(good, np.arange(len(readings)))
    first, after = _positions(time_us, begins, ends, arrived)
    window = OrderStatistics(value)
    usual = window.median(first, after, fewest=min_count)
    centre = np.where(np.isfinite(usual), usual, 0.0)
    deviation = window.median_deviation(first, after, centre, fewest=min_count)
    spread = np.where(np.isfinite(usual), np.maximum(MAD_TO_SIGMA * deviation, min_spread), np.nan)
    z = np.where(readings.good, (readings.value - usual) / spread, np.nan)
    return Usual(usual, spread, z)


def _stretches(
    moment: TimeArray,
    begin: TimeArray,
    end: TimeArray,
    window_s: float,
    exclude_s: float,
    half_s: float | None,
) -> tuple[TimeArray, TimeArray]:
    """(N, D) half-open stretches of time that make up each window."""
    if half_s is None or microseconds(half_s) * 2 >= DAY_US:
        return begin[:, None], end[:, None]
    half = microseconds(half_s)
    latest = int(microseconds(exclude_s) // DAY_US)
    earliest = int((microseconds(exclude_s) + microseconds(window_s)) // DAY_US) + 1
    days = np.arange(earliest, latest - 1, -1) * DAY_US
    around = moment[:, None] - days
    return (
        np.maximum(around - half, begin[:, None]),
        np.minimum(around + half + 1, end[:, None]),
    )


def _positions(
    time_us: TimeArray, begins: TimeArray, ends: TimeArray, arrived: IntArray
) -> tuple[IntArray, IntArray]:
    """Positions (N, D·R) of windows among good readings, of which `arrived` had come before.

    Where a clock was set back, the readings fall into R parts that rise.
    """
    if is_rising(time_us):
        first = np.searchsorted(time_us, begins)
        after = np.minimum(np.searchsorted(time_us, ends), arrived[:, None])
        return first, after
    bounds = np.concatenate(([0], np.flatnonzero(np.diff(time_us) < 0) + 1, [len(time_us)]))
    firsts, afters = [], []
    for start, stop in zip(bounds[:-1].tolist(), bounds[1:].tolist(), strict=True):
        part = time_us[start:stop]
        firsts.append(start + np.searchsorted(part, begins))
        afters.append(np.minimum(start + np.searchsorted(part, ends), arrived[:, None]))
    return np.concatenate(firsts, axis=1), np.concatenate(afters, axis=1)

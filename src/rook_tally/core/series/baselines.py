"""Usual level and spread of irregular readings (section I of our formulas)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray, median_of
from rook_tally.core.series.gaps import cleaned, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.rolling import OrderStatistics, is_rising
from rook_tally.core.series.sensor_faults import MAD_TO_SIGMA
from rook_tally.core.timestamps import DAY_US

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
    """Distance of each good reading from the median, in robust spreads; (N,) float64.

    r = value − baseline, z = (r − median r)/(1.4826·MAD): Hampel 1974; Iglewicz & Hoaglin 1993.
    With MAD 0 the spread is √(π/2) times the mean deviation, with that 0 as well z is 0 (ours). NaN
    for rows that are not good or have no baseline, and for fewer than three.
    """
    used: BoolArray | slice = slice(None) if readings.are_all_good else readings.good
    level = None
    if baseline is not None:
        level = np.broadcast_to(np.float64(baseline), len(readings))
        used = readings.good & np.isfinite(level)
    value = readings.value[used]
    result = np.full(len(readings), np.nan)
    if len(value) < _FEWEST_FOR_Z:
        return result
    r = value if level is None else value - level[used]
    away = r - median_of(r.copy())
    size = np.abs(away)
    nothing = _ROUNDING * max(float(value.max()), -float(value.min()))
    spread = MAD_TO_SIGMA * median_of(size)
    if spread <= nothing:
        spread = MEAN_DEVIATION_TO_SIGMA * float(size.mean())
    result[used] = away / spread if spread > nothing else 0.0
    return result


@dataclass(frozen=True, slots=True)
class Baseline:
    """Median and spread of the readings before each of N readings, and each one's distance from
    them."""

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
) -> Baseline:
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
    usual, spread = usual_spread(OrderStatistics(value), first, after, min_spread, min_count)
    z = np.where(readings.good, (readings.value - usual) / spread, np.nan)
    return Baseline(usual, spread, z)


def usual_spread(
    order: OrderStatistics, first: IntArray, after: IntArray, min_spread: float, min_count: int = 1
) -> tuple[FloatArray, FloatArray]:
    """Median of the values in each window, and max(1.4826·MAD, min_spread); NaN for fewer than
    `min_count`."""
    usual = order.median(first, after, fewest=min_count)
    centre = np.nan_to_num(usual)
    deviation = order.median_deviation(first, after, centre, fewest=min_count)
    spread = np.where(np.isfinite(usual), np.maximum(MAD_TO_SIGMA * deviation, min_spread), np.nan)
    return usual, spread


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
    return (np.maximum(around - half, begin[:, None]), np.minimum(around + half + 1, end[:, None]))


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

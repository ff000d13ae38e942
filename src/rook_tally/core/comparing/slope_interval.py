"""The line of median slope over time with Sen's interval: of a drift, of a battery."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray, median_of
from rook_tally.core.comparing.intervals import checked_confidence, normal_quantile
from rook_tally.core.comparing.paired_comparison import MONTH_S, slopes_of_pairs
from rook_tally.core.timestamps import DAY_US, SECOND_US

_FEWEST = 3


class SlopeInterval(msgspec.Struct, frozen=True):
    """Median slope a unit of x, its interval, and the line's offset at x = 0; NaN if unknown."""

    slope: float
    low: float
    high: float
    offset: float


def thinned(count: int, max_n: int) -> slice | np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Which of `count` rows to take so that at most `max_n` remain, evenly."""
    return slice(None) if count <= max_n else np.arange(max_n) * count // max_n


def sen_slope(x: FloatArray, y: FloatArray, *, confidence: float) -> SlopeInterval:
    """Theil's and Sen's line through (N,) points and Sen's interval of its slope (Sen 1968).

    Equal x are taken account of, equal y are not, which makes the interval wider. Fewer than five
    points have no interval of 95 %.
    """
    n = len(x)
    nan = math.nan
    if n < _FEWEST or float(np.ptp(x)) == 0:
        return SlopeInterval(nan, nan, nan, nan)
    slopes = slopes_of_pairs(x, y)
    count = len(slopes)
    slope = median_of(slopes)
    _, same = np.unique(x, return_counts=True)
    ties = float((same * (same - 1.0) * (2.0 * same + 5.0)).sum())
    variance = (n * (n - 1.0) * (2.0 * n + 5.0) - ties) / 18.0
    rank = math.floor((count - normal_quantile(confidence) * math.sqrt(variance)) / 2 + 0.5)
    low = high = nan
    if rank >= 1:
        slopes.partition((rank - 1, count - rank))
        low, high = float(slopes[rank - 1]), float(slopes[count - rank])
    return SlopeInterval(slope, low, high, median_of(y - slope * x))


class DriftInterval(msgspec.Struct, frozen=True):
    """The change of a difference a month of 365.25/12 days, with its interval; NaN if unknown."""

    drift_per_month: float
    low: float
    high: float
    span_days: float
    n: int


def drift_interval(
    time_us: TimeArray,
    a: FloatArray,
    b: FloatArray,
    *,
    confidence: float = 0.95,
    min_span_days: float = 7.0,
    max_n: int = 2000,
) -> DriftInterval:
    """How b − a drifts. Pass one value a day or a week: neighbouring readings are not independent
    and make the interval far too narrow. A season can look like drift."""
    checked_confidence(confidence)
    if not len(time_us) == len(a) == len(b):
        raise ValueError("times and both sides of the pairs are equally many")
    order = np.argsort(time_us, kind="stable")
    difference = b[order] - a[order]
    known = np.isfinite(difference)
    times, difference = time_us[order][known], difference[known]
    n = len(times)
    span_days = float((times[-1] - times[0]) / DAY_US) if n else math.nan
    if n < _FEWEST or span_days < min_span_days:
        return DriftInterval(math.nan, math.nan, math.nan, span_days, n)
    chosen = thinned(n, max_n)
    months = (times - times[0]) / (MONTH_S * SECOND_US)
    line = sen_slope(months[chosen], difference[chosen], confidence=confidence)
    return DriftInterval(line.slope, line.low, line.high, span_days, n)

"""Spans of one series compared with a base span: how much higher, how many times, how sure.

Readings that follow one another closely say much the same, so that a thousand of them are worth
far fewer independent ones. The standard error of a mean is therefore taken with the *effective*
number of readings n·(1−r)/(1+r), r being the correlation of neighbours (Bartlett 1946; von Storch &
Zwiers, Statistical Analysis in Climate Research, 1999, section 6.6.8).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.quantities.averaging import Averaging, change, unwound
from rook_tally.core.series.gaps import cleaned
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.statistics import Window, mean_of, pieces_of, std_of

SURE = 1.96
"""Half the width of a 95 % interval, in standard errors."""
_FEWEST_READINGS = 3


@dataclass(frozen=True, slots=True)
class SpanFigures:
    """One span of a series, in the base unit; NaN where nothing is known.

    Attributes
    ----------
    count : int
        Good readings.
    mean, spread : float
        Time-weighted mean and standard deviation.
    peak : float
        Highest reading.
    mean_error : float
        Standard error of the mean.
    """

    count: int
    mean: float
    spread: float
    peak: float
    mean_error: float


@dataclass(frozen=True, slots=True)
class Compared:
    """A span against the base span. The intervals are 95 %, half their width.

    `is_sure` says whether the difference stands out from its own uncertainty and from what the
    sensor can tell.
    """

    ratio: float
    ratio_within: float
    difference: float
    difference_within: float
    is_sure: bool


def figures_of_span(
    readings: Readings,
    *,
    max_gap_s: float,
    cadence_s: float,
    window: Window,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> SpanFigures:
    """Figures of a window; pass readings from a gap's length before it to as long after it."""
    time_us, value = cleaned(readings)
    start = 0 if window.start_us is None else int(np.searchsorted(time_us, window.start_us))
    stop = len(time_us) if window.end_us is None else int(np.searchsorted(time_us, window.end_us))
    inside = value[start:stop]
    pieces = pieces_of(
        readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window, averaging=averaging
    )
    return SpanFigures(
        len(inside),
        mean_of(pieces),
        std_of(pieces),
        float(inside.max()) if len(inside) else math.nan,
        standard_error(unwound(inside) if averaging is Averaging.CIRCULAR else inside),
    )


def effective_count(value: FloatArray) -> float:
    """Number of independent readings that (N,) correlated readings are worth; between 1 and N."""
    count = len(value)
    if count < _FEWEST_READINGS:
        return float(count)
    centred = value - value.mean()
    power = float((centred**2).sum())
    if power <= 1e-18 * max(1.0, float((value**2).sum())):
        return float(count)
    r = max(0.0, float((centred[1:] * centred[:-1]).sum()) / power)
    return max(1.0, count * (1 - r) / (1 + r))


def standard_error(value: FloatArray) -> float:
    """Standard error of the mean of (N,) readings in a row; NaN for fewer than three."""
    if len(value) < _FEWEST_READINGS:
        return math.nan
    return float(value.std(ddof=1)) / math.sqrt(effective_count(value))


def compared(
    span: SpanFigures,
    base: SpanFigures,
    *,
    accuracy: float,
    averaging: Averaging = Averaging.ARITHMETIC,
    true_zero: bool = True,
) -> Compared:
    """A span against the base; the ratio's error by propagation (GUM, JCGM 100:2008, 5.1.2).

    Without a true zero there is no ratio: NaN.
    """
    difference = change(averaging, base.mean, span.mean)
    within = SURE * math.hypot(span.mean_error, base.mean_error)
    ratio, ratio_within = math.nan, math.nan
    if true_zero and base.mean and math.isfinite(base.mean):
        ratio = span.mean / base.mean
        if span.mean:
            shares = math.hypot(span.mean_error / span.mean, base.mean_error / base.mean)
            ratio_within = SURE * abs(ratio) * shares
    # One sensor against itself: half of what it can tell is the least that means anything.
    is_sure = bool(abs(difference) > within and abs(difference) > accuracy / 2)
    return Compared(ratio, ratio_within, difference, within, is_sure)


@dataclass(frozen=True, slots=True)
class Distribution:
    """Shares of readings in bins of equal width over [low, high]: (S, B) float64, a row a span.

    Each row adds up to 1, or to 0 for a span without a reading.
    """

    low: float
    high: float
    shares: FloatArray


def distributions(values: Sequence[FloatArray], bins: int) -> Distribution:
    """Histograms of the readings of several spans over shared bins.

    Parameters
    ----------
    values : sequence of (N,) float64
        Good readings of each span.
    """
    heard = [one for one in values if len(one)]
    if not heard:
        return Distribution(0.0, 1.0, np.zeros((len(values), bins)))
    low, high = min(float(one.min()) for one in heard), max(float(one.max()) for one in heard)
    if high <= low:
        margin = max(abs(low) * 0.01, 0.5)
        low, high = low - margin, high + margin
    counted = [np.histogram(one, bins, (low, high))[0] / max(len(one), 1) for one in values]
    return Distribution(low, high, np.asarray(counted, np.float64).reshape(len(values), bins))

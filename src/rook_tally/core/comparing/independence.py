"""How many independent readings dependent ones are worth, and what their means then tell
(section N of our formulas).

Readings that follow one another say much the same: a thousand of them are worth far fewer, and an
interval that takes them for a thousand is far too narrow.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, are_finite, finite_of, inner
from rook_tally.core.comparing.intervals import checked_confidence, student_quantile

_FEWEST = 3
_FEWEST_NEIGHBOURS = 2
_CONSTANT = 1e-12


class EffectiveCount(msgspec.Struct, frozen=True):
    """Known values, the correlation of neighbours, and how many independent ones they are worth."""

    n: int
    r1: float
    n_eff: float


def effective_n(values: FloatArray) -> EffectiveCount:
    """Count what (N,) values, evenly spaced in time and NaN where missing, are worth.

    n·(1−r1)/(1+r1) of a first-order process (Bayley & Hammersley 1946), r1 = r + (1 + 3r)/n without
    the small-sample bias (Kendall 1954; Marriott & Pope 1954). Unknown for fewer than three values
    or two neighbours, and for a constant. A trend counts as dependence.
    """
    known = np.isfinite(values)
    n = int(np.count_nonzero(known))
    unknown = EffectiveCount(n, math.nan, math.nan)
    both = known[1:] & known[:-1]
    pairs = int(np.count_nonzero(both))
    if n < _FEWEST or pairs < _FEWEST_NEIGHBOURS:
        return unknown
    told = values if n == len(values) else values[known]
    centred = values - told.mean()
    away = centred if n == len(values) else centred[known]
    if float(np.abs(away).max()) <= _CONSTANT * float(np.abs(told).max()):
        return unknown
    power = inner(away, away) / n
    if power == 0:
        # Smaller than a double can square.
        return unknown
    products = centred[1:] * centred[:-1]
    r = float(products[both].sum()) / pairs / power
    r1 = min(1.0, max(-1.0, r + (1.0 + 3.0 * r) / n))
    n_eff = n * (1.0 - r1) / (1.0 + r1) if r1 > -1.0 else math.inf
    return EffectiveCount(n, r1, min(float(n), max(1.0, n_eff)))


class MeanDifference(msgspec.Struct, frozen=True):
    """mean b − mean a with its interval; `low`, `high` and `df` are NaN where it is unknown."""

    difference: float
    low: float
    high: float
    mean_a: float
    mean_b: float
    n_eff_a: float
    n_eff_b: float
    df: float


def mean_difference_interval(
    a: FloatArray, b: FloatArray, *, confidence: float = 0.95
) -> MeanDifference:
    """Compare the means of two evenly spaced stretches, which are no pairs.

    The variance of a mean is (mean d²)/(n_eff − 1), the degrees of freedom are Welch's and
    Satterthwaite's (1947, 1946) with n_eff. A side worth fewer than two gives no interval.
    """
    checked_confidence(confidence)
    (mean_a, variance_a, n_a), (mean_b, variance_b, n_b) = _mean_of(a), _mean_of(b)
    difference, df, half = mean_b - mean_a, math.nan, math.nan
    variance = variance_a + variance_b
    if math.isfinite(variance) and variance > 0:
        parts = variance_a**2 / (n_a - 1.0) + variance_b**2 / (n_b - 1.0)
        df = variance**2 / parts
        half = student_quantile(confidence, df) * math.sqrt(variance)
    return MeanDifference(
        difference, difference - half, difference + half, mean_a, mean_b, n_a, n_b, df
    )


def _mean_of(values: FloatArray) -> tuple[float, float, float]:
    """Mean, variance of the mean, and n_eff; NaN where unknown."""
    told = values[np.isfinite(values)]
    mean = float(told.mean()) if len(told) else math.nan
    n_eff = effective_n(values).n_eff
    if not n_eff >= 2.0:
        return mean, math.nan, n_eff
    away = told - mean
    return mean, inner(away, away) / len(told) / (n_eff - 1.0), n_eff


class SureMean(msgspec.Struct, frozen=True):
    """A mean of dependent values, half its interval, and how many independent ones they are worth.

    `within` is NaN, and `independent` 0, where nothing can be said of how sure it is.
    """

    mean: float
    within: float
    independent: float


_BATCHES = 32
# With fewer an interval of 95 % was seen to hold the truth in 90 % of cases.
_FEWEST_INDEPENDENT = 4.0


def sure_mean(values: FloatArray, *, confidence: float = 0.95) -> SureMean:
    """The mean of (N,) values evenly spaced in time, NaN where missing, and how sure it is.

    The values are put together into some thirty batches, whose means `effective_n` then weighs:
    the correlation of neighbours alone would take a slow wander under quick noise for independent
    readings (batch means; e.g. Law & Kelton, Simulation Modeling and Analysis). A wander slower
    than a thirtieth of the whole is what the correlation of the batches is for.
    """
    checked_confidence(confidence)
    told = finite_of(values)
    count = len(told)
    if not count:
        return SureMean(math.nan, math.nan, 0.0)
    mean = float(told.mean())
    batches = batch_means(values, max(1, -(-len(values) // _BATCHES)))
    weighed = effective_n(batches)
    if not weighed.n_eff >= _FEWEST_INDEPENDENT:
        return SureMean(mean, math.nan, 0.0)
    away = batches[np.isfinite(batches)]
    away = away - away.mean()
    variance = inner(away, away) / len(away) / (weighed.n_eff - 1.0)
    if variance <= 0:
        return SureMean(mean, math.nan, 0.0)
    within = student_quantile(confidence, weighed.n_eff - 1.0) * math.sqrt(variance)
    centred = told - mean
    spread = inner(centred, centred) / count
    return SureMean(mean, within, min(float(count), max(weighed.n_eff, spread / variance)))


def batch_means(values: FloatArray, size: int) -> FloatArray:
    """Means of `size` neighbouring values each, (⌈N/size⌉,); NaN where less than half is known."""
    count = -(-len(values) // size)
    if len(values) and are_finite(values):
        starts = np.arange(count) * size
        lengths = np.diff(np.append(starts, len(values)))
        told = np.add.reduceat(values, starts) / lengths
        return np.where(lengths * 2 >= size, told, np.nan)
    padded = np.full(count * size, np.nan)
    padded[: len(values)] = values
    rows = padded.reshape(count, size)
    known = np.isfinite(rows)
    heard = np.count_nonzero(known, axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(known, rows, 0.0).sum(axis=1) / heard
    return np.where(heard * 2 >= size, mean, np.nan)

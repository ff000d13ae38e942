"""Two sensors side by side: how much the second reads off the first, and how sure that is.

Everything is second − first, in the base unit. Formulas of section J and N; every interval is one
of 95 % and takes account of readings that follow one another and say much the same.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray, inner
from rook_tally.core.comparing.independence import SureMean, batch_means, effective_n, sure_mean
from rook_tally.core.comparing.intervals import student_quantile
from rook_tally.core.comparing.paired_cells import (
    ENOUGH,
    Cells,
    PairInput,
    Pairs,
    begin_between,
    by_cell,
    paired,
)
from rook_tally.core.comparing.paired_comparison import Line, best_lag, lag_curve, theil_sen
from rook_tally.core.comparing.slope_interval import DriftInterval, drift_interval
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.timestamps import DAY_US, SECOND_US

_SECTIONS = 6

_SECTION_STEPS = 600

_LAG_STEPS = 8

_FOLDS = 20

# And so many pairs, taken evenly, a correlation and a spread.
SAMPLE = 20_000

_FEWEST_DAYS = 5


class SureLine(msgspec.Struct, frozen=True):
    """second = gain·first + offset, with half the interval of the gain; NaN where unknown."""

    gain: float
    gain_within: float
    offset: float


class SureLag(msgspec.Struct, frozen=True):
    """How far the second follows the first, half its interval, and the curve it was read off.

    `lag_s` is NaN where there is no peak; `shift_s` and `r`: (K,) of the curve drawn.
    """

    lag_s: float
    within_s: float
    shift_s: FloatArray
    r: FloatArray


class SideBySide(msgspec.Struct, frozen=True):
    """All that two series beside each other tell.

    `time_us`, `first`, `second`: the (P,) pairs, no further apart than `tolerance_s`.
    `sd`, `low`, `high`: spread of the differences and the 95 % limits of agreement, with
    `limits_within` half their own interval. `line` is Deming's, `robust` the Theil–Sen line.
    `heard`: the share of the window in which both were heard.
    """

    time_us: TimeArray
    first: FloatArray
    second: FloatArray
    difference: SureMean
    sd: float
    low: float
    high: float
    limits_within: float
    line: SureLine
    robust: Line
    lag: SureLag
    drift: DriftInterval
    bias_start: float
    bias_end: float
    correlation: float
    heard: float
    tolerance_s: float

    @property
    def differences(self) -> FloatArray:
        """(P,) second − first."""
        return self.second - self.first

    def without_pairs(self) -> SideBySide:
        """The figures alone: what goes from one process to another."""
        nothing = np.empty(0)
        return msgspec.structs.replace(
            self, time_us=np.empty(0, np.int64), first=nothing, second=nothing
        )


def side_by_side(
    a: PairInput,
    b: PairInput,
    start_us: int,
    end_us: int,
    *,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> SideBySide:
    """Compare two series over a window; without a pair every figure is NaN.

    Directions are compared the shorter way round, and have no line.
    """
    longer = max(a.cadence_s, b.cadence_s)
    cells = Cells(begin_between(a, b, start_us, longer), end_us, longer)
    pairs = paired(a, b, cells, is_plain=averaging.is_plain)
    time_us, first, second = pairs.time_us, pairs.first, pairs.second
    if averaging is Averaging.CIRCULAR:
        second = first + (second - first + 180.0) % 360.0 - 180.0
    away = second - first
    # Spread and correlation are those of single pairs; all else is told by means as well.
    steps = Pairs(cells, time_us, first, second, pairs.tolerance_s, pairs.filled).thinned()
    apart = steps.second - steps.first
    drift = _drift(steps.time_us, apart)
    middle = float(away.mean()) if len(away) else math.nan
    begin, end = _drift_ends(time_us, drift, middle)
    # A trend would make the mean unsure: how sure it is is told by what lies around the line.
    turned: FloatArray | float = 0.0
    if is_sure_drift(drift):
        turned = on_line(steps.time_us, begin, end) - middle
    difference = steps.on_grid(apart - turned)
    mean = sure_mean(_trimmed(difference))
    untilted = steps.second - turned
    sums = _BlockSums(steps.first, untilted)
    sd = _deviation_of(away)
    independent = mean.independent
    half = (
        student_quantile(0.95, independent - 1) * sd * math.sqrt(3 / independent)
        if independent >= 2
        else math.nan
    )
    has_line = averaging is not Averaging.CIRCULAR
    nothing = Line(math.nan, math.nan, 0)
    some = slice(None, None, max(1, len(untilted) // ENOUGH))
    few = slice(None, None, max(1, len(first) // SAMPLE))
    return SideBySide(
        time_us,
        first,
        second,
        mean,
        sd,
        mean.mean - 1.96 * sd,
        mean.mean + 1.96 * sd,
        half,
        _sure_line(sums) if has_line else SureLine(math.nan, math.nan, math.nan),
        theil_sen(steps.first[some], untilted[some]) if has_line else nothing,
        _sure_lag(a, b, start_us, end_us, longer),
        drift,
        begin,
        end,
        _correlation_of(first[few], second[few]),
        float(np.count_nonzero(np.isfinite(difference))) / max(1, len(difference)),
        pairs.tolerance_s,
    )


def _trimmed(values: FloatArray) -> FloatArray:
    """Without the unknown ones before the first and after the last."""
    if len(values) and math.isfinite(values[0]) and math.isfinite(values[-1]):
        return values
    known = np.flatnonzero(np.isfinite(values))
    return values[known[0] : known[-1] + 1] if len(known) else values[:0]


def _correlation_of(first: FloatArray, second: FloatArray) -> float:
    """Pearson's r; NaN for fewer than three pairs or a constant side."""
    if len(first) < 3:
        return math.nan
    x, y = first - first.mean(), second - second.mean()
    power = inner(x, x) * inner(y, y)
    return min(1.0, max(-1.0, inner(x, y) / math.sqrt(power))) if power > 0 else math.nan


def _deviation_of(difference: FloatArray) -> float:
    if len(difference) < 2:
        return math.nan
    away = difference - difference.mean()
    return math.sqrt(inner(away, away) / (len(difference) - 1))


class _BlockSums:
    """Sums of pairs and of their products over twenty blocks in time: one pass for the line and its
    interval."""

    def __init__(self, first: FloatArray, second: FloatArray) -> None:
        self.count = count = len(first)
        self.means = (float(first.mean()), float(second.mean())) if count else (math.nan,) * 2
        folds = _FOLDS if count >= 3 * _FOLDS else 1
        edges = np.arange(folds) * count // folds
        self.n = np.diff(np.append(edges, count)).astype(np.float64)
        if not count:
            self.sums = np.zeros((5, 1))
            return
        x, y = first - self.means[0], second - self.means[1]
        products = (x, y, x * x, y * y, x * y)
        self.sums = np.stack([np.add.reduceat(one, edges) for one in products])

    def gains(self, sums: FloatArray, n: FloatArray) -> FloatArray:
        """Deming's gain of sums, (5, K) over (K,) counts; NaN without a slope."""
        sx, sy, sxx, syy, sxy = sums
        sxx, syy, sxy = sxx - sx * sx / n, syy - sy * sy / n, sxy - sx * sy / n
        u = syy - sxx
        with np.errstate(invalid="ignore", divide="ignore"):
            root = np.sqrt(u * u + 4 * sxy * sxy)
            gain = np.where(u < 0, 2 * sxy / (root - u), (u + root) / (2 * sxy))
        return np.where(np.abs(sxy) > 1e-12 * np.sqrt(np.maximum(sxx * syy, 0)), gain, np.nan)


def _sure_line(told: _BlockSums) -> SureLine:
    """Deming's line; the gain's interval by leaving out a twentieth of the time after the other.

    Blocks in time and not single pairs (delete-block jackknife, Künsch 1989): neighbouring readings
    are not independent.
    """
    if told.count < 3:
        return SureLine(math.nan, math.nan, math.nan)
    whole, n = told.sums.sum(axis=1)[:, None], np.array([float(told.count)])
    gain = float(told.gains(whole, n)[0])
    offset = told.means[1] - gain * told.means[0]
    if len(told.n) < _FOLDS or not math.isfinite(gain):
        return SureLine(gain, math.nan, offset)
    gains = told.gains(whole - told.sums, told.count - told.n)
    spread = float(((gains - gains.mean()) ** 2).sum()) * (_FOLDS - 1) / _FOLDS
    return SureLine(gain, student_quantile(0.95, _FOLDS - 1) * math.sqrt(spread), offset)


def _sure_lag(a: PairInput, b: PairInput, start_us: int, end_us: int, step_s: float) -> SureLag:
    """The lag of some sections of the window and how far they differ: a year is not needed."""
    step_us = round(step_s * SECOND_US)
    length_us = min(_SECTION_STEPS * step_us, (end_us - start_us) // _SECTIONS)
    gap_s = max(max_gap_s(a.cadence_s), max_gap_s(b.cadence_s))
    curves = []
    for number in range(_SECTIONS):
        begin = start_us + (end_us - start_us - length_us) * number // (_SECTIONS - 1)
        part = [
            one.readings[
                slice(*np.searchsorted(one.readings.time_us, (begin, begin + length_us)).tolist())
            ]
            for one in (a, b)
        ]
        curve = lag_curve(
            part[0], part[1], step_s=step_s, max_lag_s=_LAG_STEPS * step_s, max_gap_s=gap_s
        )
        if len(curve.shift) and bool(np.isfinite(curve.r).any()):
            curves.append(curve)
    if not curves:
        return SureLag(math.nan, math.nan, np.empty(0), np.empty(0))
    together = np.stack([one.r for one in curves])
    known = np.isfinite(together)
    heard = np.count_nonzero(known, axis=0)
    # A calm night says little of who follows whom: sections count by how well they go together.
    best = np.array([np.nanmax(one.r) for one in curves])
    weight = np.where(known, (np.maximum(best, 0.01) ** 2)[:, None], 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        r = (np.where(known, together, 0.0) * weight).sum(axis=0) / weight.sum(axis=0)
    curves = [one for one, its in zip(curves, best.tolist(), strict=True) if its >= best.max() / 2]
    shifts = curves[0].shift
    whole = best_lag(msgspec.structs.replace(curves[0], r=r, n=heard))
    found = [best_lag(one) for one in curves]
    lags = np.array([one.lag_s for one in found if math.isfinite(one.lag_s) and not one.at_edge])
    unknown = whole.at_edge or len(lags) * 2 < len(curves)
    within = math.nan
    if len(lags) >= 3:
        error = float(lags.std(ddof=1)) / math.sqrt(len(lags))
        within = student_quantile(0.95, len(lags) - 1) * error
    return SureLag(
        math.nan if unknown else whole.lag_s, within, (shifts * step_s).astype(np.float64), r
    )


def _drift(time_us: TimeArray, difference: FloatArray) -> DriftInterval:
    """The drift of day means, put together into as many as are independent of one another."""
    if not len(time_us):
        return DriftInterval(math.nan, math.nan, math.nan, math.nan, 0)
    span_days = float((time_us[-1] - time_us[0]) / DAY_US)
    first_us = int(time_us[0])
    days = int((time_us[-1] - first_us) // DAY_US) + 1
    daily = by_cell(time_us, difference, first_us, DAY_US, days)
    centres = np.arange(days, dtype=np.int64) * DAY_US + DAY_US // 2
    known = np.isfinite(daily)
    unknown = DriftInterval(math.nan, math.nan, math.nan, span_days, int(known.sum()))
    if known.sum() < _FEWEST_DAYS:
        return unknown
    line = theil_sen(centres[known] / DAY_US, daily[known])
    left = daily - (line.offset + line.gain * centres / DAY_US)
    worth = effective_n(left)
    size = 1
    if math.isfinite(worth.n_eff):
        size = max(1, math.ceil(worth.n / worth.n_eff))
    if days // size < _FEWEST_DAYS:
        return msgspec.structs.replace(unknown, drift_per_month=line.gain * 365.25 / 12)
    grouped = batch_means(daily, size)
    moments = np.arange(len(grouped), dtype=np.int64) * size * DAY_US + first_us
    found = drift_interval(moments, np.zeros(len(grouped)), grouped)
    return msgspec.structs.replace(found, span_days=span_days)


def _drift_ends(time_us: TimeArray, drift: DriftInterval, mean: float) -> tuple[float, float]:
    """The line of the drift at the first and the last pair, through the mean in the middle."""
    if not len(time_us) or not math.isfinite(drift.drift_per_month):
        return mean, mean
    months = float(time_us[-1] - time_us[0]) / (365.25 / 12 * DAY_US)
    half = drift.drift_per_month * months / 2
    return mean - half, mean + half


def is_sure_drift(drift: DriftInterval) -> bool:
    """True if the interval of a drift is known and leaves out 0."""
    return math.isfinite(drift.low) and math.isfinite(drift.high) and drift.low * drift.high > 0


def on_line(time_us: TimeArray, begin: float, end: float) -> FloatArray:
    """The drift's line at each pair, (P,)."""
    if not len(time_us):
        return np.empty(0)
    length = max(int(time_us[-1] - time_us[0]), 1)
    return np.asarray(begin + (end - begin) * ((time_us - time_us[0]) / length), np.float64)

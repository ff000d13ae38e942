"""Two sensors side by side: how much the second reads off the first, and how sure that is.

Everything is second − first, in the base unit. Formulas of section J and N; every interval is one
of 95 % and takes account of readings that follow one another and say much the same.
"""

from __future__ import annotations

import enum
import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray, inner
from rook_tally.core.comparing.independence import SureMean, batch_means, effective_n, sure_mean
from rook_tally.core.comparing.intervals import student_quantile
from rook_tally.core.comparing.paired_comparison import (
    Line,
    align_nearest,
    best_lag,
    lag_curve,
    theil_sen,
)
from rook_tally.core.comparing.slope_interval import DriftInterval, drift_interval
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.gaps import cleaned, max_gap_s
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import DAY_US, SECOND_US

_SECTIONS = 6
_SECTION_STEPS = 600
# So many pairs tell the robust line and the range as well as all of them.
_ENOUGH = 400
_LAG_STEPS = 8
_FOLDS = 20
_MANY = 50_000
# So many steps in time tell a mean's interval, a line and a drift as well as all readings do.
_STEPS = 100_000
# And so many pairs, taken evenly, a correlation and a spread.
_SAMPLE = 20_000
_FEWEST_DAYS = 5


class PairInput(msgspec.Struct, frozen=True):
    """One of two series: its readings over the window and how often they come."""

    readings: Readings
    cadence_s: float


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
    cells = _Cells(_begin_between(a, b, start_us, longer), end_us, longer)
    pairs = _paired(a, b, cells, is_plain=averaging.is_plain)
    time_us, first, second = pairs.time_us, pairs.first, pairs.second
    if averaging is Averaging.CIRCULAR:
        second = first + (second - first + 180.0) % 360.0 - 180.0
    away = second - first
    # Spread and correlation are those of single pairs; all else is told by means as well.
    steps = _Pairs(cells, time_us, first, second, pairs.tolerance_s, pairs.filled).thinned()
    apart = steps.second - steps.first
    drift = _drift(steps.time_us, apart)
    middle = float(away.mean()) if len(away) else math.nan
    begin, end = _drift_ends(time_us, drift, middle)
    # A trend would make the mean unsure: how sure it is is told by what lies around the line.
    turned: FloatArray | float = 0.0
    if _is_sure_drift(drift):
        turned = _on_line(steps.time_us, begin, end) - middle
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
    some = slice(None, None, max(1, len(untilted) // _ENOUGH))
    few = slice(None, None, max(1, len(first) // _SAMPLE))
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


class _Cells:
    """Equal cells of time over a window, as long as the longer cadence."""

    def __init__(self, start_us: int, end_us: int, length_s: float) -> None:
        self.start_us, self.end_us, self.length_s = start_us, end_us, length_s
        self.length_us = round(length_s * SECOND_US)
        self.count = max(1, -(-(end_us - start_us) // self.length_us))

    def of(self, time_us: TimeArray) -> tuple[IntArray, slice]:
        """The cell of each of (N,) rising moments, and which of them lie in the window."""
        first, last = np.searchsorted(
            time_us, (self.start_us, self.start_us + self.count * self.length_us)
        ).tolist()
        inside = slice(first, last)
        return (time_us[inside] - self.start_us) // self.length_us, inside


def _begin_between(a: PairInput, b: PairInput, start_us: int, length_s: float) -> int:
    """Where the first cell begins, at most a cell before the window: as far as can be from the
    moments at which both report, so that a reading seldom shares its cell with the next."""
    length_us = length_s * SECOND_US
    phases = []
    for one in (a, b):
        every = one.readings.time_us[:: max(1, len(one.readings) // _ENOUGH)]
        turns = np.exp(2j * np.pi * ((every - start_us) % length_us) / length_us)
        phases.append(float(np.angle(turns.mean()) / (2 * np.pi)) if len(every) else 0.0)
    apart = (phases[1] - phases[0]) % 1.0
    middle = phases[0] + (apart / 2 if apart > 0.5 else (1 + apart) / 2)
    return start_us - round((-middle % 1.0) * length_us)


class _Pairs:
    """Pairs of readings, (P,) each, and where they lie among the cells."""

    def __init__(
        self,
        cells: _Cells,
        time_us: TimeArray,
        first: FloatArray,
        second: FloatArray,
        tolerance_s: float,
        filled: IntArray | None,
    ) -> None:
        self.time_us, self.first, self.second = time_us, first, second
        self.tolerance_s, self.filled = tolerance_s, filled
        self._cells = cells

    def on_grid(self, values: FloatArray) -> FloatArray:
        """Means of one value a pair in every cell; NaN for an empty one."""
        if self.filled is None:
            cells = self._cells
            return _by_cell(self.time_us, values, cells.start_us, cells.length_us, cells.count)
        if len(self.filled) == self._cells.count:
            return values
        grid = np.full(self._cells.count, np.nan)
        grid[self.filled] = values
        return grid

    def thinned(self) -> _Pairs:
        """The same as means of a few neighbouring cells each, where there are very many."""
        size = -(-self._cells.count // _STEPS)
        if self.filled is None or size == 1 or not len(self.filled):
            return self
        wide = _Cells(self._cells.start_us, self._cells.end_us, size * self._cells.length_s)
        which = self.filled // size
        which -= which[0]
        heard = np.bincount(which)
        known = np.flatnonzero(heard)
        first, second = (
            np.bincount(which, weights=one)[known] / heard[known]
            for one in (self.first, self.second)
        )
        at = known + self.filled[0] // size
        time_us = wide.start_us + at * wide.length_us + wide.length_us // 2
        return _Pairs(wide, time_us, first, second, self.tolerance_s, at)


def _paired(a: PairInput, b: PairInput, cells: _Cells, *, is_plain: bool) -> _Pairs:
    """The nearest readings one to one; of a great many the means of both in each cell, which tells
    as much and takes a fifth of the time. What is no plain mean is always paired one to one."""
    if is_plain and min(len(a.readings), len(b.readings)) > _MANY:
        first, second = (_cell_means(one.readings, cells) for one in (a, b))
        filled = np.flatnonzero(np.isfinite(first) & np.isfinite(second))
        # Without a gap nothing is copied.
        has_gap = len(filled) == 0 or filled[-1] - filled[0] >= len(filled)
        inside = filled if has_gap else slice(int(filled[0]), int(filled[-1]) + 1)
        first, second = first[inside], second[inside]
        time_us = filled * cells.length_us
        time_us += cells.start_us + cells.length_us // 2
        return _Pairs(cells, time_us, first, second, cells.length_us / SECOND_US, filled)
    tolerance_s = min(a.cadence_s, b.cadence_s) / 2
    found = align_nearest(a.readings, b.readings, tolerance_s=tolerance_s)
    time_us = a.readings.time_us[found.index_a]
    return _Pairs(
        cells,
        time_us,
        a.readings.value[found.index_a],
        b.readings.value[found.index_b],
        tolerance_s,
        None,
    )


def _cell_means(readings: Readings, cells: _Cells) -> FloatArray:
    time_us, value = cleaned(readings)
    at, inside = cells.of(time_us)
    if bool((at[1:] > at[:-1]).all()):
        if len(at) == cells.count:
            return value[inside]
        means = np.full(cells.count, np.nan)
        is_whole = len(at) > 0 and at[-1] - at[0] + 1 == len(at)
        means[slice(int(at[0]), int(at[-1]) + 1) if is_whole else at] = value[inside]
        return means
    count = np.bincount(at, minlength=cells.count)
    with np.errstate(invalid="ignore", divide="ignore"):
        total = np.bincount(at, weights=value[inside], minlength=cells.count)
        return np.asarray(total / count, np.float64)


def _by_cell(
    time_us: TimeArray, value: FloatArray, start_us: int, cell_us: int, cells: int
) -> FloatArray:
    """Means of (N,) values, in order of time, in equal cells; (cells,), NaN for an empty one."""
    if cells * 4 < len(time_us):
        edges = start_us + np.arange(cells + 1, dtype=np.int64) * cell_us
        bounds = np.searchsorted(time_us, edges)
        heard = np.diff(bounds)
        filled = np.flatnonzero(heard)
        result = np.full(cells, np.nan)
        if len(filled):
            told = value[: bounds[-1]]
            result[filled] = np.add.reduceat(told, bounds[filled]) / heard[filled]
        return result
    at = (time_us - start_us) // cell_us
    inside = (at >= 0) & (at < cells)
    if not inside.all():
        at, value = at[inside], value[inside]
    count = np.bincount(at, minlength=cells)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.bincount(at, weights=value, minlength=cells) / count, np.float64)


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
    daily = _by_cell(time_us, difference, first_us, DAY_US, days)
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


class Refusal(enum.Enum):
    """Why two series carry no correction of one by the other."""

    NO_PAIRS = "never heard together"
    TOO_FEW = "too few independent pairs"
    CONSTANT = "one of them never changes"
    NO_AGREEMENT = "they do not go together"
    NOT_SURE = "the difference is not sure"
    NO_DIFFERENCE = "they do not differ"
    DIRECTIONS = "directions"


class Proposal(msgspec.Struct, frozen=True):
    """A correction of the second series by the first, as shown = gain·shown + offset.

    `starts_us` and `offsets`: one or several dated steps, (S,) each, the same gain for all.
    `within`: half the interval of the offset at the middle of what was seen. `gain` is 1 where it
    does not differ from 1. `drift_per_month` is 0 without a sure drift.
    """

    gain: float
    gain_within: float
    starts_us: TimeArray
    offsets: FloatArray
    within: float
    drift_per_month: float
    drift_within: float


_FEWEST_INDEPENDENT = 8
_LEAST_CORRELATION = 0.5
_LEAST_RANGE = 4.0
_MOST_STEPS = 12
_LONG_DAYS = 28.0
_LEAST_GAIN = 0.005


def proposed_correction(
    told: SideBySide, *, accuracy: float, averaging: Averaging
) -> Proposal | Refusal:
    """What would bring the second onto the first, or why the data cannot carry it.

    A gain is proposed only where its interval leaves out 1 and the readings range over several
    times the spread of the differences; steps in time only where the drift's interval leaves out 0
    over four weeks or more. Where both would be, the one that takes away more.
    """
    if averaging is Averaging.CIRCULAR:
        return Refusal.DIRECTIONS
    if not len(told.time_us):
        return Refusal.NO_PAIRS
    if float(np.ptp(told.first)) == 0 or float(np.ptp(told.second)) == 0:
        return Refusal.CONSTANT
    mean = told.difference
    if not mean.independent >= _FEWEST_INDEPENDENT:
        return Refusal.TOO_FEW
    # Every so many pairs tell a spread as well as all of them.
    every = slice(None, None, max(1, len(told.first) // _SAMPLE))
    moves = float(np.std(told.first[every]))
    if moves > 2 * accuracy and not told.correlation >= _LEAST_CORRELATION:
        return Refusal.NO_AGREEMENT
    line, change = told.line, abs(told.bias_end - told.bias_start)
    tilt = _on_line(told.time_us[every], told.bias_start, told.bias_end)
    spread = float((told.second[every] - told.first[every] - tilt).std())
    some = told.first[:: max(1, len(told.first) // (16 * _ENOUGH))]
    ranges = float(np.ptp(np.quantile(some, (0.02, 0.98)))) >= _LEAST_RANGE * spread
    by_gain = abs(line.gain - 1.0) * moves if ranges else 0.0
    if not abs(line.gain - 1.0) > max(line.gain_within, _LEAST_GAIN):
        by_gain = 0.0
    by_drift = change / math.sqrt(12.0) if told.drift.span_days >= _LONG_DAYS else 0.0
    if not _is_sure_drift(told.drift) or change < accuracy / 4:
        by_drift = 0.0
    if by_gain > by_drift:
        gain = 1.0 / line.gain
        return Proposal(
            gain,
            line.gain_within * gain * gain,
            told.time_us[:1],
            np.array([-line.offset * gain]),
            mean.within,
            0.0,
            math.nan,
        )
    if by_drift > 0:
        return _stepwise(told, change, accuracy)
    if abs(mean.mean) <= mean.within:
        return Refusal.NO_DIFFERENCE if mean.within <= accuracy else Refusal.NOT_SURE
    offset = np.array([-mean.mean])
    return Proposal(1.0, line.gain_within, told.time_us[:1], offset, mean.within, 0.0, math.nan)


def _stepwise(told: SideBySide, change: float, accuracy: float) -> Proposal:
    within = told.difference.within
    steps = int(min(_MOST_STEPS, max(2, math.ceil(change / max(within, accuracy / 4, 1e-12)))))
    begin, end = int(told.time_us[0]), int(told.time_us[-1]) + 1
    starts = begin + (end - begin) * np.arange(steps, dtype=np.int64) // steps
    middles = (np.arange(steps) + 0.5) / steps
    offsets = -(told.bias_start + (told.bias_end - told.bias_start) * middles)
    half = (told.drift.high - told.drift.low) / 2
    return Proposal(
        1.0, told.line.gain_within, starts, offsets, within, told.drift.drift_per_month, half
    )


def _is_sure_drift(drift: DriftInterval) -> bool:
    """True if the interval of a drift is known and leaves out 0."""
    return math.isfinite(drift.low) and math.isfinite(drift.high) and drift.low * drift.high > 0


def _on_line(time_us: TimeArray, begin: float, end: float) -> FloatArray:
    """The drift's line at each pair, (P,)."""
    if not len(time_us):
        return np.empty(0)
    length = max(int(time_us[-1] - time_us[0]), 1)
    return np.asarray(begin + (end - begin) * ((time_us - time_us[0]) / length), np.float64)

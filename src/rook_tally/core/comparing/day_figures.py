"""Days as reports count them: means that are valid, days past a limit, degree days (section Q).

Days are edges, local midnights as UTC microseconds: 23, 24 and 25 hours need nothing special. A day
counts when three quarters of it were heard, as Directive 2008/50/EC has it.
"""

from __future__ import annotations

import enum
import math

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.comparing.profiles import WindowIntegrals, window_integrals
from rook_tally.core.quantities.averaging import Averaging, value_of
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

_TIE = 1e-9


class DayMeans(msgspec.Struct, frozen=True):
    """Of each day the mean, the share of it that was covered, and whether it counts, (D,) each.

    The mean is given even where it does not count.
    """

    mean: FloatArray
    covered: FloatArray
    valid: BoolArray


def valid_day_means(
    readings: Readings,
    edges_us: TimeArray,
    *,
    max_gap_s: float,
    cadence_s: float,
    min_covered: float = 0.75,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> DayMeans:
    """Time-weighted means of days; ValueError for edges that do not rise."""
    heard = window_integrals(
        readings, edges_us, max_gap_s=max_gap_s, cadence_s=cadence_s, averaging=averaging
    )
    return day_means_of(heard, edges_us, averaging, min_covered=min_covered)


def day_means_of(
    heard: WindowIntegrals, edges_us: TimeArray, averaging: Averaging, *, min_covered: float = 0.75
) -> DayMeans:
    """The means of days by their integrals."""
    length = np.diff(edges_us) / SECOND_US
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = value_of(averaging, heard.integral / heard.covered_s)
    mean = np.where(heard.covered_s > 0, mean, np.nan)
    covered = np.minimum(1.0, heard.covered_s / length)
    valid = (heard.covered_s > 0) & (covered >= min_covered - _TIE)
    return DayMeans(mean, covered, valid)


def counted_days(day_mean: FloatArray, valid: BoolArray | None) -> BoolArray:
    """Which of (D,) days count: those said to, with a mean; ValueError for other lengths."""
    if valid is not None and len(valid) != len(day_mean):
        raise ValueError(f"{len(day_mean)} days and {len(valid)} verdicts")
    known = np.isfinite(day_mean)
    return known if valid is None else known & valid


class DaysAbove(msgspec.Struct, frozen=True):
    """Days past a limit among those that count; None and NaN where none counts."""

    days_above: int | None
    valid_days: int
    days: int
    share: float


def days_above(
    day_mean: FloatArray, limit: float | FloatArray, valid: BoolArray | None = None
) -> DaysAbove:
    """Days whose mean is above a limit, or above that of the same day, without rounding first;
    never scaled up to a year. A day without a limit does not count."""
    limits = np.broadcast_to(np.asarray(limit, np.float64), day_mean.shape)
    counted = counted_days(day_mean, valid) & ~np.isnan(limits)
    number = int(np.count_nonzero(counted))
    if not number:
        return DaysAbove(None, 0, len(day_mean), math.nan)
    past = int(np.count_nonzero(day_mean[counted] > limits[counted]))
    return DaysAbove(past, number, len(day_mean), past / number)


class AnnualMean(msgspec.Struct, frozen=True):
    """The plain mean of the days that count, and whether they are enough of them."""

    mean: float
    valid_days: int
    days: int
    share: float
    enough: bool


def annual_mean(
    day_mean: FloatArray, valid: BoolArray | None = None, min_share: float = 0.9
) -> AnnualMean:
    """A year's mean of day means; 90 % of the days as in 2008/50/EC. Missing days that cluster in
    one season bias it."""
    counted = counted_days(day_mean, valid)
    number, days = int(np.count_nonzero(counted)), len(day_mean)
    mean = float(day_mean[counted].mean()) if number else math.nan
    share = number / days if days else math.nan
    return AnnualMean(mean, number, days, share, bool(number and share >= min_share - _TIE))


class RunningMeanMax(msgspec.Struct, frozen=True):
    """Of each day the highest running mean, the end of its window (None where there is none), the
    share of its windows that count, and whether the day does."""

    max: FloatArray
    end_us: tuple[int | None, ...]
    share: FloatArray
    valid: BoolArray


def running_mean_max(
    readings: Readings,
    day_edges_us: TimeArray,
    *,
    max_gap_s: float,
    cadence_s: float,
    window_s: float = 28_800.0,
    step_s: float = 3600.0,
    min_covered: float = 0.75,
    min_windows: float = 0.75,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> RunningMeanMax:
    """The daily maximum of running means: 8 h ones as 2008/50/EC Annex XI has it, time-weighted.

    A window belongs to the day it ends in. Pass readings from a window before the first edge on.
    ValueError for a day without the end of a window, or a window or step not above 0.
    """
    if not (window_s > 0 and step_s > 0):
        raise ValueError("a window and a step are longer than nothing")
    if bool((np.diff(day_edges_us) <= 0).any()):
        raise ValueError("edges rise strictly")
    step, window = microseconds(step_s), microseconds(window_s)
    counts = np.diff(day_edges_us) // step
    if bool((counts < 1).any()):
        raise ValueError("a day without the end of a window")
    day = np.repeat(np.arange(len(counts)), counts)
    number = np.arange(len(day)) - np.repeat(np.cumsum(counts) - counts, counts)
    ends = day_edges_us[:-1][day] + (number + 1) * step
    edges = np.unique(np.concatenate((ends, ends - window)))
    heard = window_integrals(
        readings, edges, max_gap_s=max_gap_s, cadence_s=cadence_s, averaging=averaging
    )
    zero = np.zeros(1)
    covered_to = np.concatenate((zero, np.cumsum(heard.covered_s)))
    integral_to = np.concatenate((zero, np.cumsum(heard.integral)))
    first, last = np.searchsorted(edges, ends - window), np.searchsorted(edges, ends)
    covered = covered_to[last] - covered_to[first]
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = value_of(averaging, (integral_to[last] - integral_to[first]) / covered)
    share = np.minimum(1.0, covered / window_s)
    counted = (covered > 0) & (share >= min_covered - _TIE)
    days = len(counts)
    highest = np.full(days, -np.inf)
    np.maximum.at(highest, day[counted], mean[counted])
    highest = np.where(np.isfinite(highest), highest, np.nan)
    near = counted & (mean >= (highest - _TIE * np.abs(highest))[day])
    ends_us: list[int | None] = [None] * days
    for at in np.flatnonzero(near)[::-1].tolist():
        ends_us[int(day[at])] = int(ends[at])
    shares = np.bincount(day, weights=counted, minlength=days) / counts
    return RunningMeanMax(highest, tuple(ends_us), shares, shares >= min_windows - _TIE)


class DegreeDayKind(enum.StrEnum):
    """What degree days are counted for."""

    HEATING = "heating"
    COOLING = "cooling"
    GROWING = "growing"


class DegreeDays(msgspec.Struct, frozen=True):
    """Unit·days: the total over known days (NaN without one), each day, and how many are known."""

    total: float
    per_day: FloatArray
    known_days: int


def degree_days(
    day_mean: FloatArray | None,
    base: float,
    kind: DegreeDayKind = DegreeDayKind.HEATING,
    *,
    limit: float | None = None,
    upper: float | None = None,
    day_min: FloatArray | None = None,
    day_max: FloatArray | None = None,
    valid: BoolArray | None = None,
) -> DegreeDays:
    """Heating, cooling or growing degree days of day means.

    With base 18 and limit 15, or 21 and 24, the Eurostat rule; growing with lowest and highest of a
    day by the second method of McMaster & Wilhelm 1997.

    Raises
    ------
    ValueError
        For an option that belongs to another kind, a limit on the far side of the base, or nothing
        to count.
    """
    growing = kind is DegreeDayKind.GROWING
    if not growing and (upper is not None or day_min is not None or day_max is not None):
        raise ValueError("upper, day_min and day_max are of growing degree days")
    if growing and limit is not None:
        raise ValueError("a limit is of heating and cooling degree days")
    if upper is not None and not upper > base:
        raise ValueError("upper is above the base")
    if (day_min is None) is not (day_max is None):
        raise ValueError("day_min and day_max belong together")
    if day_mean is None and day_min is None:
        raise ValueError("there is nothing to count")
    if day_min is not None and day_max is not None:
        if len(day_min) != len(day_max):
            raise ValueError(f"{len(day_min)} lowest and {len(day_max)} highest")
        low, high = (np.clip(one, base, upper) for one in (day_min, day_max))
        per_day = np.where(day_min <= day_max, (low + high) / 2 - base, np.nan)
        counted = counted_days(per_day, valid)
    else:
        assert day_mean is not None
        counted = counted_days(day_mean, valid)
        per_day = _by_mean(day_mean, base, kind, limit, upper)
    per_day = np.where(counted, per_day, np.nan)
    known = int(np.count_nonzero(counted))
    return DegreeDays(float(np.nansum(per_day)) if known else math.nan, per_day, known)


def _by_mean(
    day_mean: FloatArray, base: float, kind: DegreeDayKind, limit: float | None, upper: float | None
) -> FloatArray:
    if kind is DegreeDayKind.GROWING:
        return np.asarray(np.clip(day_mean, base, upper) - base, np.float64)
    edge = base if limit is None else limit
    if kind is DegreeDayKind.HEATING:
        if edge > base:
            raise ValueError("heating begins at the base or below it")
        return np.where(day_mean <= edge, base - day_mean, 0.0)
    if edge < base:
        raise ValueError("cooling begins at the base or above it")
    return np.where(day_mean >= edge, day_mean - base, 0.0)

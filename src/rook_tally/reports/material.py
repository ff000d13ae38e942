"""What a report is made of: figures, days and hours of every series over its stretch of time."""

from __future__ import annotations

import math
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.comparing.day_figures import (
    DayMeans,
    day_means_of,
    running_mean_max,
    valid_day_means,
)
from rook_tally.core.comparing.profiles import WindowIntegrals, joined_windows, window_integrals
from rook_tally.core.comparing.totals import counter_total
from rook_tally.core.quantities.averaging import Averaging, value_of
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.reports.periods import Period
from rook_tally.core.series.gaps import cleaned, max_gap_s
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import HOUR_US, SECOND_US, datetime_from_time_us
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, Site

EIGHT_H = frozenset(("ozone", "co", "co2", "sound_level"))
"""Quantities of which running means of eight hours are told."""
_COUNTERS = frozenset(("energy", "charge"))


class Calendar(msgspec.Struct, frozen=True):
    """The stretch of a report as moments: local midnights (D + 1,), hours (H + 1,) from the first
    midnight, and of each hour its day and its hour by the clock there, (H,)."""

    period: Period
    zone: ZoneInfo
    edges_us: TimeArray
    until_us: int
    hours_us: TimeArray
    hour_day: IntArray
    hour_clock: IntArray

    @property
    def start_us(self) -> int:
        """The first midnight."""
        return int(self.edges_us[0])

    @property
    def end_us(self) -> int:
        """The midnight after the last day."""
        return int(self.edges_us[-1])

    @property
    def is_over(self) -> bool:
        """True if all of it lies in the past."""
        return self.until_us >= self.end_us


def calendar_of(period: Period, zone: ZoneInfo, now_us: int) -> Calendar:
    """The stretch in a zone, of which nothing after `now_us` is known yet."""
    edges = period.edges_us(zone)
    count = -(-int(edges[-1] - edges[0]) // HOUR_US)
    hours = np.minimum(edges[0] + np.arange(count + 1, dtype=np.int64) * HOUR_US, edges[-1])
    clock = np.array(
        [datetime_from_time_us(one).astimezone(zone).hour for one in hours[:-1].tolist()], np.int64
    )
    day = np.searchsorted(edges, hours[:-1], side="right") - 1
    return Calendar(
        period, zone, edges, min(now_us, int(edges[-1])), hours, day.astype(np.int64), clock
    )


class SeriesFigures(msgspec.Struct, frozen=True):
    """A series over the stretch. Values in the base unit; `hours` is (D, 24) by the clock, NaN
    where nothing was heard; `eight_h` the highest running mean of eight hours of each day.

    `turns` and `on_s` are about states: how often it went on, and how long it was. `sums`: all that
    each day's readings told, added up, (D,); `counted`: of a counter, over resets.
    """

    series: Series
    count: int
    heard: float
    low: float
    low_us: int
    mean: float
    high: float
    high_us: int
    days: DayMeans
    hours: FloatArray
    hour_means: FloatArray
    eight_h: FloatArray
    eight_h_valid: BoolArray
    turns: int
    on_s: float
    sums: FloatArray
    counted: float

    @property
    def is_state(self) -> bool:
        """True for on and off."""
        return self.series.quantity.scale is QuantityScale.STATE


def figures_of(connection: Connection, series: Series, calendar: Calendar) -> SeriesFigures | None:
    """The figures of one series; None where nothing was heard of it."""
    return figures_in(readings_of(connection, series, calendar), series, calendar)


def readings_of(
    connection: Connection, series: Series, calendar: Calendar, earlier: Calendar | None = None
) -> Readings:
    """What the figures of a stretch are made from, and those of an earlier one beside it."""
    margin_us = round(max_gap_s(series.station.cadence_s) * SECOND_US)
    # Running means that end within the first hours begin before the first midnight.
    before_us = 8 * HOUR_US if series.quantity.slug in EIGHT_H else 0
    start_us = calendar.start_us if earlier is None else earlier.start_us
    return read_range(
        connection, series.id, start_us - margin_us - before_us, calendar.until_us + margin_us
    )


def figures_in(
    readings: Readings, series: Series, calendar: Calendar, *, with_hours: bool = True
) -> SeriesFigures | None:
    """The figures of a stretch within readings of at least that; None where nothing was heard.
    Without hours the mean is that of its days, which is all that is held against another stretch.
    """
    gap_s, cadence_s = max_gap_s(series.station.cadence_s), series.station.cadence_s
    margin_us = round(gap_s * SECOND_US) + 8 * HOUR_US
    around = (calendar.start_us - margin_us, calendar.until_us + margin_us)
    readings = readings[slice(*np.searchsorted(readings.time_us, around).tolist())]
    time_us, value = cleaned(readings)
    inside = slice(*np.searchsorted(time_us, (calendar.start_us, calendar.until_us)).tolist())
    time_us, value = time_us[inside], value[inside]
    if not len(value):
        return None
    averaging = series.quantity.averaging
    heard = window_integrals(
        readings,
        calendar.hours_us if with_hours else calendar.edges_us,
        max_gap_s=gap_s,
        cadence_s=cadence_s,
        averaging=averaging,
    )
    days = _day_means(heard, calendar, averaging, with_hours=with_hours)
    if days is None:
        days = valid_day_means(
            readings, calendar.edges_us, max_gap_s=gap_s, cadence_s=cadence_s, averaging=averaging
        )
    with np.errstate(invalid="ignore", divide="ignore"):
        hour_means = np.asarray(value_of(averaging, heard.integral / heard.covered_s), np.float64)
    hour_means = np.where(heard.covered_s > 0, hour_means, np.nan)
    covered = float(heard.covered_s.sum())
    whole = heard.integral.sum() / covered if covered > 0 else math.nan
    mean = float(np.asarray(value_of(averaging, np.asarray(whole))))
    expected = (calendar.until_us - calendar.start_us) / SECOND_US / cadence_s
    low, high = int(np.argmin(value)), int(np.argmax(value))
    is_state = series.quantity.scale is QuantityScale.STATE
    on = value >= 0.5
    turns = int(np.count_nonzero(on[1:] & ~on[:-1])) + int(on[0]) if is_state else 0
    if not with_hours:
        hour_means = np.full(len(calendar.hour_day), np.nan)
    eight, eight_valid = _eight_hours(series, readings, calendar, gap_s, cadence_s, with_hours)
    return SeriesFigures(
        series,
        len(value),
        min(1.0, len(value) / max(expected, 1.0)),
        float(value[low]),
        int(time_us[low]),
        mean,
        float(value[high]),
        int(time_us[high]),
        days,
        _by_clock(hour_means, calendar),
        hour_means,
        eight,
        eight_valid,
        turns,
        float(np.real(heard.integral.sum())) if is_state else 0.0,
        _day_sums(time_us, value, calendar),
        counter_total(readings_from(time_us, value)).total
        if series.quantity.slug in _COUNTERS
        else math.nan,
    )


def _day_means(
    heard: WindowIntegrals, calendar: Calendar, averaging: Averaging, *, with_hours: bool
) -> DayMeans | None:
    """The means of days from what was worked out already; None where their midnights are not among
    the hours, as of a stretch that is not over."""
    if not with_hours:
        return day_means_of(heard, calendar.edges_us, averaging)
    at = np.searchsorted(calendar.hours_us, calendar.edges_us)
    last = len(calendar.hours_us) - 1
    if at[-1] != last or not np.array_equal(calendar.hours_us[at], calendar.edges_us):
        return None
    return day_means_of(joined_windows(heard, at[:-1]), calendar.edges_us, averaging)


def _day_sums(time_us: TimeArray, value: FloatArray, calendar: Calendar) -> FloatArray:
    day = np.searchsorted(calendar.edges_us, time_us, side="right") - 1
    return np.bincount(day, weights=value, minlength=calendar.period.days).astype(np.float64)


def _eight_hours(
    series: Series,
    readings: Readings,
    calendar: Calendar,
    gap_s: float,
    cadence_s: float,
    with_hours: bool,
) -> tuple[FloatArray, BoolArray]:
    days = calendar.period.days
    if series.quantity.slug not in EIGHT_H or not with_hours:
        return np.full(days, np.nan), np.zeros(days, np.bool_)
    told = running_mean_max(
        readings,
        calendar.edges_us,
        max_gap_s=gap_s,
        cadence_s=cadence_s,
        averaging=series.quantity.averaging,
    )
    return told.max, told.valid


def _by_clock(hour_means: FloatArray, calendar: Calendar) -> FloatArray:
    """(D, 24): an hour that comes twice is told by the mean of both, one that is left out not."""
    known = np.isfinite(hour_means)
    at = calendar.hour_day[known] * 24 + calendar.hour_clock[known]
    size = calendar.period.days * 24
    count = np.bincount(at, minlength=size)
    with np.errstate(invalid="ignore", divide="ignore"):
        told = np.bincount(at, weights=hour_means[known], minlength=size) / count
    return np.asarray(told, np.float64).reshape(-1, 24)


class Material(msgspec.Struct, frozen=True):
    """All that the parts of a report are made from."""

    site: Site
    calendar: Calendar
    figures: tuple[SeriesFigures, ...]
    silent: tuple[Series, ...]
    before: tuple[SeriesFigures, ...] = ()

    def of(self, series_id: int) -> SeriesFigures | None:
        """The figures of a series."""
        return next((one for one in self.figures if one.series.id == series_id), None)

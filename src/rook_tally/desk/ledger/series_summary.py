"""The picked cell's honest account: its last day read exactly, and put into sentences."""

from __future__ import annotations

import math
from datetime import tzinfo

import msgspec
import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.moment_words import clock_words
from rook_tally.core.quantities.averaging import Averaging, arc_of, unwound
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.limit_text import limit_sentence
from rook_tally.core.quantities.number_format import age, duration, figure
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.series.freshness import Freshness, freshness
from rook_tally.core.series.gaps import inside as inside_of
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.statistics import (
    Window,
    completeness,
    excess_of,
    highest,
    lowest,
    mean_of,
    mirrored,
    pieces_of,
)
from rook_tally.core.series.trend import SURE_STANDARD_ERRORS, Trend, trend_of
from rook_tally.core.timestamps import (
    DAY_US,
    HOUR_US,
    SECOND_US,
    datetime_from_time_us,
    time_us_from_datetime,
)
from rook_tally.desk.ledger.texts import tr
from rook_tally.store.readings import Latest, envelopes, gaps_between, read_range
from rook_tally.store.site import Series

CHART_COLUMNS = 250
_TREND_US = HOUR_US
# Farther ahead a straight line says nothing.
_FARTHEST_CROSSING_US = 12 * HOUR_US


class SummaryLine(msgspec.Struct, frozen=True):
    """A line of the account: what, how much, and when or of what."""

    name: str
    value: str
    remark: str = ""


class SeriesSummary(msgspec.Struct, frozen=True):
    """Everything the side panel says about a series.

    `sentence` is about the limit, `outlook` about where it is going.
    """

    series: Series
    value: str
    level: Level
    sentence: str
    outlook: str
    facts: tuple[SummaryLine, ...]
    chart: Envelope
    chart_range: tuple[float, float]


class SeriesSummaryQuery(msgspec.Struct, frozen=True):
    """Asks for the account of a series as of a moment."""

    series: Series
    newest: Latest
    now_us: int
    zone: tzinfo

    def run(self, connection: Connection) -> SeriesSummary:
        """Read the last 24 hours, and today where that is longer, and say what there is to say."""
        start_us, end_us = self.now_us - DAY_US, self.now_us + 1
        margin_us = round(max_gap_s(self.series.station.cadence_s) * SECOND_US)
        # The day on which clocks go back is longer than 24 h.
        first_us = min(start_us, _midnight_us(self.now_us, self.zone))
        # What lies beyond either end says how far the readings within it speak.
        readings = read_range(connection, self.series.id, first_us - margin_us, end_us + margin_us)
        chart = envelopes(connection, [self.series], start_us, end_us, CHART_COLUMNS)[
            self.series.id
        ]
        gaps = gaps_between(connection, self.series, start_us, end_us)
        chart = replace(chart, gaps=gaps)
        return account_of(self.series, self.newest, readings, chart, self.now_us, self.zone)


def account_of(
    series: Series, newest: Latest, readings: Readings, chart: Envelope, now_us: int, zone: tzinfo
) -> SeriesSummary:
    """The account of a series from its readings of the last day."""
    is_good = newest.quality == 0
    limits = series.limits.at(newest.time_us)
    level = limits.level_of(newest.value) if is_good else Level.SETTLED
    recent = inside_of(readings.time_us, now_us - _TREND_US, now_us + 1)
    value = readings.value[recent]
    if series.quantity.averaging is Averaging.CIRCULAR:
        value = unwound(value)
    trend = trend_of(Readings(readings.time_us[recent], value, readings.quality[recent]))
    numeric = series.quantity.scale is QuantityScale.NUMBER
    late = _late_words(series, newest, now_us)
    return SeriesSummary(
        series=series,
        value=series.shown.text(newest.value),
        level=level,
        sentence=limit_sentence(series.shown, limits, newest.value)
        if is_good
        else newest.quality.wording,
        outlook=_outlook(series, newest, trend, now_us, zone) if numeric and is_good else late,
        facts=(*_sure_facts(series, newest), *_facts(series, readings, now_us, zone)),
        chart=chart,
        chart_range=_chart_range(series, chart),
    )


def _sure_facts(series: Series, newest: Latest) -> tuple[SummaryLine, ...]:
    if not series.uncertainty_text(newest.value, newest.time_us):
        return ()
    told = series.symbol_beside(newest.value, newest.time_us)
    return (SummaryLine(tr("Corrected, sure to"), told),)


def _late_words(series: Series, newest: Latest, now_us: int) -> str:
    """That the newest reading is no word of now; empty while it is fresh."""
    age_s = (now_us - newest.time_us) / SECOND_US
    match _freshness(series, newest, now_us):
        case Freshness.MAINTAINED:
            return tr("under maintenance: what it reads says nothing")
        case Freshness.SILENT:
            return tr("silent: {0} since the last reading, which says nothing of now", age(age_s))
        case Freshness.LATE:
            return tr("late: {0} since the last reading", age(age_s))
        case Freshness.FRESH:
            return ""


def _freshness(series: Series, newest: Latest, now_us: int) -> Freshness:
    station = series.station
    age_s = (now_us - newest.time_us) / SECOND_US
    return freshness(age_s, station.cadence_s, is_maintained=station.is_maintained(now_us))


def _outlook(series: Series, newest: Latest, trend: Trend | None, now_us: int, zone: tzinfo) -> str:
    """Where it is going, and how old what is known is; nothing is foretold from what is silent."""
    late = _late_words(series, newest, now_us)
    if not _freshness(series, newest, now_us).is_telling:
        return late
    told = outlook(series, newest.value, trend, now_us, zone)
    return f"{late} · {told}" if late else told


def outlook(series: Series, value: float, trend: Trend | None, now_us: int, zone: tzinfo) -> str:
    """Where it is going over the last hour, and when it would cross its limit at this pace."""
    if trend is None:
        return tr("too few readings in the last hour to tell a trend")
    told = series.shown
    steady_below = max(series.quantity.accuracy, 10.0 ** -(series.quantity.decimals + 1))
    if not trend.is_sure or abs(trend.per_hour) < steady_below / 2:
        return tr("steady over the last hour")
    # A slope with no word of its uncertainty would claim more than it knows.
    within = SURE_STANDARD_ERRORS * trend.standard_error
    pace = told.difference_figure(abs(trend.per_hour), more=1)
    if told.difference(within) >= 0.5 * 10.0 ** -(told.decimals + 1):
        pace += f" ±{told.difference_figure(within, more=1)}"
    going = tr("rising {0} an hour") if trend.per_hour > 0 else tr("falling {0} an hour")
    pace = going.format(pace)
    limit = _limit_ahead(series, value, trend)
    if limit is None:
        return pace
    ahead_us = (limit - value) / trend.per_hour * HOUR_US
    if not math.isfinite(ahead_us) or ahead_us > _FARTHEST_CROSSING_US:
        return pace
    clock = _clock(round(now_us + ahead_us), zone)
    return tr("{0} · at this pace {1} by {2}", pace, told.limit_text(limit), clock)


def _limit_ahead(series: Series, value: float, trend: Trend) -> float | None:
    if trend.per_hour > 0:
        ahead = [
            one
            for one in (*series.limits.above, *series.limits.below)
            if one is not None and one > value
        ]
        return min(ahead, default=None)
    ahead = [
        one
        for one in (*series.limits.above, *series.limits.below)
        if one is not None and one < value
    ]
    return max(ahead, default=None)


def _facts(series: Series, readings: Readings, now_us: int, zone: tzinfo) -> list[SummaryLine]:
    quantity = series.quantity
    cadence_s = series.station.cadence_s
    gap_s = max_gap_s(cadence_s)
    midnight_us = _midnight_us(now_us, zone)
    day = Window(now_us - DAY_US, now_us + 1)
    facts: list[SummaryLine] = []
    if midnight_us < now_us:
        facts += _facts_today(series, readings, Window(midnight_us, now_us + 1), zone)
    over = _time_over(series, readings, day)
    if over is not None:
        facts.append(SummaryLine(tr("Past the limit"), over, tr("of 24 h")))
    heard = completeness(
        readings, max_gap_s=gap_s, cadence_s=cadence_s, start_us=now_us - DAY_US, end_us=now_us
    )
    missed = max(0, heard.expected - heard.heard)
    facts.append(
        SummaryLine(
            tr("Heard"),
            f"{figure(100 * heard.completeness, 1)} %",
            tr("{0} missed", figure(missed, 0)) if missed else tr("none missed"),
        )
    )
    inside = inside_of(readings.time_us, day.start_us, day.end_us)
    suspect = int(np.count_nonzero(~readings[inside].good))
    if suspect:
        facts.append(SummaryLine(tr("Set aside"), figure(suspect, 0), tr("as suspect")))
    if quantity.scale is QuantityScale.NUMBER and quantity.accuracy:
        told = series.shown
        accuracy = told.difference_figure(quantity.accuracy)
        facts.append(SummaryLine(tr("Accuracy"), f"±{accuracy}", told.symbol))
    return facts


def _facts_today(
    series: Series, readings: Readings, today: Window, zone: tzinfo
) -> list[SummaryLine]:
    cadence_s = series.station.cadence_s
    pieces = pieces_of(
        readings,
        max_gap_s=max_gap_s(cadence_s),
        cadence_s=cadence_s,
        window=today,
        averaging=series.quantity.averaging,
    )
    if not pieces.covered_s:
        return []
    mean = mean_of(pieces)
    if series.quantity.scale is QuantityScale.STATE:
        return [
            SummaryLine(
                tr("On today"), duration(mean * pieces.covered_s), f"{figure(100 * mean, 0)} %"
            )
        ]
    told = series.shown
    facts = []
    if series.quantity.averaging is Averaging.CIRCULAR:
        inside = readings[inside_of(readings.time_us, today.start_us, today.end_us)]
        low, high = arc_of(inside.value[inside.good], inside.value[inside.good])
        arc = tr("{0} to {1}", told.figure(low), told.figure(high % 360.0))
        return [
            SummaryLine(tr("Mean today"), told.figure(mean)),
            SummaryLine(tr("Between, today"), arc, tr("clockwise")),
        ]
    top, bottom = highest(readings, today), lowest(readings, today)
    if top.value is not None and top.time_us is not None:
        facts.append(
            SummaryLine(tr("Highest today"), told.figure(top.value), _clock(top.time_us, zone))
        )
    facts.append(SummaryLine(tr("Mean today"), told.figure(mean, more=1)))
    if bottom.value is not None and bottom.time_us is not None:
        facts.append(
            SummaryLine(tr("Lowest today"), told.figure(bottom.value), _clock(bottom.time_us, zone))
        )
    return facts


def _time_over(series: Series, readings: Readings, window: Window) -> str | None:
    cadence_s = series.station.cadence_s
    pieces = pieces_of(
        readings,
        max_gap_s=max_gap_s(cadence_s),
        cadence_s=cadence_s,
        window=window,
        averaging=series.quantity.averaging,
    )
    upper = series.limits.above[Level.RAISED - 1]
    lower = series.limits.below[Level.RAISED - 1]
    if upper is None and lower is None:
        return None
    total_s = 0.0
    if upper is not None:
        total_s += excess_of(pieces, upper)[0]
    if lower is not None:
        total_s += excess_of(mirrored(pieces), -lower)[0]
    return tr("not once") if total_s == 0 else duration(total_s)


def _chart_range(series: Series, chart: Envelope) -> tuple[float, float]:
    if series.quantity.scale is QuantityScale.STATE:
        return -0.1, 1.1
    if chart.is_empty:
        return 0.0, 1.0
    low, high = float(np.nanmin(chart.low)), float(np.nanmax(chart.high))
    return honest_range(low, high, series.quantity.accuracy)


def _midnight_us(now_us: int, zone: tzinfo) -> int:
    local = datetime_from_time_us(now_us).astimezone(zone)
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0, fold=0)
    return time_us_from_datetime(midnight)


def _clock(time_us: int, zone: tzinfo) -> str:
    return clock_words(datetime_from_time_us(time_us).astimezone(zone))

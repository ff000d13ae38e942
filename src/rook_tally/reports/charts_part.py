"""The pictures of a report: hour by hour, courses, usual days and weeks, wind, the season."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from datetime import timedelta

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import IntArray
from rook_tally.core.comparing.directions import wind_rose
from rook_tally.core.quantities.levels import Level
from rook_tally.core.reports import charts
from rook_tally.core.reports.charts import Mark
from rook_tally.core.reports.document import Paragraph, ReportBlock, ReportPicture
from rook_tally.core.ticks import time_ticks, value_ticks
from rook_tally.core.timestamps import HOUR_US
from rook_tally.reports.figures_part import name_in
from rook_tally.reports.material import Calendar, Material, SeriesFigures, calendar_of, figures_of
from rook_tally.reports.texts import tr
from rook_tally.store.readings import envelopes, read_range
from rook_tally.store.site import Series

_COLUMNS = 480
_MOST_CHARTS = 24
_MOST_HOURS = 6
_MOST_SEASONS = 4
_LONGEST_HOURS_DAYS = 100
_SPEEDS = (2.0, 4.0, 6.0, 8.0, 10.0)


def titled(one: Series, material: Material) -> str:
    """How a picture of a series is called."""
    alike = [
        each.series for each in material.figures if each.series.quantity.slug == one.quantity.slug
    ]
    unit = f", {one.shown.symbol}" if one.shown.symbol else ""
    return f"{name_in(one, alike)}, {tr(one.quantity.heading)}{unit}"


def _numbers(material: Material) -> list[SeriesFigures]:
    """The series that are numbers, those that were past a limit first, the worst before."""
    told = [
        one
        for one in material.figures
        if not one.is_state and one.series.quantity.slug not in ("battery", "signal_strength")
    ]
    return sorted(told, key=lambda one: -_hours_past(one, material.calendar))


def _hours_past(one: SeriesFigures, calendar: Calendar) -> int:
    return int(np.count_nonzero(levels_by_hour(one, calendar) > Level.SETTLED))


def levels_by_hour(one: SeriesFigures, calendar: Calendar) -> IntArray:
    """(D, 24): the level of each hour by the clock, -1 where it is not known."""
    limits, value = one.series.limits, one.hours
    level = limits.levels_of(value.ravel()).reshape(value.shape)
    if limits.by_hours:
        middle = calendar.hours_us[:-1] + HOUR_US // 2
        where = calendar.hour_day[: len(middle)], calendar.hour_clock[: len(middle)]
        level[where] = limits.levels_at(middle, value[where])
    level[~np.isfinite(value)] = -1
    return level


def day_marks(calendar: Calendar) -> list[Mark]:
    """Days at which something is written: each of a few, every seventh, the first of months."""
    days = calendar.period.days
    first = calendar.period.first
    if days > 62:
        return [
            (at, f"{first + timedelta(days=at):%b}")
            for at in range(days)
            if (first + timedelta(days=at)).day == 1
        ]
    every = 1 if days <= 10 else 7
    return [(at, str((first + timedelta(days=at)).day)) for at in range(0, days, every)]


def hours_blocks(material: Material) -> list[ReportBlock]:
    """Days across and hours down of what was past its limits most."""
    if material.calendar.period.days > _LONGEST_HOURS_DAYS:
        return [Paragraph(tr("A stretch as long as this is shown as a season."))]
    told = [one for one in _numbers(material) if _hours_past(one, material.calendar)] or _numbers(
        material
    )[:1]
    return [
        ReportPicture(
            titled(one.series, material),
            charts.hour_sheet(
                levels_by_hour(one, material.calendar),
                np.asarray(one.series.shown.value(one.hours), np.float64),
                day_marks(material.calendar),
            ),
            tr("hour by hour; {0} hours past a limit", _hours_past(one, material.calendar)),
        )
        for one in told[:_MOST_HOURS]
    ]


def axis_of(low: float, high: float, decimals: int) -> tuple[tuple[float, float], list[Mark]]:
    """An honest range around values and the marks of its axis."""
    if not (math.isfinite(low) and math.isfinite(high)):
        return (0.0, 1.0), []
    room = max((high - low) * 0.06, 10.0**-decimals / 2)
    span = low - room, high + room
    ticks = value_ticks(*span, 4)
    told = max(decimals, 0)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    told = 0 if step >= 1 else max(told, -math.floor(math.log10(step)))
    return span, [(one, f"{one:,.{told}f}".replace(",", "\u2009")) for one in ticks]


def charts_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """The course of every series that is a number, as the Strip draws it."""
    calendar = material.calendar
    told = _numbers(material)
    # In the order in which they stand everywhere, once it is known which are shown.
    shown_ids = {one.series.id for one in told[:_MOST_CHARTS]}
    chosen = [one.series for one in material.figures if one.series.id in shown_ids]
    if not chosen:
        return []
    found = envelopes(connection, chosen, calendar.start_us, calendar.end_us, _COLUMNS)
    length = calendar.end_us - calendar.start_us
    marks = [
        ((tick.time_us - calendar.start_us) / length, tick.label)
        for tick in time_ticks(calendar.start_us, calendar.end_us, calendar.zone, 8)
    ]
    blocks: list[ReportBlock] = []
    for one in chosen:
        shown, envelope = one.shown, found[one.id]
        low, mean, high = (
            np.asarray(shown.value(each), np.float64)
            for each in (envelope.low, envelope.mean, envelope.high)
        )
        if not np.isfinite(mean).any():
            continue
        span, y_marks = axis_of(float(np.nanmin(low)), float(np.nanmax(high)), shown.decimals)
        limits = [
            (float(shown.value(limit)), Level(number), shown.limit_text(limit))
            for side in (one.limits.above, one.limits.below)
            for number, limit in enumerate(side, start=1)
            if limit is not None
        ]
        picture = charts.lane_chart(
            low, mean, high, limits=limits, x_marks=marks, y_marks=y_marks, span=span
        )
        blocks.append(
            ReportPicture(titled(one, material), picture, tr("its course over the stretch"))
        )
    if len(told) > _MOST_CHARTS:
        words = tr("{0} further series are not drawn here.", len(told) - _MOST_CHARTS)
        blocks.append(Paragraph(words, is_quiet=True))
    return blocks


def profile_blocks(material: Material) -> list[ReportBlock]:
    """Usual days: the median of each hour with the quarter above and below."""
    blocks: list[ReportBlock] = []
    for one in _numbers(material)[:_MOST_CHARTS]:
        hours = np.asarray(one.series.shown.value(one.hours), np.float64)
        known = np.isfinite(hours).any(axis=0)
        told = np.full((3, 24), np.nan)
        told[:, known] = np.nanquantile(hours[:, known], (0.5, 0.25, 0.75), axis=0)
        span, marks = axis_of(
            float(np.nanmin(told)), float(np.nanmax(told)), one.series.shown.decimals
        )
        picture = charts.profile_chart(told[0], told[1], told[2], marks, span)
        blocks.append(
            ReportPicture(titled(one.series, material), picture, tr("a usual day, hour by hour"))
        )
    return blocks


def week_blocks(material: Material) -> list[ReportBlock]:
    """A usual week: means of every hour of every weekday."""
    first = material.calendar.period.first
    weekday = (np.arange(material.calendar.period.days) + first.weekday()) % 7
    names = [tr(one) for one in ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")]
    blocks: list[ReportBlock] = []
    for one in _numbers(material)[:_MOST_CHARTS]:
        value = np.full((7, 24), np.nan)
        for day in range(7):
            rows = one.hours[weekday == day]
            known = np.isfinite(rows)
            count = known.sum(axis=0)
            total = np.where(known, rows, 0.0).sum(axis=0)
            value[day] = np.where(count > 0, total / np.maximum(count, 1), np.nan)
        picture = charts.week_chart(np.asarray(one.series.shown.value(value), np.float64), names)
        blocks.append(
            ReportPicture(titled(one.series, material), picture, tr("a usual week, hour by hour"))
        )
    return blocks


def wind_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """A wind rose of every station that tells direction and speed."""
    blocks: list[ReportBlock] = []
    calendar = material.calendar
    for one in material.figures:
        if one.series.quantity.slug != "wind_direction":
            continue
        speed = next(
            (
                each.series
                for each in material.figures
                if each.series.station.id == one.series.station.id
                and each.series.quantity.slug == "wind_speed"
            ),
            None,
        )
        if speed is None:
            continue
        direction, blowing = (
            read_range(connection, each.id, calendar.start_us, calendar.until_us)
            for each in (one.series, speed)
        )
        at = np.searchsorted(blowing.time_us, direction.time_us).clip(
            0, max(len(blowing.time_us) - 1, 0)
        )
        if not len(blowing.time_us):
            continue
        found = wind_rose(
            direction.value, blowing.value[at], speed_edges=np.array(_SPEEDS), sectors=16
        )
        shown = speed.shown
        classes = _speed_classes(shown.symbol, [float(shown.value(each)) for each in _SPEEDS])
        blocks.append(
            ReportPicture(
                tr("Wind at {0}: where it came from", one.series.station.place.name),
                charts.wind_chart(found.table, found.calm, classes),
                tr("wind rose, {0} % calm", f"{100 * found.calm:.0f}"),
            )
        )
    return blocks


def _speed_classes(symbol: str, edges: Sequence[float]) -> list[str]:
    told = [f"{one:.0f}" if one >= 10 else f"{one:.1f}".removesuffix(".0") for one in edges]
    middle = [f"{a} – {b} {symbol}" for a, b in itertools.pairwise(told)]
    return [f"< {told[0]} {symbol}", *middle, f"≥ {told[-1]} {symbol}"]


def season_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """The stretch as days across and hours down, and the same days of the year before."""
    calendar = material.calendar
    blocks: list[ReportBlock] = []
    earlier = calendar_of(calendar.period.year_before(), calendar.zone, calendar.until_us)
    for one in _numbers(material)[:_MOST_SEASONS]:
        title = titled(one.series, material)
        blocks.append(_season(one, calendar, title))
        before = figures_of(connection, one.series, earlier)
        if before is not None:
            year = calendar.period.first.year - 1
            blocks.append(_season(before, earlier, tr("{0}: the same days of {1}", title, year)))
    return blocks


def _season(one: SeriesFigures, calendar: Calendar, title: str) -> ReportPicture:
    shown = one.series.shown
    hours = np.asarray(shown.value(one.hours), np.float64)
    known = hours[np.isfinite(hours)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (math.nan, math.nan)
    words = [
        f"{shown.figure(float(shown.unit.to_base(each)))} {shown.symbol}".rstrip()
        for each in (low, high)
    ]
    picture = charts.season_sheet(hours, day_marks(calendar), *words)
    return ReportPicture(title, picture, tr("hour by hour, from {0} to {1}", *words))

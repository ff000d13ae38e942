"""Figures by place, limits and guidelines, and what was not heard."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from zoneinfo import ZoneInfo

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray
from rook_tally.core.comparing.day_figures import annual_mean, days_above
from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.guidelines import Guideline, Rule
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import UNKNOWN, duration, figure
from rook_tally.core.reports.definitions import ReportStretch
from rook_tally.core.reports.document import Paragraph, ReportBlock, ReportCell, ReportTable
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.reports.material import Material, SeriesFigures
from rook_tally.reports.texts import tr
from rook_tally.store.site import Series

_POORLY = 0.9


def moment(time_us: int, zone: ZoneInfo) -> str:
    """A moment of the stretch, in its zone."""
    told = datetime_from_time_us(time_us).astimezone(zone)
    return f"{day_words(told, weekday=True)}, {clock_words(told)}"


def name_in(series: Series, several: Iterable[Series]) -> str:
    """The place of a series; with its station where the place has several of them."""
    place = series.station.place.name
    alike = [one for one in several if one.station.place.name == place]
    return f"{place} · {series.station.key}" if len(alike) > 1 else place


def by_quantity(material: Material) -> list[list[SeriesFigures]]:
    """Series of a quantity together, in the order in which they come."""
    found: dict[str, list[SeriesFigures]] = {}
    for one in material.figures:
        found.setdefault(one.series.quantity.slug, []).append(one)
    return list(found.values())


def figures_blocks(material: Material) -> list[ReportBlock]:
    """A table a quantity: lowest, mean, highest, when, how much was heard."""
    blocks: list[ReportBlock] = []
    for several in by_quantity(material):
        is_state = several[0].is_state
        blocks.append(_states(several) if is_state else _numbers(several, material.calendar.zone))
    return blocks


def _numbers(several: Sequence[SeriesFigures], zone: ZoneInfo) -> ReportTable:
    shown = several[0].series.shown
    unit = f", {shown.symbol}" if shown.symbol else ""
    names = [one.series for one in several]
    return ReportTable(
        (
            f"{tr(several[0].series.quantity.heading)}{unit}",
            tr("lowest"),
            tr("when"),
            tr("mean"),
            tr("highest"),
            tr("when"),
            tr("heard"),
        ),
        tuple(
            (
                ReportCell(name_in(one.series, names)),
                _valued(one.series, shown, one.low, one.low_us),
                ReportCell(moment(one.low_us, zone)),
                ReportCell(shown.figure(one.mean), is_strong=True),
                _valued(one.series, shown, one.high, one.high_us),
                ReportCell(moment(one.high_us, zone)),
                heard_cell(one.heard),
            )
            for one in several
        ),
        (2.3, 0.85, 1.95, 0.85, 0.95, 1.95, 0.9),
        "lrrrrrr",
    )


def _valued(series: Series, shown: DisplayUnit, value: float, time_us: int) -> ReportCell:
    return ReportCell(shown.figure(value), level=series.limits.at(time_us).level_of(value))


def _states(several: Sequence[SeriesFigures]) -> ReportTable:
    names = [one.series for one in several]
    return ReportTable(
        (
            tr(several[0].series.quantity.heading),
            tr("on for"),
            tr("share"),
            tr("times"),
            tr("heard"),
        ),
        tuple(
            (
                ReportCell(name_in(one.series, names)),
                ReportCell(duration(one.on_s), is_strong=True),
                ReportCell(
                    f"{figure(100 * one.mean, 1)} %" if math.isfinite(one.mean) else UNKNOWN
                ),
                ReportCell(figure(one.turns, 0)),
                heard_cell(one.heard),
            )
            for one in several
        ),
        (3.4, 1.4, 1.2, 1.0, 1.0),
        "lrrrr",
    )


def heard_cell(share: float) -> ReportCell:
    """How much was heard."""
    return ReportCell(
        f"{figure(100 * share, 1)} %", level=Level.NOTICED if share < _POORLY else Level.SETTLED
    )


def held_against(
    one: SeriesFigures,
    told: Guideline,
    stretch: ReportStretch,
    followed: SeriesFigures | None = None,
) -> tuple[int, int, float]:
    """How many days, or years, are past a guideline, how many count, and the worst of them; held
    against the same means of the series it follows, where it does."""
    if told.follows is not None and followed is None:
        return 0, 0, math.nan
    if told.rule is Rule.YEAR_MEAN:
        year = annual_mean(one.days.mean, one.days.valid)
        if stretch is not ReportStretch.YEAR or not year.enough:
            return 0, 0, math.nan
        limit = told.limit
        if followed is not None:
            there = annual_mean(followed.days.mean, followed.days.valid)
            if not there.enough:
                return 0, 0, math.nan
            limit = there.mean
        return int(year.mean > limit), 1, year.mean
    value, valid = _means(one, told.rule)
    limits: float | FloatArray = told.limit
    if followed is not None:
        there_mean, there_valid = _means(followed, told.rule)
        limits = np.where(there_valid, there_mean, np.nan)
        valid = valid & ~np.isnan(limits)
    found = days_above(value, limits, valid)
    counted = value[valid & np.isfinite(value)]
    worst = float(counted.max()) if len(counted) else math.nan
    return found.days_above or 0, found.valid_days, worst


def _means(one: SeriesFigures, rule: Rule) -> tuple[FloatArray, BoolArray]:
    """The mean of each day that a rule is about, and which of them count."""
    if rule is Rule.DAY_MEAN:
        return one.days.mean, one.days.valid
    if rule is Rule.RUNNING_8H:
        return one.eight_h, one.eight_h_valid
    with np.errstate(all="ignore"):
        highest = np.array(
            [np.nanmax(row) if np.isfinite(row).any() else np.nan for row in one.hours]
        )
    return highest, np.count_nonzero(np.isfinite(one.hours), axis=1) >= 18


def limits_blocks(
    material: Material,
    guidelines: Sequence[Guideline],
    stretch: ReportStretch,
    followed: Mapping[str, SeriesFigures],
) -> list[ReportBlock]:
    """Days past each guideline, of the days that count, and the worst; then the sources."""
    rows, sources = [], []
    for several in by_quantity(material):
        names = [one.series for one in several]
        for told in guidelines:
            if told.quantity != several[0].series.quantity.slug:
                continue
            for one in several:
                past, counted, worst = held_against(one, told, stretch, followed.get(told.slug))
                if not counted:
                    continue
                sources.append(told)
                rows.append(_limit_row(one, told, name_in(one.series, names), past, counted, worst))
    if not rows:
        return [Paragraph(tr("Nothing here is held against a guideline, or too little was heard."))]
    table = ReportTable(
        (tr("Where"), tr("guideline"), tr("limit"), tr("past"), tr("worst")),
        tuple(rows),
        (3.0, 2.6, 1.4, 1.4, 1.2),
        "llrrr",
    )
    known = dict.fromkeys(
        f"{one.name}: {one.source or tr('own')}"
        if one.follows is None
        else tr("{0}: the same mean of {1}", one.name, " ".join(one.follows))
        for one in sources
    )
    rule = tr("A day counts when 75 % of it was heard, a year when 90 % of its days count.")
    return [table, Paragraph(f"{rule} {'; '.join(known)}.", is_quiet=True)]


def _limit_row(
    one: SeriesFigures, told: Guideline, name: str, past: int, counted: int, worst: float
) -> tuple[ReportCell, ...]:
    shown = one.series.shown
    quantity = tr(one.series.quantity.heading)
    is_year = told.rule is Rule.YEAR_MEAN
    level = Level.RAISED if past > told.allowed else Level.NOTICED if past else Level.SETTLED
    of = tr("{0} of {1} days", past, counted)
    return (
        ReportCell(f"{name}, {quantity}"),
        ReportCell(f"{told.name}, {tr(told.rule.words)}"),
        ReportCell(
            f"{shown.limit_text(told.limit)} {shown.symbol}".rstrip()
            if told.follows is None
            else tr("as there")
        ),
        ReportCell((tr("yes") if past else tr("no")) if is_year else of, level=level),
        ReportCell(shown.figure(worst, more=0), is_strong=True),
    )


def not_heard_blocks(material: Material) -> list[ReportBlock]:
    """Series of which much was not heard, or nothing."""
    poor = [one for one in material.figures if one.heard < _POORLY]
    rows = [
        (
            ReportCell(one.series.station.key),
            ReportCell(f"{one.series.station.place.name}, {tr(one.series.quantity.heading)}"),
            heard_cell(one.heard),
        )
        for one in sorted(poor, key=lambda each: each.heard)
    ]
    rows += [
        (
            ReportCell(one.station.key),
            ReportCell(f"{one.station.place.name}, {tr(one.quantity.heading)}"),
            ReportCell(tr("nothing"), level=Level.RAISED),
        )
        for one in material.silent
    ]
    if not rows:
        return [Paragraph(tr("Of every series nine tenths or more were heard."))]
    return [
        ReportTable((tr("Station"), tr("What"), tr("heard")), tuple(rows), (2.0, 3.6, 1.0), "llr")
    ]

"""The page of what is usual and what is not."""

from __future__ import annotations

from datetime import tzinfo

import numpy as np

from rook_tally.bench.usual import UsualAnswer
from rook_tally.bench.wording import long_name
from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.quantities.guidelines import Rule
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.axes import shown_values, value_marks
from rook_tally.desk.bench.pair_sheet import duration_words
from rook_tally.desk.bench.plots import (
    Bars,
    Between,
    HeatTable,
    Ink,
    LevelLine,
    Plot,
    PlotLine,
    range_of,
)
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr, tr_count

_APART = 0.14
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def usual_sheet(answer: UsualAnswer, zone: tzinfo) -> Sheet:
    """A day's profile with today on it, the week, how this stretch differs, and the spells."""
    span_s = (answer.end_us - answer.start_us) / 1e6
    shown = answer.series.shown
    level = f"{shown.limit_text(answer.threshold)} {shown.symbol}".rstrip()
    picture = ((_profile(answer),), (_week(answer), _distribution(answer)))
    return Sheet(
        tr("{0} · {1}", long_name(answer.series), duration_words(span_s)),
        answer.sentence,
        picture if answer.profile.n.any() else (),
        _side(answer, level),
        tr_count(len(answer.spells), "1 spell", "{0} spells"),
        tr("Above {0}, the longest first", level),
        (tr("From"), tr("How long"), tr("Peak"), tr("Over it"), ""),
        _lines(answer, zone),
    )


def _profile(answer: UsualAnswer) -> Plot:
    shown, told = answer.series.shown, answer.profile
    step = 24.0 / len(told.start_s)
    hours = told.start_s / 3600 + step / 2
    median, low, high, today = (
        shown_values(shown, one) for one in (told.median, told.p25, told.p75, answer.today)
    )
    bottom, top = range_of(median, low, high, today)
    return Plot(
        tr("By time of day"),
        (
            *_guideline_lines(answer, bottom, top),
            Between(hours, low, high, Ink.FIRST),
            PlotLine(hours, median, Ink.FIRST, tr("median"), 1.8),
            PlotLine(hours, today, Ink.STRONG, tr("today"), 1.8),
        ),
        (0.0, 24.0),
        (bottom, top),
        tuple((float(hour), f"{hour:02}:00") for hour in range(0, 24, 3)),
        value_marks(bottom, top, shown.decimals, shown.symbol),
        ((tr("median and middle half"), Ink.FIRST), (tr("today"), Ink.STRONG)),
        weight=1.6,
        spoken=tr("what is usual by time of day, and today"),
    )


def _guideline_lines(answer: UsualAnswer, bottom: float, top: float) -> list[LevelLine]:
    """Guidelines for means of a day or less, as far as they lie in the picture and their words do
    not lie on one another; all of them stand among the figures."""
    found: list[LevelLine] = []
    for one in answer.guidelines:
        level = float(answer.series.shown.value(one.level))
        is_near = bool(found) and level - found[-1].at < _APART * (top - bottom)
        if one.rule is not Rule.YEAR_MEAN and bottom < level < top and not is_near:
            found.append(LevelLine(level, Ink.FAINT, one.title))
    return found


def _week(answer: UsualAnswer) -> HeatTable:
    shown = answer.series.shown
    mean = answer.week.mean.reshape(7, 24)
    known = mean[np.isfinite(mean)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    return HeatTable(
        tr("By hour of the week"),
        shown_values(shown, mean),
        answer.week.share.reshape(7, 24),
        shown.figure(low),
        f"{shown.figure(high)} {shown.symbol}".rstrip(),
        tuple(tr(one) for one in _DAYS),
        tuple((hour, f"{hour:02}") for hour in range(0, 24, 6)),
        weight=1.4,
        spoken=tr("means by hour of the week"),
    )


def _distribution(answer: UsualAnswer) -> Plot:
    shown, told = answer.series.shown, answer.distribution
    count = told.shares.shape[1]
    edges = shown_values(shown, np.linspace(told.low, told.high, count + 1))
    before, now = told.shares
    top = float(max(told.shares.max(), 1e-9)) * 1.15
    low, high = float(edges[0]), float(edges[-1])
    middles = (edges[:-1] + edges[1:]) / 2
    days = figure(answer.before_days, 0)
    return Plot(
        tr("How often which value"),
        (
            Bars(edges, now, Ink.FIRST),
            PlotLine(
                middles, np.where(before.any(), before, np.nan), Ink.STRONG, tr("before"), 1.6
            ),
            LevelLine(float(shown.value(answer.threshold)), Ink.FAINT, upright=True),
        ),
        (low, high),
        (0.0, top),
        value_marks(low, high, shown.decimals, shown.symbol),
        legend=((tr("these {0} days", days), Ink.FIRST), (tr("those before"), Ink.STRONG))[
            : 2 if before.any() else 1
        ],
        weight=1.4,
        spoken=tr("how this stretch differs from the one before"),
    )


def _lines(answer: UsualAnswer, zone: tzinfo) -> tuple[SheetLine, ...]:
    shown = answer.series.shown
    return tuple(
        SheetLine(
            (
                _when(one.start_us, zone),
                duration((one.end_us - one.start_us) / 1e6),
                f"{shown.figure(one.peak)} {shown.symbol}".rstrip(),
                f"{shown.difference_figure(one.area_h)} {shown.symbol} h".strip(),
                tr("begins or ends unheard") if one.cut else "",
            ),
            number,
            order=(one.start_us, one.end_us - one.start_us, one.peak, one.area_h, one.cut),
        )
        for number, one in enumerate(answer.spells)
    )


def _when(time_us: int, zone: tzinfo) -> str:
    moment = datetime_from_time_us(time_us).astimezone(zone)
    return f"{day_words(moment, weekday=True)} {clock_words(moment)}"


def _side(answer: UsualAnswer, level: str) -> SideNotes:
    shown, spells = answer.series.shown, answer.spells
    total_s = sum((one.end_us - one.start_us) / 1e6 for one in spells)
    facts = [(tr("Spells"), figure(len(spells), 0)), (tr("Altogether"), duration(total_s))]
    if spells:
        facts += [
            (tr("Longest"), duration((spells[0].end_us - spells[0].start_us) / 1e6)),
            (tr("Highest"), f"{shown.figure(max(one.peak for one in spells))} {shown.symbol}"),
        ]
    return SideNotes(
        answer.series.station.place.name,
        tr("Above {0}", level),
        figure(len(spells), 0),
        tr_count(len(spells), "spell", "spells"),
        tr("The limit in force.")
        if answer.by_limit
        else tr("A twentieth of the readings pass it."),
        None,
        (
            (BenchAction.OPEN, tr("Look at it in the Strip")),
            (BenchAction.NAME_SPELL, tr("Name the picked spell…")),
        ),
        (
            *facts,
            *(
                (one.title, f"{shown.limit_text(one.level)} {shown.symbol}".rstrip())
                for one in answer.guidelines
            ),
        ),
        answer.notes,
    )

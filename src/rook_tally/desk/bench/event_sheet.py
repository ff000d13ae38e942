"""The page of what happens when: the response of one series, and which of all move."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.bench.respond import RankingAnswer, ResponseAnswer
from rook_tally.bench.wording import in_unit, level_in_unit, long_name, signed_figure
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.axes import shown_differences, value_marks
from rook_tally.desk.bench.plots import Between, Ink, LevelLine, Plot, PlotLine, range_of
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr, tr_count

_SINGLE = 12


def event_sheet(
    ranking: RankingAnswer, answers: tuple[ResponseAnswer, ...], left: int = 0
) -> Sheet:
    """The courses of each picked series laid over one another, and the list of all series."""
    answer = answers[0] if answers else None
    moving = sum(one.p < 0.05 for one in ranking.ranked)
    times = tr_count(len(ranking.events.times_us), "once", "{0} times")
    lines = tuple(
        SheetLine(
            (
                long_name(one.series),
                in_unit(one.series.shown, one.effect.excess, one.effect.within, signed=True),
                _chance(one.p),
                figure(one.effect.days, 0) if one.effect.days else "–",
            ),
            one.series.id,
            is_quiet=not one.p < 0.05,
            order=(math.nan, one.effect.excess, one.p, one.effect.days),
        )
        for one in ranking.ranked
    )
    over = tr("{0} · {1}", ranking.events.title, times)
    if left:
        looked = len(ranking.ranked)
        over = tr("{0} · {1} of {2} series looked at", over, looked, looked + left)
    sentence = ranking.sentence if answer is None else answer.sentence
    plots = tuple(_courses(one) for one in answers)
    # Two in a row at most: narrower ones tell nothing.
    picture = tuple(plots[at : at + 2] for at in range(0, len(plots), 2))
    return Sheet(
        over,
        sentence,
        picture,
        _side(ranking, answer),
        tr_count(moving, "1 moves", "{0} move"),
        tr(
            "What moves when it happens, {0} tried; pick several to see them together",
            ranking.tried,
        ),
        (tr("Series"), tr("Against other days"), tr("By chance"), tr("Days")),
        lines,
        picks_several=True,
    )


def _chance(p: float) -> str:
    if not math.isfinite(p):
        return tr("cannot be told")
    if p < 0.0001:
        return tr("< 0.01 %")
    return f"{figure(100 * p, 2 if p < 0.01 else 0)} %"


def _courses(answer: ResponseAnswer) -> Plot:
    shown, told = answer.series.shown, answer.response
    minutes = told.offset_s / 60
    mean, low, high = (shown_differences(shown, one) for one in (told.mean, told.low, told.high))
    single = shown_differences(shown, answer.courses[-_SINGLE:])
    spread = np.nanquantile(single, (0.05, 0.95), axis=None) if single.size else np.zeros(1)
    bottom, top = range_of(mean, low, high, spread)
    marks: list[PlotLine | Between | LevelLine] = [
        PlotLine(minutes, np.clip(one, bottom, top), Ink.FAINT, thick=0.6) for one in single
    ]
    marks += [
        Between(minutes, low, high, Ink.STRONG),
        PlotLine(minutes, mean, Ink.STRONG, tr("mean"), 2.2),
        LevelLine(0.0, Ink.FAINT),
        LevelLine(0.0, Ink.TODAY, tr("it happens"), dashed=False, upright=True),
    ]
    if told.back_after_s is not None:
        words = tr("back after {0}", duration(told.back_after_s))
        marks.append(LevelLine(told.back_after_s / 60, Ink.AFTER, words, upright=True))
    left, right = float(minutes[0]), float(minutes[-1])
    return Plot(
        tr(
            "{0}, change in {1}",
            long_name(answer.series),
            shown.symbol or answer.series.quantity.name,
        ),
        tuple(marks),
        (left, right),
        (bottom, top),
        tuple((at, tr("{0} min", words)) for at, words in value_marks(left, right, 0, most=6)),
        value_marks(bottom, top, shown.decimals, shown.symbol),
        ((tr("mean and its interval"), Ink.STRONG), (tr("single times"), Ink.FAINT)),
        weight=3.0,
        spoken=tr("the courses around each time, and their mean"),
    )


def _side(ranking: RankingAnswer, answer: ResponseAnswer | None) -> SideNotes:
    words = ranking.sentence.text
    if answer is None:
        return SideNotes(ranking.events.title, tr("Pick a series of the list"), words=words)
    shown, told, effect = answer.series.shown, answer.response, answer.effect
    facts: tuple[tuple[str, str], ...] = (
        (tr("Times that speak"), figure(told.events, 0)),
        (tr("Left out"), figure(told.left_out, 0)),
        (tr("Peak"), in_unit(shown, told.peak, math.nan, signed=True)),
        (tr("Peak after"), _time(told.peak_after_s)),
        (tr("Back after"), _time(told.back_after_s)),
        (tr("Against other days"), in_unit(shown, effect.excess, effect.within, signed=True)),
        (tr("By chance"), _chance(effect.p)),
        (tr("Days with it"), figure(effect.days, 0)),
    )
    change = answer.change
    if change is not None:
        half = (change.high - change.low) / 2
        facts += (
            (tr("Before"), level_in_unit(shown, change.mean_before)),
            (tr("After"), level_in_unit(shown, change.mean_after)),
            (tr("Difference"), in_unit(shown, change.difference, half, signed=True)),
            (
                tr("Independent readings"),
                f"{figure(change.n_eff_before, 0)}, {figure(change.n_eff_after, 0)}",
            ),
        )
    big = ""
    if math.isfinite(told.peak):
        big = signed_figure(shown.difference(told.peak), shown.decimals)
    return SideNotes(
        answer.events.title,
        long_name(answer.series),
        big,
        shown.symbol,
        words,
        None,
        ((BenchAction.OPEN, tr("Look at it in the Strip")),),
        facts,
        answer.notes,
    )


def _time(told: float | None) -> str:
    return "–" if told is None else duration(told)

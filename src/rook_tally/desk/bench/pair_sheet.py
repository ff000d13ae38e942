"""The page of two series side by side."""

from __future__ import annotations

import math
from datetime import tzinfo

import numpy as np

from rook_tally.bench.pair import PairAnswer
from rook_tally.bench.wording import in_unit, long_name, plus_minus, short_names, signed_figure
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.axes import (
    as_x,
    shown_differences,
    shown_values,
    time_marks,
    value_marks,
)
from rook_tally.desk.bench.plots import (
    Between,
    Dots,
    Ink,
    LevelLine,
    Mark,
    Plot,
    PlotLine,
    range_of,
)
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr, tr_count


def pair_sheet(answer: PairAnswer, zone: tzinfo) -> Sheet:
    """Both traces and their difference, difference against mean, one against the other, lag."""
    one, other = short_names((answer.first, answer.second))
    span = (answer.end_us - answer.start_us) / 1e6
    over = tr("{0} · difference is {1} less {2}", duration_words(span), other, one)
    if not answer.pairs:
        return Sheet(
            over,
            answer.sentence,
            side=SideNotes(_place(answer), tr("No correction"), words=answer.refused),
            figure=tr("never together"),
        )
    return Sheet(
        over,
        answer.sentence,
        (
            (_traces(answer, zone, one, other),),
            (_difference(answer, zone, one, other),),
            (_against_mean(answer), _one_against_other(answer, one, other), _lag(answer)),
        ),
        _side(answer, zone),
        _list_figure(answer),
        tr("Each beside {0}", one) if answer.others else "",
        (tr("Series"), tr("Difference, mean"), tr("Drift a month"), tr("Correlation"))
        if answer.others
        else (),
        _others(answer) if answer.others else (),
    )


def _others(answer: PairAnswer) -> tuple[SheetLine, ...]:
    """Every series beside the first, the one shown among them."""
    rows = [(answer.second, answer.figures)]
    rows += [(one.series, one.figures) for one in answer.others]
    return tuple(
        SheetLine(
            (
                long_name(series),
                in_unit(series.shown, told.difference.mean, told.difference.within, signed=True),
                plus_minus(
                    series.shown.difference(told.drift.drift_per_month),
                    series.shown.difference((told.drift.high - told.drift.low) / 2),
                    signed=True,
                ),
                figure(told.correlation, 2),
            ),
            series.id,
        )
        for series, told in rows
    )


def duration_words(span_s: float) -> str:
    """How long a stretch is, in days from two days on."""
    days = span_s / 86_400
    return tr_count(round(days), "1 day", "{0} days") if days >= 2 else duration(span_s)


def _list_figure(answer: PairAnswer) -> str:
    mean, shown = answer.figures.difference, answer.second.shown
    if not math.isfinite(mean.within) or abs(mean.mean) <= mean.within:
        return tr("agree") if math.isfinite(mean.within) else "–"
    told = signed_figure(shown.difference(mean.mean), shown.decimals)
    if not any(digit in told for digit in "123456789"):
        return tr("agree")
    return f"{told} {shown.symbol}".rstrip()


def _place(answer: PairAnswer) -> str:
    return f"{answer.second.station.place.name} · {answer.second.quantity.name}"


def _traces(answer: PairAnswer, zone: tzinfo, one: str, other: str) -> Plot:
    shown = answer.first.shown
    first, second = (
        shown_values(shown, trace.mean) for trace in (answer.first_trace, answer.second_trace)
    )
    x = as_x(answer.first_trace.time_us)
    others = [shown_values(shown, one.trace.mean) for one in answer.others]
    low, high = range_of(first, second, *others)
    return Plot(
        "",
        (
            *(PlotLine(x, each, Ink.FAINT, thick=0.9) for each in others),
            PlotLine(x, first, Ink.FIRST, one),
            PlotLine(x, second, Ink.SECOND, other),
        ),
        (float(answer.start_us), float(answer.end_us)),
        (low, high),
        (),
        value_marks(low, high, shown.decimals, shown.symbol),
        ((other, Ink.SECOND), (one, Ink.FIRST)),
        weight=2.0,
        spoken=tr("{0} and {1} over time", one, other),
    )


def _difference(answer: PairAnswer, zone: tzinfo, one: str, other: str) -> Plot:
    shown, trace = answer.second.shown, answer.difference_trace
    mean, sd = shown_differences(shown, trace.mean), shown.difference(answer.figures.sd)
    begin, end = (
        shown.difference(each) for each in (answer.figures.bias_start, answer.figures.bias_end)
    )
    ends = np.array([answer.start_us, answer.end_us], np.float64)
    line = np.array([begin, end])
    half = 1.96 * (sd if math.isfinite(sd) else 0.0)
    # The band is that of single differences; columns are means of many.
    low, high = range_of(mean, line - half, line + half, np.zeros(1), margin=0.03)
    drifts = (
        math.isfinite(answer.figures.drift.low)
        and answer.figures.drift.low * answer.figures.drift.high > 0
    )
    decimals = shown.decimals
    marks: tuple[Mark, ...] = (
        Between(ends, np.maximum(line - half, low), np.minimum(line + half, high), Ink.STRONG),
        LevelLine(0.0, Ink.FAINT),
        PlotLine(as_x(trace.time_us), mean, Ink.FAINT, tr("difference"), 1.0),
        PlotLine(ends, line, Ink.STRONG, tr("line through it"), 2.0),
    )
    return Plot(
        tr("{0} less {1}, {2}", other, one, shown.symbol or shown.quantity.name),
        marks,
        (float(ends[0]), float(ends[1])),
        (low, high),
        time_marks(answer.start_us, answer.end_us, zone),
        ((begin, signed_figure(begin, decimals)), (end, signed_figure(end, decimals)))[
            : 2 if drifts else 1
        ],
        weight=1.3,
        spoken=tr("their difference over time"),
    )


def _against_mean(answer: PairAnswer) -> Plot:
    shown = answer.second.shown
    difference = shown_differences(shown, answer.sample_second - answer.sample_first)
    middle = shown_values(shown, (answer.sample_first + answer.sample_second) / 2)
    mean, low, high = (
        shown.difference(one)
        for one in (answer.figures.difference.mean, answer.figures.low, answer.figures.high)
    )
    bottom, top = range_of(difference, np.array([low, high]), margin=0.12)
    left, right = range_of(middle, margin=0.03)
    decimals = shown.decimals
    return Plot(
        tr("Difference against mean"),
        (
            Dots(middle, difference, Ink.FIRST),
            LevelLine(high, Ink.FAINT, signed_figure(high, decimals)),
            LevelLine(
                mean, Ink.STRONG, tr("mean {0}", signed_figure(mean, decimals)), dashed=False
            ),
            LevelLine(low, Ink.FAINT, signed_figure(low, decimals)),
        ),
        (left, right),
        (bottom, top),
        _ends(left, right, decimals, shown.symbol),
        weight=1.8,
        spoken=tr("difference against mean, with the limits of agreement"),
    )


def _ends(left: float, right: float, decimals: int, symbol: str) -> tuple[tuple[float, str], ...]:
    return ((left, figure(left, decimals)), (right, f"{symbol} {figure(right, decimals)}".lstrip()))


def _one_against_other(answer: PairAnswer, one: str, other: str) -> Plot:
    shown = answer.first.shown
    x, y = shown_values(shown, answer.sample_first), shown_values(shown, answer.sample_second)
    low, high = range_of(x, y, margin=0.03)
    ends = np.array([low, high])
    marks: list[PlotLine | Dots] = [
        PlotLine(ends, ends, Ink.FAINT, dashed=True),
        Dots(x, y, Ink.SECOND),
    ]
    title = tr("One against the other")
    legend: tuple[tuple[str, Ink], ...] = ()
    if math.isfinite(answer.figures.line.gain):
        base = np.asarray(shown.unit.to_base(ends), np.float64)
        fitted = shown_values(shown, answer.figures.line.gain * base + answer.figures.line.offset)
        marks.append(PlotLine(ends, fitted, Ink.STRONG, tr("fitted line"), 1.8))
        gain = answer.figures.line.gain
        at_zero = _signed(float(fitted[0]) - gain * low, shown.decimals)
        words = f"{other} = {figure(gain, 2)} × {one} {at_zero}"
        legend = ((words, Ink.STRONG),)
    return Plot(
        title,
        tuple(marks),
        (low, high),
        (low, high),
        (
            (low, f"{one} {figure(low, shown.decimals)}"),
            _ends(low, high, shown.decimals, shown.symbol)[1],
        ),
        legend=legend,
        weight=1.8,
        spoken=tr("{0} against {1}", other, one),
    )


def _signed(value: float, decimals: int) -> str:
    told = figure(abs(value), decimals)
    return f"− {told}" if value < 0 else f"+ {told}"


def _lag(answer: PairAnswer) -> Plot:
    lag = answer.figures.lag
    x = lag.shift_s / 60
    low, high = range_of(lag.r) if len(lag.r) else (0.0, 1.0)
    left, right = (float(x[0]), float(x[-1])) if len(x) else (-1.0, 1.0)
    marks: list[PlotLine | LevelLine] = [PlotLine(x, lag.r, Ink.FIRST, tr("correlation"), 1.6)]
    if math.isfinite(lag.lag_s):
        words = _lag_words(lag.lag_s, lag.within_s)
        marks.append(LevelLine(lag.lag_s / 60, Ink.TODAY, words, dashed=False, upright=True))
    return Plot(
        tr("How they follow each other"),
        tuple(marks),
        (left, right),
        (low, high),
        ((left, tr("{0} min", figure(left, 0))), (right, tr("{0} min", f"+{figure(right, 0)}"))),
        weight=1.8,
        spoken=tr("correlation by shift"),
    )


def _lag_words(lag_s: float, within_s: float) -> str:
    if math.isfinite(within_s) and abs(lag_s) <= within_s:
        return tr("together")
    told = figure(abs(lag_s), 0)
    return tr("{0} s behind", told) if lag_s > 0 else tr("{0} s ahead", told)


def _side(answer: PairAnswer, zone: tzinfo) -> SideNotes:
    shown, proposal = answer.second.shown, answer.proposal
    facts = (
        (tr("Pairs within {0} s", figure(answer.figures.tolerance_s, 0)), figure(answer.pairs, 0)),
        (tr("of these independent"), figure(answer.figures.difference.independent, 0)),
        (
            tr("Difference, mean"),
            in_unit(
                shown, answer.figures.difference.mean, answer.figures.difference.within, signed=True
            ),
        ),
        (
            tr("Agreement, 95 %"),
            f"{signed_figure(shown.difference(answer.figures.low), shown.decimals)} … "
            f"{signed_figure(shown.difference(answer.figures.high), shown.decimals)}",
        ),
        (tr("Gain"), plus_minus(answer.figures.line.gain, answer.figures.line.gain_within)),
        (tr("Gain, by medians"), figure(answer.figures.robust.gain, 3)),
        (tr("Lag"), f"{plus_minus(answer.figures.lag.lag_s, answer.figures.lag.within_s)} s"),
        (
            tr("Drift a month"),
            plus_minus(
                shown.difference(answer.figures.drift.drift_per_month),
                shown.difference((answer.figures.drift.high - answer.figures.drift.low) / 2),
                signed=True,
            ),
        ),
        (tr("Correlation"), figure(answer.figures.correlation, 2)),
        (tr("Heard together"), f"{figure(100 * answer.figures.heard, 1)} %"),
    )
    if proposal is None:
        return SideNotes(
            _place(answer),
            tr("No correction proposed"),
            words=answer.refused,
            facts=facts,
            notes=answer.notes,
            buttons=((BenchAction.ADD_POINT, tr("Add a reference point…")),),
        )
    steps = len(proposal.offsets)
    middle = float(proposal.offsets.mean())
    words = [tr("for {0}.", answer.second.station.key)]
    if steps > 1:
        half = shown.difference(proposal.drift_within)
        rate = plus_minus(shown.difference(-proposal.drift_per_month), half, signed=True)
        words.append(tr("It drifts, so as {0} dated steps, {1} a month.", steps, rate))
    if proposal.gain != 1:
        words.append(
            tr("The gain differs from 1: {0}.", plus_minus(proposal.gain, proposal.gain_within))
        )
    else:
        words.append(
            tr(
                "An offset serves: a gain ({0}) would bring no more.",
                plus_minus(answer.figures.line.gain, answer.figures.line.gain_within),
            )
        )
    decimals = shown.decimals
    within = shown.difference(proposal.within)
    big = (
        f"× {figure(proposal.gain, 3)}"
        if proposal.gain != 1
        else signed_figure(shown.difference(middle), decimals)
    )
    after = (
        in_unit(shown, middle, proposal.within, signed=True)
        if proposal.gain != 1
        else f"±{figure(within, max(decimals, 1) if within < 1 else decimals)} {shown.symbol}"
    )
    return SideNotes(
        _place(answer),
        tr("Proposed correction"),
        big,
        after,
        " ".join(words),
        _before_and_after(answer, zone),
        (
            (BenchAction.TAKE, tr("Take this correction")),
            (BenchAction.TAKE_FROM, tr("From…")),
            (BenchAction.ADD_POINT, tr("Add a reference point…")),
        ),
        facts,
        (*answer.notes, tr("Nothing says which of the two is right. A reference point would.")),
    )


def _before_and_after(answer: PairAnswer, zone: tzinfo) -> Plot:
    shown = answer.second.shown
    before = shown_differences(shown, answer.difference_trace.mean)
    x = as_x(answer.difference_trace.time_us)
    marks = [PlotLine(x, before, Ink.FAINT, tr("before"), 1.0)]
    if answer.corrected_trace is not None:
        after = shown_differences(shown, answer.corrected_trace.mean)
        marks.append(PlotLine(x, after, Ink.AFTER, tr("after"), 1.3))
    low, high = range_of(*(one.y for one in marks), np.zeros(1), margin=0.25)
    return Plot(
        "",
        (*marks, LevelLine(0.0, Ink.FAINT)),
        (float(answer.start_us), float(answer.end_us)),
        (low, high),
        legend=((tr("difference before"), Ink.FAINT), (tr("and after"), Ink.AFTER)),
        spoken=tr("the difference before and after the correction"),
    )

"""The page of how a room airs."""

from __future__ import annotations

import math
from datetime import tzinfo

import numpy as np

from rook_tally.bench.air import AirAnswer, duration_until, left_out_words, rate_words
from rook_tally.bench.wording import plus_minus
from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.axes import time_marks, value_marks
from rook_tally.desk.bench.pair_sheet import duration_words
from rook_tally.desk.bench.plots import Dots, Ink, LevelLine, Plot, PlotLine, range_of
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr, tr_count


def air_sheet(answer: AirAnswer, zone: tzinfo) -> Sheet:
    """The rate of every night over the season, and the list of all falls."""
    span_s = (answer.end_us - answer.start_us) / 1e6
    used = [one for one in answer.decays if one.left_out is None]
    return Sheet(
        tr(
            "{0} · {1} · {2}",
            answer.series.station.place.name,
            answer.series.quantity.name,
            duration_words(span_s),
        ),
        answer.sentence,
        ((_rates(answer, zone),),) if used else (),
        _side(answer),
        f"{rate_words(answer.rate)} /h" if answer.rate.used else "–",
        tr_count(len(answer.decays), "One fall found", "{0} falls found"),
        (tr("From"), tr("How long"), tr("Changes an hour"), tr("Fit, r²"), tr("Counted")),
        tuple(
            SheetLine(
                (
                    _when(one.start_us, zone),
                    duration((one.end_us - one.start_us) / 1e6),
                    plus_minus(one.rate.rate_per_h, (one.rate.high - one.rate.low) / 2),
                    figure(one.rate.r2, 2),
                    tr("yes") if one.left_out is None else left_out_words(one.left_out),
                ),
                number,
                is_quiet=one.left_out is not None,
                order=(
                    one.start_us,
                    one.end_us - one.start_us,
                    one.rate.rate_per_h,
                    one.rate.r2,
                    one.left_out is not None,
                ),
            )
            for number, one in reversed(list(enumerate(answer.decays)))
        ),
    )


def _when(time_us: int, zone: tzinfo) -> str:
    moment = datetime_from_time_us(time_us).astimezone(zone)
    return f"{day_words(moment, weekday=True)} {clock_words(moment)}"


def _rates(answer: AirAnswer, zone: tzinfo) -> Plot:
    counted = [one for one in answer.decays if one.left_out is None]
    with_it = [one for one in counted if one.cleaner_on > 0.5]
    without = [one for one in counted if not one.cleaner_on > 0.5]
    marks: list[Dots | LevelLine | PlotLine] = []
    rates = [np.array([one.rate.rate_per_h for one in some]) for some in (without, with_it)]
    for some, rate, ink in zip((without, with_it), rates, (Ink.FIRST, Ink.STRONG), strict=True):
        if some:
            x = np.array([one.start_us for one in some], np.float64)
            marks.append(Dots(x, rate, ink, 5.0))
    low, high = range_of(*rates, np.zeros(1))
    if math.isfinite(answer.rate.median):
        marks.append(
            LevelLine(
                answer.rate.median, Ink.FIRST, tr("median {0}", rate_words(answer.rate)), False
            )
        )
    for edge in (answer.rate.low, answer.rate.high):
        if math.isfinite(edge):
            marks.append(LevelLine(edge, Ink.FAINT))
    legend: tuple[tuple[str, Ink], ...] = ()
    if with_it:
        legend = ((tr("cleaner off"), Ink.FIRST), (tr("cleaner on"), Ink.STRONG))
        if answer.cleaning is not None:
            marks.append(LevelLine(answer.cleaning.with_it.median, Ink.STRONG))
    return Plot(
        tr("Air changes an hour, night by night"),
        tuple(marks),
        (float(answer.start_us), float(answer.end_us)),
        (max(0.0, low), high),
        time_marks(answer.start_us, answer.end_us, zone),
        value_marks(max(0.0, low), high, 1, tr("/h")),
        legend,
        weight=2.5,
        spoken=tr("air changes an hour of every night"),
    )


def _side(answer: AirAnswer) -> SideNotes:
    facts = [
        (tr("Nights counted"), figure(answer.rate.used, 0)),
        (
            tr("Sure to"),
            f"{figure(100 * answer.rate.coverage, 0)} %"
            if math.isfinite(answer.rate.coverage)
            else "–",
        ),
        (tr("Fresh air towards"), figure(answer.background, 0)),
    ]
    if math.isfinite(answer.l_s_person):
        facts.append((tr("Air a person"), f"{figure(answer.l_s_person, 1)} l/s"))
    if math.isfinite(answer.limit):
        facts.append((tr("Until the limit"), duration_until(answer.limit_in_min)))
    if math.isfinite(answer.by_weather):
        facts.append((tr("Warmer than outside"), f"r {figure(answer.by_weather, 2)}"))
    for month, told in answer.months[-4:]:
        facts.append((f"{1970 + month // 12}-{month % 12 + 1:02}", rate_words(told)))
    cleaning = answer.cleaning
    if cleaning is not None:
        facts.append((tr("With the cleaner"), f"{rate_words(cleaning.with_it)} /h"))
        if math.isfinite(cleaning.m3_h):
            facts.append((tr("Clean air"), f"{plus_minus(cleaning.m3_h, cleaning.within)} m³/h"))
    median, _, half = rate_words(answer.rate).partition(" ")
    return SideNotes(
        answer.series.quantity.name,
        answer.series.station.place.name,
        median,
        f"{half} /h" if half else tr("/h"),
        tr("The falls found by themselves, one a night."),
        None,
        (
            (BenchAction.OPEN, tr("Look at it in the Strip")),
            (BenchAction.NEW, tr("Volume, cleaner…")),
        ),
        tuple(facts),
        answer.notes,
    )

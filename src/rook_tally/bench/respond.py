"""What series do when something happens, and which of all series move then."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.events import Events, is_state
from rook_tally.bench.texts import tr, tr_count
from rook_tally.bench.wording import Sentence, in_unit, long_name
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.event_effects import (
    EventEffect,
    adjusted_for_comparisons,
    event_effect,
)
from rook_tally.core.comparing.responses import (
    BeforeAfter,
    EventResponse,
    before_after,
    event_courses,
    response_of,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import local_us
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.timestamps import DAY_US, MINUTE_US, SECOND_US
from rook_tally.store.readings import envelopes, read_range
from rook_tally.store.site import Series, Site

_COURSES = 60
_STEP_US = 5 * MINUTE_US
_SURE = 0.05
_LONGEST_CHANGE_DAYS = 14


class ResponseSpan(msgspec.Struct, frozen=True):
    """How long before and after an event is looked at, s."""

    before_s: float = 1800.0
    after_s: float = 7200.0


class ResponseAnswer(msgspec.Struct, frozen=True):
    """What one series does when something happens; figures in the base unit.

    `courses`: up to 60 single events over the same offsets, (E, K). `effect`: the level after
    against the level before, less what other days do at that hour. `change`: of what happened just
    once, the level of so many days after it against as many before.
    """

    series: Series
    events: Events
    span: ResponseSpan
    sentence: Sentence
    response: EventResponse
    effect: EventEffect
    courses: FloatArray
    notes: tuple[str, ...]
    change: BeforeAfter | None = None
    change_days: float = 0.0


def respond(
    connection: Connection,
    site: Site,
    series: Series,
    events: Events,
    start_us: int,
    end_us: int,
    span: ResponseSpan = ResponseSpan(),  # noqa: B008 (frozen)
) -> ResponseAnswer:
    """Lay the courses of a series around events over one another.

    Raises
    ------
    UsageError
        Without an event in the stretch, or for a span shorter than the series' cadence.
    """
    if not len(events.times_us):
        raise UsageError(
            tr("not once in this stretch: {0}", events.title), remedy=tr("look at a longer one")
        )
    cadence_s = series.station.cadence_s
    step_s = max(cadence_s, 10.0, (span.before_s + span.after_s) / 400)
    if span.before_s < step_s or span.after_s < step_s:
        raise UsageError(
            tr("{0} tells something every {1} s only", long_name(series), f"{cadence_s:g}"),
            remedy=tr("look at longer before and after"),
        )
    margin_us = microseconds(max(span.before_s, span.after_s)) + microseconds(max_gap_s(cadence_s))
    readings = read_range(connection, series.id, start_us - margin_us, end_us + margin_us)
    courses = event_courses(
        readings,
        events.times_us,
        before_s=span.before_s,
        after_s=span.after_s,
        step_s=step_s,
        max_gap_s=max_gap_s(cadence_s),
    )
    response = response_of(courses)
    effect = _effect(connection, site, series, events, start_us, end_us, span)
    once = int(events.times_us[0])
    days = min(_LONGEST_CHANGE_DAYS, (once - start_us) // DAY_US, (end_us - once) // DAY_US)
    change = None
    if len(events.times_us) == 1 and days >= 1:
        change = change_at(connection, series, once, float(days))
    return ResponseAnswer(
        series,
        events,
        span,
        _sentence(series, events, response, effect)
        if change is None
        else _change_sentence(series, events, change, days),
        response,
        effect,
        courses.course[-_COURSES:],
        _notes(events, response, effect, span, step_s),
        change,
        float(days),
    )


def _change_sentence(series: Series, events: Events, change: BeforeAfter, days: int) -> Sentence:
    """Whether the level changed; not why."""
    name = long_name(series)
    each = tr_count(days, "1 day on each side", "{0} days on each side")
    if not math.isfinite(change.difference):
        return Sentence(tr("Too little of {0} was heard around it to compare ({1}).", name, each))
    if not math.isfinite(change.low) or change.low * change.high <= 0:
        return Sentence(tr("Since {0}, {1} is not surely another ({2}).", events.title, name, each))
    size = in_unit(series.shown, abs(change.difference), (change.high - change.low) / 2)
    strong = tr("{0} higher", size) if change.difference > 0 else tr("{0} lower", size)
    return Sentence(tr("Since {0}, {1} is {2} ({3}).", events.title, name, strong, each), (strong,))


def _effect(
    connection: Connection,
    site: Site,
    series: Series,
    events: Events,
    start_us: int,
    end_us: int,
    span: ResponseSpan,
) -> EventEffect:
    return effects_on(connection, site, (series,), events, start_us, end_us, span)[0]


def effects_on(
    connection: Connection,
    site: Site,
    series: tuple[Series, ...],
    events: Events,
    start_us: int,
    end_us: int,
    span: ResponseSpan,
) -> list[EventEffect]:
    """The effect on each of some series, by means of five minutes."""
    begin = start_us - start_us % _STEP_US
    columns = max(1, -(-(end_us - begin) // _STEP_US))
    stop = begin + columns * _STEP_US
    found = envelopes(connection, series, begin, stop, columns)
    local = local_us(begin + np.arange(columns, dtype=np.int64) * _STEP_US, ZoneInfo(site.zone))
    slot, day = local % DAY_US // _STEP_US, local // DAY_US
    at = (events.times_us - begin) // _STEP_US
    before = max(1, round(span.before_s * SECOND_US / _STEP_US))
    after = max(1, round(span.after_s * SECOND_US / _STEP_US))
    return [
        event_effect(
            found[one.id].mean,
            slot,
            day,
            at,
            before=max(before, _cells_of(one)),
            after=max(after, _cells_of(one)),
        )
        for one in series
    ]


def _cells_of(series: Series) -> int:
    """So many steps that one reading at least falls into them."""
    return max(1, math.ceil(2 * series.station.cadence_s * SECOND_US / _STEP_US))


def _sentence(
    series: Series, events: Events, response: EventResponse, effect: EventEffect
) -> Sentence:
    name, shown = long_name(series), series.shown
    if not response.events:
        return Sentence(tr("{0}: not one time was heard well enough to tell.", events.title))
    times = tr_count(response.events, "once", "{0} times")
    if response.peak_after_s is None or not math.isfinite(response.peak):
        return Sentence(tr("When {0}, {1} does not move ({2}).", events.title, name, times))
    at = int(np.argmin(np.abs(response.offset_s - response.peak_after_s)))
    within = float(response.high[at] - response.low[at]) / 2
    moves = math.isfinite(effect.p) and effect.p < _SURE
    if not moves and math.isfinite(effect.p):
        return Sentence(
            tr(
                "When {0}, {1} does nothing that chance and the hour would not do ({2}).",
                events.title,
                name,
                times,
            )
        )
    size = in_unit(shown, abs(response.peak), within)
    what = tr("rises by {0}", size) if response.peak > 0 else tr("falls by {0}", size)
    when = tr("within {0}", duration(max(response.peak_after_s, 60.0)))
    back = (
        tr("and is back after {0}", duration(response.back_after_s))
        if response.back_after_s is not None
        else tr("and is not back in the time looked at")
    )
    return Sentence(
        tr("When {0}, {1} {2} {3} {4} ({5}).", events.title, name, what, when, back, times), (what,)
    )


def _notes(
    events: Events, response: EventResponse, effect: EventEffect, span: ResponseSpan, step_s: float
) -> tuple[str, ...]:
    notes = []
    if response.left_out:
        notes.append(
            tr_count(
                response.left_out,
                "One time left out: too little was heard around it.",
                "{0} times left out: too little was heard around them.",
            )
        )
    gaps = np.diff(events.times_us) / SECOND_US
    close = int(np.count_nonzero(gaps < span.after_s))
    if close:
        notes.append(
            tr(
                "{0} of {1} times follow one another within what is looked at; what one does lies "
                "in what the next begins with.",
                close,
                len(events.times_us),
            )
        )
    if not math.isfinite(effect.p):
        notes.append(tr("Whether it is more than chance cannot be told: too few days."))
    if response.events < 6:
        notes.append(tr("So few times say little."))
    return tuple(notes)


class RankedSeries(msgspec.Struct, frozen=True):
    """How a series moves when something happens, and how likely chance would do as much, all
    comparisons taken into account."""

    series: Series
    effect: EventEffect
    p: float


class RankingAnswer(msgspec.Struct, frozen=True):
    """All series by how surely they move; `tried`: how many could be told."""

    events: Events
    sentence: Sentence
    ranked: tuple[RankedSeries, ...]
    tried: int


def rank(
    connection: Connection,
    site: Site,
    events: Events,
    start_us: int,
    end_us: int,
    span: ResponseSpan = ResponseSpan(),  # noqa: B008 (frozen)
    progress: Callable[[float], None] | None = None,
) -> RankingAnswer:
    """What moves when something happens, over all series of the site that are numbers."""
    series = rankable(site)
    effects: list[EventEffect] = []
    for number, one in enumerate(series):
        effects += effects_on(connection, site, (one,), events, start_us, end_us, span)
        if progress is not None:
            progress((number + 1) / len(series))
    return ranking_of(events, series, effects)


def rankable(site: Site) -> tuple[Series, ...]:
    """The series that can be tried: what is shown and is a number."""
    return tuple(
        one
        for one in site.series_shown
        if not is_state(one) and one.quantity.averaging is not Averaging.CIRCULAR
    )


def ranking_of(
    events: Events, series: Sequence[Series], effects: Sequence[EventEffect]
) -> RankingAnswer:
    """Series by how surely they move, so many comparisons taken into account."""
    adjusted = adjusted_for_comparisons([one.p for one in effects])
    ranked = sorted(
        (
            RankedSeries(one, effect, p)
            for one, effect, p in zip(series, effects, adjusted, strict=True)
        ),
        key=lambda each: (math.isnan(each.p), each.p, -abs(_z(each.effect))),
    )
    tried = sum(math.isfinite(one.p) for one in effects)
    moving = [each for each in ranked if each.p < _SURE]
    strong = tr_count(len(moving), "1 series moves", "{0} series move")
    return RankingAnswer(
        events,
        Sentence(tr("When {0}, {1} of {2} tried.", events.title, strong, tried), (strong,)),
        tuple(ranked),
        tried,
    )


def _z(effect: EventEffect) -> float:
    return effect.excess / effect.within if effect.within else 0.0


def change_at(
    connection: Connection, series: Series, change_us: int, days: float, settle_s: float = 0.0
) -> BeforeAfter:
    """The level of so many days after a moment against as many before it."""
    length_us = round(days * DAY_US)
    readings = read_range(
        connection, series.id, change_us - length_us, change_us + length_us + round(settle_s * 1e6)
    )
    # By the hour: what happens within one says much the same.
    step_s = max(3600.0, series.station.cadence_s)
    return before_after(
        readings,
        change_us,
        before_s=days * 86_400,
        after_s=days * 86_400,
        step_s=step_s,
        max_gap_s=max(max_gap_s(series.station.cadence_s), step_s),
        settle_s=settle_s,
    )

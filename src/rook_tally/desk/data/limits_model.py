"""The model of the form of limits: reads what is set, and turns typed text into limits; no Qt."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Four, Level, Limits
from rook_tally.core.quantities.limit_presets import LimitPreset, presets_for
from rook_tally.core.quantities.limit_rules import (
    LEVELS,
    LimitOrigin,
    LimitScope,
    limits_of,
    with_hours,
)
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.timestamps import HOUR_US, datetime_from_time_us
from rook_tally.desk.data.texts import tr
from rook_tally.store.readings import envelopes
from rook_tally.store.site import Series, load_site, zone_named
from rook_tally.store.site.guidelines import guidelines
from rook_tally.store.workings import limits_set

DAYS = 30
ALL_DAY = "all day"
_HOURS = 24 * DAYS


class ScopeChoice(msgspec.Struct, frozen=True):
    """A scope to choose: its words, and what is set there; None when nothing is."""

    scope: LimitScope
    words: str
    limits: Limits | None


class LimitsAnswer(msgspec.Struct, frozen=True):
    """The limits set for a series and around it, and its lowest and highest values by day.

    Attributes
    ----------
    series : as it is in the store now
    time_us, day : (H,) int64, the middle of each hour of the last thirty days that was heard, and
        which local day it is of
    low, high : (H,) float64, base unit
    presets : published limits and guidelines, own ones among them
    """

    series: Series
    choices: tuple[ScopeChoice, ...]
    time_us: TimeArray
    day: IntArray
    low: FloatArray
    high: FloatArray
    presets: tuple[LimitPreset, ...]

    @property
    def days_heard(self) -> int:
        """On how many days something was heard."""
        return len(np.unique(self.day))


class LimitsQuery(msgspec.Struct, frozen=True):
    """Asks what limits are set for a series, at its places and on the site."""

    series: Series
    now_us: int

    def run(self, connection: Connection) -> LimitsAnswer:
        """Read it."""
        site = load_site(connection)
        series = next((one for one in site.series if one.id == self.series.id), None)
        if series is None:
            raise UsageError("there is no such series any more")
        name, slug = series.quantity.name, series.quantity.slug
        places = {one.id: one for one in site.places}
        wanted = [
            (
                LimitScope(quantity=slug, series_id=series.id),
                tr("{0} of {1} alone", name, series.station.key),
            )
        ]
        here = places.get(series.station.place.id)
        if series.station.is_worked_out:
            words = tr("{0}, wherever it is worked out", name)
            wanted, here = [(LimitScope(quantity=slug, working=slug), words)], None
        while here is not None and len(wanted) <= len(places):
            scope = LimitScope(quantity=slug, place=here.name)
            wanted.append((scope, tr("{0} at {1}", name, here.name)))
            here = None if here.parent_id is None else places.get(here.parent_id)
        if not series.station.is_worked_out:
            wanted.append((LimitScope(quantity=slug), tr("{0} on the whole site", name)))
        choices = tuple(
            ScopeChoice(scope, words, limits_set(connection, scope)) for scope, words in wanted
        )
        presets = presets_for(slug, guidelines(connection))
        end_us = self.now_us // HOUR_US * HOUR_US + HOUR_US
        start_us = end_us - _HOURS * HOUR_US
        told = envelopes(connection, [series], start_us, end_us, _HOURS)[series.id]
        zone = zone_named(site.zone)
        day = np.array(
            [
                datetime_from_time_us(start_us + hour * HOUR_US).astimezone(zone).toordinal()
                for hour in range(_HOURS)
            ]
        )
        heard = ~np.isnan(told.high)
        return LimitsAnswer(
            series,
            choices,
            told.centres_us[heard].astype(np.int64),
            day[heard],
            told.low[heard],
            told.high[heard],
            presets,
        )


def usual_choice(answer: LimitsAnswer) -> ScopeChoice:
    """Where limits are set unless a person says otherwise: where those in force are, else for the
    series' place."""
    found = next((one for one in answer.choices if one.limits is not None), None)
    return found or answer.choices[min(1, len(answer.choices) - 1)]


def days_reached(limits: Limits, answer: LimitsAnswer, level: Level) -> int:
    """On how many of the days that were heard a level or a worse one was reached."""
    lows, highs = (limits.levels_at(answer.time_us, one) for one in (answer.low, answer.high))
    return len(np.unique(answer.day[np.maximum(lows, highs) >= level]))


def in_force_words(series: Series) -> str:
    """Where the limits in force come from."""
    match series.limits_from:
        case LimitOrigin.SERIES:
            return tr("In force: set for this series.")
        case LimitOrigin.PLACE:
            return tr("In force: set for {0}.", series.limits_place)
        case LimitOrigin.SITE:
            return tr("In force: set for the whole site.")
        case LimitOrigin.WORKING:
            return tr("In force: those of its working.")
    source = series.quantity.limits_source
    if not source or series.limits == Limits():
        return tr("None are in force.")
    return tr("In force: what comes with {0} ({1}).", series.quantity.name, source)


def side_texts(side: Four, series: Series) -> tuple[str, ...]:
    """One side's limits in the unit shown, to be typed over; empty for a level without one."""
    told = series.shown
    return tuple(
        "" if one is None else number_text(round(float(told.value(one)), 9)) for one in side
    )


def typed_limits(above: Sequence[str], below: Sequence[str], series: Series) -> Limits:
    """Turn typed fields, in the unit shown, into limits; an empty field leaves a level out.

    Raises
    ------
    UsageError
        When a field holds no number, or they cannot be limits together.
    """
    return limits_of(_side(above, series), _side(below, series))


def _side(texts: Sequence[str], series: Series) -> Four:
    told = series.shown
    first, second, third, fourth = (
        float(told.unit.to_base(typed_number(one))) if one.strip() else None for one in texts
    )
    return (first, second, third, fourth)


def days_past_words(limits: Limits, answer: LimitsAnswer) -> str:
    """On how many of the last days a level was reached, the worst of each day counting."""
    count = answer.days_heard
    if not count:
        return tr("Nothing was heard in the last {0} days.", DAYS)
    told = [
        f"{tr(level.wording)} {days_reached(limits, answer, level)}"
        for level in LEVELS
        if _has(limits, level)
    ]
    if not told:
        return tr("With no limits every day is settled.")
    return tr("Of the last {0} days heard, reached on: {1}.", count, " · ".join(told))


def _has(limits: Limits, level: Level) -> bool:
    return any(
        one.above[level - 1] is not None or one.below[level - 1] is not None
        for one in limits.each()
    )


def typed_hours(text: str) -> HoursOfDay | None:
    """Hours as a person types them; None for the whole day.

    Raises
    ------
    UsageError
        When they are none.
    """
    word = text.strip()
    return None if word in ("", tr(ALL_DAY)) else hours_of(word)


def limits_then(limits: Limits, hours: HoursOfDay | None) -> Limits:
    """What is set for some hours: those of the whole day where nothing else is."""
    found = next((one for one in limits.by_hours if one.hours == hours), None)
    return limits if found is None else Limits(found.above, found.below)


def limits_with(
    typed: Limits, hours: HoursOfDay | None, choice: ScopeChoice, answer: LimitsAnswer
) -> Limits:
    """All limits of a scope once what was typed holds: for the whole day, or at some hours beside
    those that hold otherwise."""
    zone = answer.series.limits.zone
    if hours is None:
        by_hours = () if choice.limits is None else choice.limits.by_hours
        return replace(typed, by_hours=by_hours).in_zone(zone)
    return with_hours(_in_force_at(choice, answer), hours, typed).in_zone(zone)


def _in_force_at(choice: ScopeChoice, answer: LimitsAnswer) -> Limits:
    """Return what holds in a scope: its own, else that of the next scope around it that has some;
    what is set for one series is not handed on to its site."""
    around = answer.choices[answer.choices.index(choice) :]
    found = next((one.limits for one in around if one.limits is not None), None)
    series = answer.series
    if found is not None or series.station.is_worked_out:
        return found or series.limits
    return series.quantity.default_limits(indoors=series.station.place.indoors)

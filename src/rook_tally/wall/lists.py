"""Panes of lines: lamps, a score with what spoils it, what stands, newest readings."""

from __future__ import annotations

import math

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.quantities.controls import SWITCH_ON, ControlKind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.limit_text import limit_sentence
from rook_tally.core.quantities.number_format import MINUS, UNKNOWN
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.freshness import Freshness
from rook_tally.store.site import Series, Station
from rook_tally.wall.pane_builder import PaneBuilder, PaneContent
from rook_tally.wall.pane_views import (
    Lamp,
    LampsBody,
    LampState,
    Loss,
    ScoreBody,
    StandingBody,
    StandingLine,
    TableBody,
    TableLine,
    ValueText,
)
from rook_tally.wall.texts import tr

# What an input takes from a score, by the level it is drawn in.
_LOSS_LEVELS = ((25.0, Level.HIGH), (10.0, Level.RAISED), (2.0, Level.NOTICED))


def lamps(maker: PaneBuilder) -> PaneContent:
    """Switches, presence and stations: whether they are on, since when, what for."""
    made = tuple(
        _station(maker, one) if isinstance(one, Station) else _lamp(maker, one)
        for one in maker.resolved.shown
    )
    return PaneContent(tr("Running"), "", LampsBody(made))


def _station(maker: PaneBuilder, one: Station) -> Lamp:
    fresh, heard_us = maker.known.snapshot.freshness(one), maker.known.snapshot.heard_us(one)
    if fresh is Freshness.MAINTAINED:
        return Lamp(one.key, LampState.NONE, tr("under maintenance"), Level.SETTLED, fresh)
    if heard_us is None:
        return Lamp(one.key, LampState.OFF, tr("never heard"), Level.SETTLED, fresh)
    age = maker.known.snapshot.age(heard_us)
    if fresh is Freshness.SILENT:
        return Lamp(one.key, LampState.OFF, tr("silent {0}", age), Level.NOTICED, fresh)
    return Lamp(one.key, LampState.ON, tr("heard {0} ago", age), Level.SETTLED, fresh)


def _lamp(maker: PaneBuilder, one: Series) -> Lamp:
    name = _lamp_name(maker, one)
    reading = maker.known.snapshot.latest.get(one.id)
    fresh = maker.freshness(one)
    if reading is None:
        return Lamp(name, LampState.NONE, tr("nothing heard yet"), Level.SETTLED, fresh)
    if one.quantity.scale is not QuantityScale.STATE:
        value = maker.value(one)
        return Lamp(name, LampState.NONE, f"{value.text} {value.unit}".rstrip(), value.level, fresh)
    is_on = reading.value >= 0.5
    words = _since(maker, one, is_on=is_on)
    if fresh is Freshness.SILENT:
        words = tr(
            "silent {0}, then {1}",
            maker.known.snapshot.age(reading.time_us),
            one.shown.text(reading.value),
        )
    return Lamp(name, LampState.ON if is_on else LampState.OFF, words, Level.SETTLED, fresh)


def _since(maker: PaneBuilder, one: Series, *, is_on: bool) -> str:
    material = maker.known.material
    since_us = material.since_us.get(one.id)
    if since_us is None:
        return tr("on for days") if is_on else tr("off for days")
    if not is_on:
        return tr("off {0}", maker.known.snapshot.age(since_us))
    told = tr("since {0}", maker.known.snapshot.clock(since_us))
    purpose = material.purposes.get(one.id)
    return told if not purpose else tr("{0}, for {1}", told, purpose)


def _lamp_name(maker: PaneBuilder, one: Series) -> str:
    """Name of a lamp: its station's; with its place where two are called alike."""
    if one.quantity.slug == "switch":
        return _switch_name(one.station)
    name = tr(one.quantity.name)
    alike = [other for other in maker.series if other.quantity.slug == one.quantity.slug]
    return f"{name}, {one.station.place.name}" if len(alike) > 1 else name


def _switch_name(station: Station) -> str:
    """Name of a station's one switch, unless that is only On; else the end of the station's key."""
    switches = [one for one in station.kind.controls if one.sort is ControlKind.SWITCH]
    if len(switches) == 1 and switches[0].title.lower() != SWITCH_ON:
        return tr(switches[0].title)
    return station.key.rpartition("-")[2].capitalize()


def score(maker: PaneBuilder) -> PaneContent:
    """A score, what spoils it and by how much."""
    scored = maker.series[0]
    value, reading = maker.value(scored), maker.known.snapshot.latest.get(scored.id)
    told = [loss for loss in maker.known.material.losses.get(scored.id, ()) if loss.points >= 0.5]
    longest = max((loss.points for loss in told), default=1.0)
    losses = tuple(
        Loss(
            loss.name, f"{MINUS}{loss.points:.0f}", loss.points / longest, _loss_level(loss.points)
        )
        for loss in told
    )
    spoils = sentence = ""
    if told:
        spoils = tr("{0} is what spoils it", told[0].name)
        sentence = _input_sentence(maker, told[0].series_id)
    elif reading is not None and math.isfinite(reading.value):
        spoils = tr("nothing spoils it")
    body = ScoreBody(
        ValueText(value.text, "", value.level, value.freshness), spoils, sentence, losses
    )
    return PaneContent(scored.station.place.name, tr(scored.quantity.name).lower(), body)


def _loss_level(points: float) -> Level:
    return next((level for least, level in _LOSS_LEVELS if points >= least), Level.SETTLED)


def _input_sentence(maker: PaneBuilder, series_id: int | None) -> str:
    one = next((s for s in maker.known.snapshot.site.series if s.id == series_id), None)
    reading = None if one is None else maker.known.snapshot.latest.get(one.id)
    if one is None or reading is None:
        return ""
    symbol = one.symbol_beside(reading.value, reading.time_us)
    told = f"{one.shown.text(reading.value)} {symbol}".rstrip()
    far = limit_sentence(one.shown, one.limits.at(reading.time_us), reading.value)
    return f"{told}, {far}" if far else told


def standing(maker: PaneBuilder) -> PaneContent:
    """A pane of alarms, the worst first; of some series only, where it names them."""
    only = {one.id for one in maker.series}
    lines = tuple(
        StandingLine(
            one.name,
            one.level,
            "" if one.since_us is None else maker.known.snapshot.age(one.since_us),
            one.state is not AlarmState.UNACKNOWLEDGED,
        )
        for one in maker.known.snapshot.alarms
        if one.state is not AlarmState.SHELVED and (not only or one.series_id in only)
    )
    return PaneContent(tr("Standing"), "", StandingBody(lines, tr("nothing stands")))


def table(maker: PaneBuilder) -> PaneContent:
    """Newest readings; what all lines share stands over them."""
    places = {one.station.place.name for one in maker.series}
    quantities = {one.quantity.slug for one in maker.series}
    lines = []
    for one in maker.series:
        reading = maker.known.snapshot.latest.get(one.id)
        name = tr(one.quantity.name)
        if len(quantities) == 1:
            name = one.station.place.name
        elif len(places) > 1:
            name = f"{name}, {one.station.place.name}"
        age = UNKNOWN if reading is None else maker.known.snapshot.age(reading.time_us)
        lines.append(TableLine(name, maker.value(one), age))
    title = tr("Readings")
    if len(places) == 1:
        title = places.pop()
    elif len(quantities) == 1:
        title = tr(maker.series[0].quantity.name)
    return PaneContent(title, "", TableBody(tuple(lines)))

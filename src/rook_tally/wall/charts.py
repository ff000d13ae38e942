"""Panes that draw: columns over several places, ribbons over time."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.alarms.sentences import span_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.ticks import time_ticks
from rook_tally.core.timestamps import SECOND_US
from rook_tally.core.wall.definitions import USUAL_SPAN_S, zones_of
from rook_tally.store.site import Series
from rook_tally.wall.pane_builder import PaneBuilder, PaneContent
from rook_tally.wall.pane_views import ColumnFigure, ColumnsBody, Peak, RibbonBody, RibbonTrace
from rook_tally.wall.texts import tr

_MARKS = 5


def columns(maker: PaneBuilder) -> PaneContent:
    """One quantity over several places, on one scale: today's span and now."""
    days, latest = maker.known.material.days, maker.known.snapshot.latest
    first = maker.series[0]
    held = [
        x for one in maker.series if one.id in days for x in (days[one.id].low, days[one.id].high)
    ]
    held += [
        latest[one.id].value
        for one in maker.series
        if one.id in latest and math.isfinite(latest[one.id].value)
    ]
    against = _against(maker, first)
    if against is not None:
        held.append(against[0])
    low, high = _range(maker, first, min(held, default=0.0), max(held, default=1.0))

    def part(value: float | None) -> float | None:
        if value is None or not math.isfinite(value):
            return None
        return min(1.0, max(0.0, (value - low) / (high - low)))

    made = tuple(
        ColumnFigure(
            name,
            short,
            maker.value(one),
            part(latest[one.id].value if one.id in latest else None),
            part(days[one.id].low if one.id in days else None),
            part(days[one.id].high if one.id in days else None),
        )
        for one, (name, short) in zip(maker.series, _names(maker.series), strict=True)
    )
    symbol = maker.shown(first).symbol
    aside = tr("today’s span and now")
    level = None if against is None else part(against[0])
    line = None if against is None or level is None else (level, against[1])
    return PaneContent(
        tr(first.quantity.name), f"{symbol} · {aside}" if symbol else aside, ColumnsBody(made, line)
    )


def _against(maker: PaneBuilder, first: Series) -> tuple[float, str] | None:
    """Level and words of the guideline the columns are held against; of one that follows a series
    what that says now."""
    told = maker.known.material.guidelines.get(maker.pane.guideline)
    if told is None or told.quantity != first.quantity.slug:
        return None
    level = told.limit
    if told.follows is not None:
        snapshot = maker.known.snapshot
        there = {(one.station.key, one.field): one.id for one in snapshot.site.series}
        reading = snapshot.latest.get(there.get(told.follows, -1))
        if reading is None or not math.isfinite(reading.value):
            return None
        level = reading.value
    shown = maker.shown(first)
    return level, f"{told.name} {shown.limit_text(level)}"


def _names(series: tuple[Series, ...]) -> list[tuple[str, str]]:
    """Names of the columns, in full and short: the place, the station where that is told twice; the
    first word where no other begins so."""
    places = [one.station.place.name for one in series]
    names = [
        place if places.count(place) == 1 else one.station.key
        for one, place in zip(series, places, strict=True)
    ]
    firsts = [name.split()[0] if name.split() else name for name in names]
    return [
        (name, first if firsts.count(first) == 1 else name)
        for name, first in zip(names, firsts, strict=True)
    ]


def _range(maker: PaneBuilder, one: Series, low: float, high: float) -> tuple[float, float]:
    """The person's range, else an honest one."""
    own_low, own_high = maker.own_range(one)
    low, high = honest_range(low, high, one.quantity.accuracy)
    low = low if own_low is None else own_low
    high = high if own_high is None else own_high
    return (low, high) if low < high else (low, low + 1.0)


def ribbon(maker: PaneBuilder) -> PaneContent:
    """Series over a span of time, on one scale."""
    first, span_s = maker.series[0], maker.pane.span_s
    envelopes = maker.known.material.envelopes
    told = [
        (one, envelopes[one.id, span_s]) for one in maker.series if (one.id, span_s) in envelopes
    ]
    heard = [envelope for _, envelope in told if not envelope.is_empty]
    if first.quantity.scale is QuantityScale.STATE:
        low, high = -0.1, 1.1
    else:
        lows = [float(np.nanmin(one.low)) for one in heard]
        highs = [float(np.nanmax(one.high)) for one in heard]
        low, high = _range(maker, first, min(lows, default=0.0), max(highs, default=1.0))
    limits = maker.limits(first)
    shown = maker.shown(first)
    raised = [
        limit
        for limit in (limits.above[Level.RAISED - 1], limits.below[Level.RAISED - 1])
        if limit is not None and low < limit < high
    ]
    body = RibbonBody(
        tuple(
            RibbonTrace(one.station.place.name, envelope, _held(envelope)) for one, envelope in told
        ),
        low,
        high,
        zones_of(limits, low, high),
        tuple(((limit - low) / (high - low), shown.limit_text(limit)) for limit in raised),
        _marks(maker, span_s),
        _peak(maker, told[0] if told else None, low, high),
    )
    places = list(dict.fromkeys(one.station.place.name for one in maker.series))
    span = "24 h" if span_s == USUAL_SPAN_S else span_words(span_s)
    span = f"{span} · {shown.symbol}" if shown.symbol else span
    name = tr(first.quantity.name)
    where = tr("{0} and {1}", ", ".join(places[:-1]), places[-1]) if places[1:] else places[0]
    return PaneContent(f"{name}, {where}" if len(places) < 4 else name, span, body)


def _held(envelope: Envelope) -> tuple[int, int, int]:
    return envelope.end_us, int(envelope.count.sum()), int(envelope.suspect.sum())


def _marks(maker: PaneBuilder, span_s: float) -> tuple[tuple[float, str], ...]:
    material = maker.known.material
    one = material.envelopes.get((maker.series[0].id, span_s))
    end_us = material.at_us if one is None else one.end_us
    start_us = end_us - round(span_s * SECOND_US) if one is None else one.start_us
    ticks = time_ticks(
        start_us,
        end_us,
        maker.known.snapshot.zone,
        _MARKS,
        first_day=maker.known.snapshot.site.settings.week_begins.number,
    )
    return tuple(((tick.time_us - start_us) / (end_us - start_us), tick.label) for tick in ticks)


def _peak(
    maker: PaneBuilder, told: tuple[Series, Envelope] | None, low: float, high: float
) -> Peak | None:
    """The highest of the first series; none of a switch, or where nothing rises over the noise."""
    if told is None:
        return None
    one, envelope = told
    known = maker.known.material.peaks.get((one.id, maker.pane.span_s))
    if known is None or envelope.is_empty or one.quantity.scale is QuantityScale.STATE:
        return None
    value, time_us = known
    if value - float(np.nanmin(envelope.low)) < 2 * one.quantity.accuracy:
        return None
    y = min(1.0, max(0.0, (value - low) / (high - low)))
    x = (time_us - envelope.start_us) / (envelope.end_us - envelope.start_us)
    words = tr("{0} at {1}", maker.shown(one).text(value), maker.known.snapshot.clock(time_us))
    return Peak(min(1.0, max(0.0, x)), y, words)

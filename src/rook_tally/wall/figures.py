"""Panes of one value: figure, dial, day; and own words with values in them."""

from __future__ import annotations

import math

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.ticks import value_ticks
from rook_tally.core.wall.definitions import zones_of
from rook_tally.store.site import Series
from rook_tally.wall.pane_builder import PaneBuilder, PaneContent
from rook_tally.wall.pane_views import DayBody, DialBody, FigureBody, ValueText, WordsBody
from rook_tally.wall.texts import tr

_DIAL_STEPS = 5


def _titled(maker: PaneBuilder) -> tuple[str, str]:
    one = maker.series[0]
    return tr(one.quantity.name), one.station.place.name


def figure(maker: PaneBuilder) -> PaneContent:
    """A value and how far it is from its limit."""
    one = maker.series[0]
    return PaneContent(*_titled(maker), FigureBody(maker.value(one), maker.sentence(one)))


def day(maker: PaneBuilder) -> PaneContent:
    """Today's lowest and highest and when they were."""
    one = maker.series[0]
    span = maker.known.material.days.get(one.id)
    now, nothing = maker.value(one), ValueText(UNKNOWN)
    if span is None:
        return PaneContent(*_titled(maker), DayBody(now, nothing, "", nothing, ""))

    def told(value: float) -> ValueText:
        shown = maker.shown(one)
        return ValueText(shown.text(value), shown.symbol, maker.limits(one).level_of(value))

    body = DayBody(
        now,
        told(span.low),
        maker.known.snapshot.clock(span.low_us),
        told(span.high),
        maker.known.snapshot.clock(span.high_us),
    )
    return PaneContent(*_titled(maker), body)


def words(maker: PaneBuilder) -> PaneContent:
    """Own text with values in it."""
    parts = tuple(one if isinstance(one, str) else maker.value(one) for one in maker.resolved.texts)
    return PaneContent("", "", WordsBody(parts or (tr("no words yet"),)))


def dial(maker: PaneBuilder) -> PaneContent:
    """A value on an arc with its limits' zones."""
    one = maker.series[0]
    low, high = _dial_range(maker, one)
    reading = maker.known.snapshot.latest.get(one.id)
    at = None
    if reading is not None and math.isfinite(reading.value):
        at = min(1.0, max(0.0, (reading.value - low) / (high - low)))
    shown = maker.shown(one)
    body = DialBody(
        maker.value(one),
        at,
        zones_of(maker.limits(one), low, high),
        shown.limit_text(low),
        shown.limit_text(high),
        maker.sentence(one),
    )
    return PaneContent(*_titled(maker), body)


def _dial_range(maker: PaneBuilder, one: Series) -> tuple[float, float]:
    """A round range that holds the limits, today and now; a share's is the whole."""
    own_low, own_high = maker.own_range(one)
    low, high = _round_range(maker, one)
    low = low if own_low is None else own_low
    high = high if own_high is None else own_high
    return (low, high) if low < high else (low, low + 1.0)


def _round_range(maker: PaneBuilder, one: Series) -> tuple[float, float]:
    if one.quantity.base.symbol == "%":
        return 0.0, 100.0
    held = [*_told(maker.limits(one))]
    reading = maker.known.snapshot.latest.get(one.id)
    span = maker.known.material.days.get(one.id)
    if reading is not None and math.isfinite(reading.value):
        held.append(reading.value)
    if span is not None:
        held += [span.low, span.high]
    held = held or [0.0, 1.0]
    # A dial that is full at its last limit would show nothing beyond it.
    low, high = min(held), max(held)
    room = max(high - low, 8 * one.quantity.accuracy) * 0.12
    low, high = low - room if low < 0 or low > room else 0.0, high + room
    ticks = value_ticks(low, high, _DIAL_STEPS)
    if len(ticks) < 2:
        return low, high
    step = ticks[1] - ticks[0]
    return math.floor(low / step) * step, math.ceil(high / step) * step


def _told(limits: Limits) -> list[float]:
    return [one for one in (*limits.above, *limits.below) if one is not None]

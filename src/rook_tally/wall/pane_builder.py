"""One pane at a moment: what all kinds of panes ask alike."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_text import limit_sentence
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import Pane, limits_in_base
from rook_tally.store.site import Series
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_resolver import ResolvedPane
from rook_tally.wall.pane_views import Body, ValueText
from rook_tally.wall.texts import tr


class PaneContent(NamedTuple):
    """Content of a kind of pane: its title and what stands beside it, and the rest; with no body
    `aside` says why."""

    title: str
    aside: str
    body: Body | None


@dataclass(frozen=True)
class PaneBuilder:
    """One pane at a moment; what kinds of panes ask of it alike."""

    resolved: ResolvedPane
    known: PaneContext

    @property
    def pane(self) -> Pane:
        """The pane as a person set it up."""
        return self.resolved.pane

    @property
    def series(self) -> tuple[Series, ...]:
        """The series it shows."""
        return self.resolved.series

    def shown(self, one: Series) -> DisplayUnit:
        """Unit and decimals for a series: the pane's own where that fits."""
        unit = one.quantity.unit(self.pane.unit) if self.pane.unit else None
        return one.shown if unit is None else DisplayUnit(one.quantity, unit)

    def in_base(self, one: Series) -> Callable[[float], float]:
        """From the unit the pane's own numbers are told in to the base unit."""
        unit = one.quantity.unit(self.pane.unit) if self.pane.unit else None
        return float if unit is None else unit.to_base

    def limits(self, one: Series) -> Limits:
        """The pane's limits where it has its own and they can be, else the series' as they are at
        its newest reading."""
        reading = self.known.snapshot.latest.get(one.id)
        theirs = one.limits.at(self.known.snapshot.now_us if reading is None else reading.time_us)
        try:
            return limits_in_base(self.pane, theirs, self.in_base(one))
        except ValueError:
            return theirs

    def freshness(self, one: Series) -> Freshness:
        """Freshness of its station."""
        return self.known.snapshot.freshness(one.station)

    def value(self, one: Series) -> ValueText:
        """Its newest value; one that is suspect or silent has no level."""
        reading = self.known.snapshot.latest.get(one.id)
        if reading is None:
            return ValueText(UNKNOWN, "", Level.SETTLED, Freshness.SILENT)
        fresh = self.freshness(one)
        is_telling = reading.quality == 0 and fresh.is_telling
        level = self.limits(one).level_of(reading.value) if is_telling else Level.SETTLED
        shown = self.shown(one)
        symbol = one.symbol_beside(reading.value, reading.time_us, shown)
        return ValueText(shown.text(reading.value), symbol, level, fresh)

    def sentence(self, one: Series) -> str:
        """Distance from the limit in words; why it is not known instead, when it is suspect."""
        reading = self.known.snapshot.latest.get(one.id)
        if reading is None:
            return tr("nothing heard yet")
        if reading.quality != 0:
            return tr(reading.quality.wording)
        return limit_sentence(self.shown(one), self.limits(one), reading.value)

    def own_range(self, one: Series) -> tuple[float | None, float | None]:
        """The range a person gave, in the base unit."""
        to_base = self.in_base(one)
        low, high = (None if x is None else to_base(x) for x in (self.pane.low, self.pane.high))
        return (low, high) if low is None or high is None or low < high else (None, None)

"""The plans of the site and what hangs on the one that is shown; decided without Qt."""

from __future__ import annotations

from dataclasses import dataclass

from msgspec.structs import replace

from rook_tally.core.distances import distance_m
from rook_tally.core.plans import Plan
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.site_settings import position_words
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.plan.texts import tr, tr_count
from rook_tally.store.site import Station
from rook_tally.store.site.places import as_tree
from rook_tally.wall.pane_views import PlanBody, PlanMark
from rook_tally.wall.plans import plan_body

_NEAREST = 3


@dataclass(frozen=True, slots=True)
class ListLine:
    """A line of the list beside the plan: a place, or with `station` one that stands there;
    `is_hung` says whether it hangs on the plan."""

    words: str
    depth: int
    station: str = ""
    is_hung: bool = False


class PlanModel:
    """Knows which plan is shown and which station is picked."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self._shown = ""
        self.picked = ""
        # Where stations were let go, until the store has it so.
        self._let_go: dict[str, tuple[float, float]] = {}

    @property
    def plans(self) -> tuple[Plan, ...]:
        """All plans, in their order."""
        return self._state.site.plans

    @property
    def plan(self) -> Plan | None:
        """The plan that is shown: the one that was chosen, else the first."""
        several = self.plans
        return next(
            (one for one in several if one.name == self._shown), several[0] if several else None
        )

    def show(self, name: str) -> None:
        """Show another plan."""
        self._shown = name

    @property
    def body(self) -> PlanBody | None:
        """What is drawn, at the moment that is looked at."""
        found = self.plan
        if found is None:
            return None
        body = plan_body(found, self._state.snapshot)
        if not self._let_go:
            return body
        marks = tuple(self._carried(one) for one in body.marks)
        return replace(body, marks=marks)

    def let_go(self, key: str, at: tuple[float, float]) -> None:
        """A station was let go there: it is shown so at once."""
        self._let_go[key] = at

    def not_hung(self) -> None:
        """The store has refused it."""
        self._let_go.clear()

    def _carried(self, mark: PlanMark) -> PlanMark:
        at = self._let_go.get(mark.station)
        if at is None:
            return mark
        if at == (mark.x, mark.y):
            del self._let_go[mark.station]
        return replace(mark, x=at[0], y=at[1])

    @property
    def station(self) -> Station | None:
        """The picked station."""
        return self._state.site.station(self.picked) if self.picked else None

    @property
    def lines(self) -> list[ListLine]:
        """All places as a tree with their stations; those that hang on the plan say so."""
        marks = {} if self.plan is None else self.plan.marks
        site = self._state.site
        lines = []
        for place, depth in as_tree(site.places):
            lines.append(ListLine(place.name, depth))
            lines += [
                ListLine(one.key, depth + 1, one.key, one.id in marks)
                for one in site.stations
                if one.place.id == place.id
            ]
        return lines

    @property
    def site_words(self) -> str:
        """The site in a line: zone, position, height, the day its weeks begin on."""
        site = self._state.site
        told = [site.zone, position_words(site.settings)]
        if site.settings.height_m is not None:
            told.append(f"{site.settings.height_m:g} m")
        told.append(tr("{0} first", tr(site.settings.week_begins.value.capitalize())))
        return " · ".join(one for one in told if one)

    def about(self) -> str:
        """The picked station in a line: where it hangs, how far from others."""
        station = self.station
        if station is None:
            return ""
        words = station.hangs or tr("Nobody has said where it hangs.")
        if self._state.station_freshness(station) is Freshness.MAINTAINED:
            words = tr("{0} It is under maintenance.", words)
        return " ".join(one for one in (words, self._distances(station)) if one)

    def _distances(self, station: Station) -> str:
        """How far it is from the nearest others whose position is known too."""
        here = _position(station)
        if here is None:
            return ""
        others = [
            (distance_m(here, there), one.key)
            for one in self._state.site.stations
            if one.id != station.id and (there := _position(one)) is not None
        ]
        nearest = sorted(others)[:_NEAREST]
        told = ", ".join(tr("{0} from {1}", _length(metres), key) for metres, key in nearest)
        return f"{told}." if told else ""

    def summary(self) -> str:
        """How many stations hang on the plan, of all."""
        lines = [one for one in self.lines if one.station]
        hung = sum(one.is_hung for one in lines)
        return tr_count(
            hung, "1 of {1} stations hangs here", "{0} of {1} stations hang here", len(lines)
        )


def _position(station: Station) -> tuple[float, float] | None:
    if station.latitude is None or station.longitude is None:
        return None
    return station.latitude, station.longitude


def _length(metres: float) -> str:
    if metres < 1000:
        return f"{figure(metres, 0)} m"
    return f"{figure(metres / 1000, 1)} km"

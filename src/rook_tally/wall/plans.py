"""Plans made into what is drawn: at each station's place its values, levels and lateness."""

from __future__ import annotations

from collections.abc import Sequence

from rook_tally.core.plans import Plan
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.series.freshness import Freshness
from rook_tally.store.site import Series, Station
from rook_tally.wall.pane_builder import PaneBuilder, PaneContent
from rook_tally.wall.pane_views import PlanBody, PlanMark, ValueText
from rook_tally.wall.site_snapshot import SiteSnapshot
from rook_tally.wall.texts import tr

_LINES = 2
# What a station says of itself, and not of its place.
_OF_ITSELF = frozenset({"battery", "voltage", "signal_strength", "uptime", "free_memory"})


def plan_body(plan: Plan, snapshot: SiteSnapshot) -> PlanBody:
    """A plan at the moment of a snapshot."""
    stations = {one.id: one for one in snapshot.site.stations}
    told: dict[int, list[Series]] = {}
    for one in snapshot.site.series_shown:
        if one.station.id in plan.marks:
            told.setdefault(one.station.id, []).append(one)
    return PlanBody(
        plan.picture_id,
        plan.width,
        plan.height,
        tuple(
            plan_mark(stations[number], told.get(number, ()), at, snapshot)
            for number, at in plan.marks.items()
            if number in stations
        ),
    )


def plan_mark(
    station: Station, series: Sequence[Series], at: tuple[float, float], snapshot: SiteSnapshot
) -> PlanMark:
    """A station with its values at the moment of a snapshot."""
    fresh = snapshot.freshness(station)
    heard_us = snapshot.heard_us(station)
    told = [(one, _value(one, fresh, snapshot)) for one in series if one.id in snapshot.latest]
    told.sort(key=lambda pair: (-pair[1].level, pair[0].quantity.slug in _OF_ITSELF))
    note = ""
    if fresh is Freshness.MAINTAINED:
        note = tr("{0}, under maintenance", station.key)
    elif heard_us is None:
        note = tr("{0}, never heard", station.key)
    elif fresh.is_overdue:
        note = tr("{0}, {1} ago", station.key, snapshot.age(heard_us))
    return PlanMark(
        station.key,
        *at,
        values=tuple(value for _, value in told[:_LINES])
        or (ValueText(UNKNOWN, "", Level.SETTLED, fresh),),
        level=max((value.level for _, value in told), default=Level.SETTLED),
        freshness=fresh,
        note=note,
    )


def plan(maker: PaneBuilder) -> PaneContent:
    """The plan that a pane names; the first one where it names none."""
    snapshot = maker.known.snapshot
    wanted = maker.resolved.pane.text.strip()
    several = snapshot.site.plans
    found = next((one for one in several if wanted in ("", one.name)), None)
    if found is None:
        return PaneContent(
            wanted or tr("Plan"), tr("there is no such plan: put one up in Stations"), None
        )
    return PaneContent(found.name, "", plan_body(found, snapshot))


def _value(one: Series, fresh: Freshness, snapshot: SiteSnapshot) -> ValueText:
    reading = snapshot.latest[one.id]
    is_telling = reading.quality == 0 and fresh.is_telling
    level = one.limits.at(reading.time_us).level_of(reading.value) if is_telling else Level.SETTLED
    symbol = one.symbol_beside(reading.value, reading.time_us)
    return ValueText(one.shown.text(reading.value), symbol, level, fresh)

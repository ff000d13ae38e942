"""Queries of the Bench: what is kept and offered, and the answer of each page.

They are asked of a reading process of the Bench's own, so that nothing else waits for them.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.bench.air import AirAnswer, AirRoom, air, cleaner_named
from rook_tally.bench.calibrate import CalibrationRecord, record_of
from rook_tally.bench.events import (
    EventKind,
    Events,
    EventSource,
    events_of,
    is_state,
    known_sources,
    source_from,
)
from rook_tally.bench.find import FoundAnswer, found_among, hourly_means
from rook_tally.bench.pair import PairAnswer, compare
from rook_tally.bench.respond import (
    RankingAnswer,
    ResponseAnswer,
    ResponseSpan,
    effects_on,
    rankable,
    ranking_of,
    respond,
)
from rook_tally.bench.usual import UsualAnswer, usual
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.core.comparing.event_effects import EventEffect
from rook_tally.core.errors import UsageError
from rook_tally.desk.bench.texts import tr
from rook_tally.store.site import Series, Site, load_site
from rook_tally.store.site.bench_items import bench_items
from rook_tally.store.site.reference_points import points_by_series

_MOST_OFFERED = 6
AT_ONCE = 8
"""So many series are ranked at once: then somebody may have picked something else."""


@dataclass(frozen=True, slots=True)
class BenchListing:
    """What is kept on the Bench and what is offered besides, with the names of events."""

    kept: tuple[BenchItem, ...]
    offered: tuple[BenchItem, ...]
    sources: tuple[EventSource, ...]


@dataclass(frozen=True, slots=True)
class ListingQuery:
    """Asks what is on the Bench."""

    def run(self, connection: Connection) -> BenchListing:
        """Read what is kept, and think of what could be looked at."""
        site = load_site(connection)
        kept = tuple(bench_items(connection))
        sources = tuple(known_sources(connection, site))
        offered = _offered(connection, site, sources)
        return BenchListing(kept, tuple(one for one in offered if one not in kept), sources)


def _offered(
    connection: Connection, site: Site, sources: tuple[EventSource, ...]
) -> list[BenchItem]:
    """Two sensors of one quantity at one place; sensors with points; rooms with CO₂; switches."""
    series = [one for one in site.series_shown if not one.station.is_worked_out]
    by_place: dict[tuple[int, str], list[Series]] = {}
    for one in series:
        by_place.setdefault((one.station.place.id, one.quantity.slug), []).append(one)
    pairs: list[BenchItem] = [
        PairItem(several[0].id, several[1].id, tuple(one.id for one in several[2:]))
        for several in by_place.values()
        if len(several) > 1 and not is_state(several[0])
    ]
    sensors: list[BenchItem] = [SensorItem(number) for number in points_by_series(connection)]
    # Presence is nobody's doing on purpose; a switch is.
    events: list[BenchItem] = [
        EventItem(one.text) for one in sources if one.kind in (EventKind.ON, EventKind.PIN)
    ]
    rooms: list[BenchItem] = [
        AirItem(one.id, cleaner=None if cleaner is None else cleaner.id)
        for one in series
        if one.quantity.slug in ("co2", "pm25") and one.station.place.indoors
        for cleaner in (cleaner_named(site, one),)
        # Dust goes by itself; what is asked of it is what a cleaner does.
        if one.quantity.slug == "co2" or cleaner is not None
    ]
    usually: list[BenchItem] = [
        UsualItem(one.id) for one in series if one.quantity.slug in ("co2", "sound_level", "pm25")
    ]
    return [
        *pairs[:_MOST_OFFERED],
        *sensors,
        *events[:_MOST_OFFERED],
        *usually[:3],
        *rooms[:_MOST_OFFERED],
    ]


@dataclass(frozen=True, slots=True)
class EventAnswer:
    """What moves when something happens, and the responses of the picked series.

    `left`: the series that have not been looked at yet.
    """

    ranking: RankingAnswer
    responses: tuple[ResponseAnswer, ...]
    left: tuple[Series, ...] = ()


BenchAnswer = PairAnswer | CalibrationRecord | EventAnswer | UsualAnswer | AirAnswer


@dataclass(frozen=True, slots=True)
class AnswerQuery:
    """Asks for the answer to an item over [start, end); of events also which series is picked."""

    item: BenchItem
    start_us: int
    end_us: int
    now_us: int
    picked: int = 0

    def run(self, connection: Connection) -> BenchAnswer:
        """Work it out.

        Raises
        ------
        UsageError
            When a series of it is gone, or the item cannot be meant.
        """
        site = load_site(connection)
        by_id = {one.id: one for one in site.series}
        span = self.start_us, self.end_us
        match self.item:
            case PairItem():
                first, second, *others = (_there(by_id, one) for one in self.item.series)
                return compare(connection, site, first, second, *span, others=tuple(others))
            case SensorItem():
                return record_of(connection, _there(by_id, self.item.sensor), now_us=self.now_us)
            case EventItem():
                return self._event(connection, site, self.item)
            case UsualItem():
                return usual(
                    connection,
                    site,
                    _there(by_id, self.item.of),
                    *span,
                    threshold=self.item.threshold,
                )
            case AirItem():
                room = AirRoom(
                    float("nan") if self.item.volume_m3 is None else self.item.volume_m3,
                    cleaner=by_id.get(self.item.cleaner or 0),
                )
                return air(connection, site, _there(by_id, self.item.by), *span, room)

    def _event(self, connection: Connection, site: Site, item: EventItem) -> EventAnswer:
        """The first of the series; the others are asked for part by part."""
        events = events_of(connection, site, source_from(item.source), self.start_us, self.end_us)
        series = rankable(site)
        first, left = series[:AT_ONCE], series[AT_ONCE:]
        effects = effects_on(
            connection, site, first, events, self.start_us, self.end_us, span_of(item)
        )
        return EventAnswer(ranking_of(events, first, effects), (), left)


def span_of(item: EventItem) -> ResponseSpan:
    """How long before and after its events an item looks."""
    return ResponseSpan(item.before_min * 60, item.after_min * 60)


@dataclass(frozen=True, slots=True)
class MoreEffectsQuery:
    """Asks how some more series move when something happens."""

    events: Events
    series: tuple[Series, ...]
    item: EventItem
    start_us: int
    end_us: int

    def run(self, connection: Connection) -> tuple[EventEffect, ...]:
        """Look at each."""
        site = load_site(connection)
        return tuple(
            effects_on(
                connection,
                site,
                self.series,
                self.events,
                self.start_us,
                self.end_us,
                span_of(self.item),
            )
        )


@dataclass(frozen=True, slots=True)
class ResponseQuery:
    """Asks for the responses of other series to events that were looked at already."""

    series: tuple[Series, ...]
    ranking: RankingAnswer
    item: EventItem
    start_us: int
    end_us: int

    def run(self, connection: Connection) -> tuple[ResponseAnswer, ...]:
        """Lay the courses of each over one another."""
        span = span_of(self.item)
        site, events = load_site(connection), self.ranking.events
        return tuple(
            respond(connection, site, one, events, self.start_us, self.end_us, span)
            for one in self.series
        )


@dataclass(frozen=True, slots=True)
class HourlyMeansQuery:
    """Asks for the hourly means of some of the series that are looked through."""

    series: tuple[Series, ...]
    start_us: int
    end_us: int

    def run(self, connection: Connection) -> FloatArray:
        """(S, H); NaN where nothing was heard."""
        return hourly_means(connection, self.series, self.start_us, self.end_us)


@dataclass(frozen=True, slots=True, eq=False)
class FoundQuery:
    """Asks which of (S,) series move together, and which have left their group, by their (S, H)
    hourly means."""

    series: tuple[Series, ...]
    rows: FloatArray
    start_us: int

    def run(self, connection: Connection) -> FoundAnswer:
        """Look through all of them."""
        return found_among(connection, self.series, self.rows, self.start_us)


@dataclass(frozen=True, slots=True)
class ProposalsQuery:
    """Asks whose correction is proposed: by the series beside it, or by its reference points."""

    start_us: int
    end_us: int
    now_us: int

    def run(self, connection: Connection) -> frozenset[int]:
        """The ids of those series, of what is kept and what is offered."""
        site = load_site(connection)
        by_id = {one.id: one for one in site.series}
        sources = tuple(known_sources(connection, site))
        found = set()
        for item in {*bench_items(connection), *_offered(connection, site, sources)}:
            if isinstance(item, PairItem) and {item.first, item.second} <= by_id.keys():
                first, second = by_id[item.first], by_id[item.second]
                try:
                    told = compare(connection, site, first, second, self.start_us, self.end_us)
                except UsageError:
                    # Kept once, and cannot be compared any more: its page says why.
                    continue
                if told.proposal is not None:
                    found.add(second.id)
            elif isinstance(item, SensorItem) and item.sensor in by_id:
                record = record_of(connection, by_id[item.sensor], now_us=self.now_us)
                if record.proposal is not None and not record.is_taken:
                    found.add(item.sensor)
        return frozenset(found)


def _there(by_id: dict[int, Series], series_id: int) -> Series:
    found = by_id.get(series_id)
    if found is None:
        raise UsageError(
            tr("a series of this is not there any more"), remedy=tr("take it off the Bench")
        )
    return found

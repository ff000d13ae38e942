"""What the desk knows of the site: kept up to date by the feed, read by every view."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from zoneinfo import ZoneInfo

import numpy as np

from rook_tally.core.arrays import TimeArray
from rook_tally.core.envelope import Envelope
from rook_tally.core.freshness import Freshness, freshness
from rook_tally.core.levels import Level
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.shell.feed import NewDoors, NewReadings, News, NewTape, Picture, Trouble
from rook_tally.desk.shell.moment import Clock
from rook_tally.store import Collector, DoorState, Latest, Series, Site, Station

# A day of a busy site; SQLite needs some of it to commit at all.
_LITTLE_ROOM_BYTES = 8_000_000
_KEPT_REPORTS = 200


@dataclass
class SiteState:
    """The site as the desk knows it. Views subscribe and are told what changed.

    `changed` callbacks get the ids of series with new readings, or None when everything may have
    changed.
    """

    clock: Clock
    site: Site = field(default_factory=lambda: Site("", "UTC", (), (), ()))
    latest: dict[int, Latest] = field(default_factory=dict)
    ribbons: dict[int, Envelope] = field(default_factory=dict)
    reports: dict[int, TimeArray] = field(default_factory=dict)
    collectors: list[Collector] = field(default_factory=list)
    trouble: str = ""
    room_bytes: int | None = None
    is_loaded: bool = False
    # How often messages or strays have come since the desk began.
    tape_moves: int = 0
    _subscribers: list[Callable[[set[int] | None], None]] = field(default_factory=list)

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return ZoneInfo(self.site.zone)

    @property
    def now_us(self) -> int:
        """The moment shown as now."""
        return self.clock()

    def subscribe(self, changed: Callable[[set[int] | None], None]) -> None:
        """Call this after every change."""
        self._subscribers.append(changed)

    def take(self, news: News) -> None:
        """Take news in and tell the subscribers."""
        changed: set[int] | None = None
        match news:
            case Picture():
                self.site, self.latest, self.ribbons = news.site, news.latest, news.ribbons
                self.reports, self.collectors = news.reports, news.collectors
                self.is_loaded = True
            case NewReadings():
                changed = set(news.latest) | set(news.ribbons)
                self._take_readings(news)
            case NewDoors():
                before = self.notice()
                is_same = news.collectors == self.collectors
                self.collectors, self.room_bytes = news.collectors, news.room_bytes
                if is_same and self.notice() == before:
                    return
                changed = set()
            case NewTape():
                self.tape_moves += 1
                changed = set()
            case Trouble():
                self.trouble, changed = news.text, set()
        for subscriber in self._subscribers:
            subscriber(changed)

    def _take_readings(self, news: NewReadings) -> None:
        by_id = {one.id: one for one in self.site.series}
        for series_id, reading in news.latest.items():
            series = by_id.get(series_id)
            if series is None:
                continue
            if series_id not in news.ribbons and series_id in self.ribbons:
                self.ribbons[series_id] = _with_reading(self.ribbons[series_id], reading)
            self.latest[series_id] = reading
            moments = self.reports.get(series.station.id, np.empty(0, dtype=np.int64))
            if not len(moments) or reading.time_us > moments[-1]:
                self.reports[series.station.id] = np.append(
                    moments[-_KEPT_REPORTS:], reading.time_us
                )
        self.ribbons.update(news.ribbons)

    def level(self, series: Series) -> Level:
        """The level of a series' newest reading; settled without a good one."""
        newest = self.latest.get(series.id)
        if newest is None or newest.quality != 0:
            return Level.SETTLED
        return series.limits.level_of(newest.value)

    def age_s(self, time_us: int) -> float:
        """How long ago a moment is, never negative."""
        return max(0.0, (self.now_us - time_us) / SECOND_US)

    def station_age_s(self, station: Station) -> float | None:
        """How long ago a station last said anything; None when it never did."""
        newest = [
            self.latest[one.id].time_us
            for one in self.site.series
            if one.station.id == station.id and one.id in self.latest
        ]
        return self.age_s(max(newest)) if newest else None

    def station_freshness(self, station: Station) -> Freshness:
        """Whether a station is heard, late or silent; one never heard is silent."""
        age_s = self.station_age_s(station)
        if age_s is None:
            return Freshness.SILENT
        return freshness(age_s, station.cadence_s, is_offline=self.is_offline(station))

    def is_offline(self, station: Station) -> bool:
        """Whether it said, or its will did, that it is offline, and nothing came since."""
        since_us = station.offline_since_us
        if since_us is None:
            return False
        newest = self.reports.get(station.id)
        return newest is None or not len(newest) or int(newest[-1]) <= since_us

    def stations_heard(self) -> tuple[int, int]:
        """How many stations are not silent, and how many there are."""
        heard = [
            station
            for station in self.site.stations
            if self.station_freshness(station) is not Freshness.SILENT
        ]
        return len(heard), len(self.site.stations)

    def raised(self) -> tuple[int, Level]:
        """How many series of stations that are heard are raised or worse, and the worst level."""
        levels = [
            self.level(one)
            for one in self.site.series
            if self.station_freshness(one.station) is not Freshness.SILENT
        ]
        return sum(level >= Level.RAISED for level in levels), max(levels, default=Level.SETTLED)

    def notice(self) -> str:
        """What is wrong with the way readings come in, in one line; empty when nothing is."""
        if self.trouble:
            return self.trouble
        if not self.is_loaded:
            return ""
        if self.room_bytes is not None and self.room_bytes < _LITTLE_ROOM_BYTES:
            # Before anything else: a collector that cannot write cannot say that it lives either.
            return (
                f"The disk that holds the store is full ({self.room_bytes / 1e6:.0f} MB left). "
                "New readings are refused until there is room; all that came before is kept."
            )
        if not self.collectors:
            return "No collector runs, so nothing new comes in. Start one with: rook-tally collect"
        waiting = [
            f"{door.name.upper()} door: {door.detail}; trying again. What came before is kept."
            for collector in self.collectors
            for door in collector.doors
            if door.state is DoorState.TRYING
        ]
        return " ".join(waiting)


def _with_reading(ribbon: Envelope, reading: Latest) -> Envelope:
    """A ribbon with one more reading, newer than all it holds, counted in."""
    at = ribbon.column_at(reading.time_us)
    if at is None:
        return ribbon
    if reading.quality != 0:
        suspect = ribbon.suspect.copy()
        suspect[at] += 1
        return replace(ribbon, suspect=suspect)
    low, mean, high = ribbon.low.copy(), ribbon.mean.copy(), ribbon.high.copy()
    count = ribbon.count.copy()
    before = int(count[at])
    low[at] = np.fmin(low[at], reading.value)
    high[at] = np.fmax(high[at], reading.value)
    total = (0.0 if before == 0 else float(mean[at]) * before) + reading.value
    mean[at] = total / (before + 1)
    count[at] += 1
    return replace(ribbon, low=low, mean=mean, high=high, count=count)

"""The desk's state of the site: kept up to date by the feed, read by every view."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.arrays import TimeArray
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.remarks import Remark
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.freshness import Freshness, freshness
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.desk.data.clock import Clock
from rook_tally.desk.data.event import Event
from rook_tally.desk.data.past_snapshot import LatestValues, SnapshotQuery
from rook_tally.desk.data.site_figures import SiteFigures
from rook_tally.desk.data.store_feed import (
    Copies,
    MessagesChanged,
    NewAlarms,
    NewDoors,
    NewReadings,
    NewRemarks,
    NewReports,
    News,
    NewSheets,
    Picture,
    StoreUnavailable,
)
from rook_tally.desk.data.texts import tr, tr_count
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.readings import Latest
from rook_tally.store.site import Collector, DoorState, Series, Site, Station
from rook_tally.wall.site_snapshot import SiteSnapshot

# A day of a busy site; SQLite needs some of it to commit at all.
_LITTLE_ROOM_BYTES = 8_000_000
_KEPT_REPORTS = 200


QUIET = (AlarmState.SHELVED, AlarmState.SUPPRESSED)
"""States of alarms that call for nobody."""


class Calling(msgspec.Struct, frozen=True):
    """Alarms that call for somebody: how many, and the worst level."""

    count: int
    level: Level

    @property
    def words_now(self) -> str:
        """Words for where another moment is shown."""
        return tr_count(self.count, "1 alarm now", "{0} alarms now")


@dataclass
class SiteState:
    """The site as the desk knows it, at the moment shown: now, or the end of a window in the past.
    Views subscribe and are told what changed.

    `changed` callbacks get the ids of series with new readings, or None when everything may have
    changed.
    """

    clock: Clock
    window: TimeWindow = field(default_factory=lambda: TimeWindow(0, DAY_US, is_live=True))
    site: Site = field(default_factory=lambda: Site("", "UTC", (), (), ()))
    live: LatestValues = field(default_factory=LatestValues)
    past: SiteSnapshot | None = None
    collectors: list[Collector] = field(default_factory=list)
    copies: Copies | None = None
    remarks: list[Remark] = field(default_factory=list)
    groups: list[Group] = field(default_factory=list)
    trouble: str = ""
    room_bytes: int | None = None
    is_loaded: bool = False
    # Values that somebody tries out, by series id: shown in place of what is so, and said to be.
    trial: dict[int, float] = field(default_factory=dict)
    # Series that another one beside them would correct, as far as the Bench has looked.
    proposals: set[int] = field(default_factory=set)
    live_alarms: tuple[ActiveAlarm, ...] = ()
    alarm_moves: int = 0
    # How often messages or strays have come since the desk began.
    tape_moves: int = 0
    # How often sheets of the Wall, or who may look at their pages, were altered.
    sheet_moves: int = 0
    # How often reports were described or written.
    report_moves: int = 0
    # Called after the window has moved, by whichever view.
    window_moved: list[Callable[[], None]] = field(default_factory=list)
    # Called after remarks were written, altered or deleted.
    remarks_changed: list[Callable[[], None]] = field(default_factory=list)
    _figures: SiteFigures | None = None
    _past_figures: tuple[SiteSnapshot, SiteFigures] | None = None
    _changed: Event[[set[int] | None]] = field(default_factory=Event)

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return ZoneInfo(self.site.zone)

    def __post_init__(self) -> None:
        self.follow_now()

    @property
    def now_us(self) -> int:
        """The moment shown as now: the window's end when it lies in the past."""
        return self.clock() if self.window.is_live else min(self.window.end_us, self.clock())

    @property
    def snapshot(self) -> SiteSnapshot:
        """The site at the moment shown, values on trial as they are tried. Until a moment of the
        past has been read, the one read before it stays."""
        if self.window.is_live or self.past is None:
            return replace(self.live_snapshot, now_us=self.now_us, latest=self.latest)
        return replace(self.past, now_us=self.now_us, latest=self.latest)

    @property
    def shown(self) -> LatestValues | SiteSnapshot:
        """Newest readings, ribbons and reports at the moment shown, as they are."""
        return self.live if self.window.is_live or self.past is None else self.past

    @property
    def latest(self) -> Mapping[int, Latest]:
        """The newest reading of each series, by its id; those on trial as they are tried."""
        latest = self.shown.latest
        if not self.trial:
            return latest
        return dict(latest) | {
            series_id: replace(latest[series_id], value=value)
            for series_id, value in self.trial.items()
            if series_id in latest
        }

    @property
    def alarms(self) -> tuple[ActiveAlarm, ...]:
        """Alarms at the moment shown, the worst first."""
        if self.window.is_live or self.past is None:
            return self.live_alarms
        return self.past.alarms

    @property
    def calling_now(self) -> Calling:
        """Alarms of this very moment that call for somebody, whatever moment is shown."""
        calling = [one for one in self.live_alarms if one.state not in QUIET]
        return Calling(len(calling), max((one.level for one in calling), default=Level.SETTLED))

    @property
    def live_snapshot(self) -> SiteSnapshot:
        """The site at this very moment, whatever moment is shown."""
        live = self.live
        return SiteSnapshot(
            self.site,
            self.clock(),
            live.latest,
            self.live_alarms,
            live.ribbons,
            live.reports,
            live.newest_by_station(self.site),
        )

    def alarms_of(self, series_id: int) -> list[ActiveAlarm]:
        """Alarms of one series."""
        return [one for one in self.alarms if one.series_id == series_id]

    @property
    def ribbons(self) -> Mapping[int, Envelope]:
        """The day before the moment shown, by series id."""
        return self.shown.ribbons

    @property
    def reports(self) -> Mapping[int, TimeArray]:
        """Moments of the last reports, by station id."""
        return self.shown.reports

    def show_window(self, window: TimeWindow) -> None:
        """Show another stretch of time, in every view."""
        was_live = self.window.is_live
        self.window = window
        for moved in self.window_moved:
            moved()
        if window.is_live and not was_live:
            self.past = None
            self._tell(None)

    def show_last(self, span_us: int) -> None:
        """The last so much time, live."""
        now_us = self.clock()
        self.show_window(TimeWindow(now_us - span_us, now_us, is_live=True))

    def follow_now(self) -> None:
        """Bring a live window up to now; nobody is told, as it happens all the time."""
        self.window = self.window.following(self.clock())

    def moment_question(self) -> SnapshotQuery | None:
        """The query for the moment shown; None while it is now, or known."""
        if self.window.is_live or (self.past is not None and self.past.now_us == self.now_us):
            return None
        return SnapshotQuery(self.site, self.now_us)

    def take_moment(self, moment: SiteSnapshot) -> None:
        """An answer about a moment of the past; dropped once now is shown again."""
        if not self.window.is_live:
            self.past = moment
            self._tell(None)

    def try_out(self, trial: dict[int, float]) -> None:
        """Show these values wherever their series appear; none ends the trial."""
        touched = set(self.trial) | set(trial)
        self.trial = trial
        self._tell(touched)

    def note_proposal(self, series_id: int, *, is_proposed: bool) -> None:
        """A correction of a series is proposed, or no longer."""
        if is_proposed is (series_id in self.proposals):
            return
        if is_proposed:
            self.proposals.add(series_id)
        else:
            self.proposals.discard(series_id)
        self._tell({series_id})

    def note_proposals(self, proposed: Collection[int]) -> None:
        """Whose correction is proposed, of all series."""
        touched = self.proposals ^ set(proposed)
        self.proposals = set(proposed)
        if touched:
            self._tell(touched)

    def trial_words(self) -> str:
        """Each tried value in words, instead of the real one."""
        by_id, told = self.by_id, []
        for series_id, value in self.trial.items():
            one = by_id.get(series_id)
            if one is not None and series_id in self.shown.latest:
                real = one.shown.text(self.shown.latest[series_id].value)
                told.append(
                    tr(
                        "{0} at {1} is {2} instead of {3}",
                        one.quantity.name,
                        one.station.place.name,
                        one.shown.text(value),
                        real,
                    )
                )
        return ", ".join(told)

    def subscribe(self, changed: Callable[[set[int] | None], None]) -> Callable[[], None]:
        """Call this after every change; returns the function that ends it."""
        return self._changed.subscribe(changed)

    def take(self, news: News) -> None:
        """Take news in and tell the subscribers."""
        changed: set[int] | None = None
        match news:
            case Picture():
                self.site, self.collectors = news.site, news.collectors
                ribbons = self.live.ribbons | news.ribbons if news.others_stand else news.ribbons
                self.live = LatestValues(news.latest, ribbons, news.reports)
                self._figures = self._past_figures = None
                self.remarks, self.groups = news.remarks, news.groups
                self.live_alarms = news.alarms
                self.copies = news.copies
                self.is_loaded = True
            case NewReadings():
                changed = set(news.latest) | set(news.ribbons)
                self._take_readings(news)
            case NewDoors():
                before = self.notice()
                is_same = (news.collectors, news.copies) == (self.collectors, self.copies)
                self.collectors, self.room_bytes = news.collectors, news.room_bytes
                self.copies = news.copies
                if is_same and self.notice() == before:
                    return
                changed = set()
            case MessagesChanged():
                self.tape_moves += 1
                changed = set()
            case NewRemarks():
                self.remarks = news.remarks
                for remarked in self.remarks_changed:
                    remarked()
                return
            case NewSheets():
                self.sheet_moves += 1
                changed = set()
            case NewReports():
                self.report_moves += 1
                changed = set()
            case NewAlarms():
                changed = {one.series_id for one in (*self.live_alarms, *news.alarms)}
                self.live_alarms = news.alarms
                self.alarm_moves += 1
            case StoreUnavailable():
                self.trouble, changed = news.text, set()
        # While the past is shown, what comes in now is kept for later.
        self._tell(set() if changed and not self.window.is_live else changed)

    def _tell(self, changed: set[int] | None) -> None:
        self._changed(changed)

    def _take_readings(self, news: NewReadings) -> None:
        by_id = self.by_id
        self._live_figures.take(news.latest)
        for series_id, reading in news.latest.items():
            series = by_id.get(series_id)
            if series is None:
                continue
            if series_id not in news.ribbons and series_id in self.live.ribbons:
                self.live.ribbons[series_id] = self.live.ribbons[series_id].with_reading(
                    reading.time_us, reading.value, is_good=reading.quality == 0
                )
            self.live.latest[series_id] = reading
            self.live.note_newest(series.station, reading.time_us)
            moments = self.live.reports.get(series.station.id, np.empty(0, dtype=np.int64))
            if not len(moments) or reading.time_us > moments[-1]:
                self.live.reports[series.station.id] = np.append(
                    moments[-_KEPT_REPORTS:], reading.time_us
                )
        self.live.ribbons.update(news.ribbons)

    def level(self, series: Series) -> Level:
        """The level of a series' newest reading; settled without a good one."""
        return _level_of(series, self.latest.get(series.id))

    def age_s(self, time_us: int) -> float:
        """Age of a moment, s, never negative."""
        return max(0.0, (self.now_us - time_us) / SECOND_US)

    def station_age_s(self, station: Station) -> float | None:
        """Time since a station was last heard, s; None when it never was."""
        heard_us = self._heard_us(station)
        return None if heard_us is None else self.age_s(heard_us)

    def station_freshness(self, station: Station) -> Freshness:
        """Freshness of a station; one never heard is silent."""
        age_s = self.station_age_s(station)
        return freshness(
            math.inf if age_s is None else age_s,
            station.cadence_s,
            is_offline=self.is_offline(station),
            is_maintained=station.is_maintained(self.now_us),
        )

    def is_offline(self, station: Station) -> bool:
        """True if it said, or its will did, that it is offline, and nothing came since."""
        since_us, heard_us = station.offline_since_us, self._heard_us(station)
        return since_us is not None and (heard_us is None or heard_us <= since_us)

    def _heard_us(self, station: Station) -> int | None:
        # Without making a snapshot: every row asks for it every second.
        if self.window.is_live or self.past is None:
            return self.live.newest_by_station(self.site).get(station.id)
        return self.past.heard_us(station)

    @property
    def by_id(self) -> Mapping[int, Series]:
        """Every series by its id."""
        return self._live_figures.by_id

    @property
    def _live_figures(self) -> SiteFigures:
        if self._figures is None:
            self._figures = SiteFigures(self.site, self.live.latest)
        return self._figures

    def _figures_shown(self) -> SiteFigures:
        """Figures of the moment shown, values on trial as they are tried."""
        if self.trial:
            return SiteFigures(self.site, self.latest)
        past = self.past
        if self.window.is_live or past is None:
            return self._live_figures
        if self._past_figures is None or self._past_figures[0] is not past:
            self._past_figures = past, SiteFigures(self.site, past.latest)
        return self._past_figures[1]

    def stations_heard(self) -> tuple[int, int]:
        """Number of stations that are not silent, and of all."""
        return self._figures_shown().heard(self.now_us)

    def raised(self) -> tuple[int, Level]:
        """Number of series of heard stations that are raised or worse, and the worst level."""
        return self._figures_shown().raised(self.now_us)

    def telling_levels(self) -> dict[int, int]:
        """The level of each series by its id; 0 while its station says nothing. For who asks of
        all of them: one by one two thousand take longer than a frame."""
        return self._figures_shown().telling_levels(self.now_us)

    def heard_now(self) -> tuple[int, int]:
        """As `stations_heard`, at this very moment."""
        return self._live_figures.heard(self.clock())

    def raised_now(self) -> tuple[int, Level]:
        """As `raised`, at this very moment."""
        return self._live_figures.raised(self.clock())

    def notice(self) -> str:
        """The most important trouble in one line; empty when there is none."""
        if self.trouble:
            return self.trouble
        if not self.is_loaded:
            return ""
        if self.room_bytes is not None and self.room_bytes < _LITTLE_ROOM_BYTES:
            # Before anything else: a collector that cannot write cannot say that it lives either.
            return tr(
                "The disk that holds the store is full ({0:.0f} MB left). "
                "New readings are refused until there is room; all that came before is kept.",
                self.room_bytes / 1e6,
            )
        if not self.collectors:
            return tr("No collector runs, so nothing new comes in and nothing rings.")
        if self.copies is not None and self.copies.trouble:
            return tr(
                "The daily copy of the store failed: {0}. It is tried again every hour.",
                self.copies.trouble,
            )
        failed = [
            tr(
                "{0}: this duty of the collector stands still ({1}); it is tried again.",
                tr(one.name).capitalize(),
                one.why,
            )
            for collector in self.collectors
            for one in collector.failed
        ]
        waiting = [
            tr(
                "{0} door: {1}; trying again. What came before is kept.",
                door.name.upper(),
                door.detail,
            )
            for collector in self.collectors
            for door in collector.doors
            if door.state is DoorState.TRYING
        ]
        return " ".join([*failed, *waiting])


def _level_of(series: Series, newest: Latest | None) -> Level:
    if newest is None or newest.quality != 0:
        return Level.SETTLED
    return series.limits.at(newest.time_us).level_of(newest.value)

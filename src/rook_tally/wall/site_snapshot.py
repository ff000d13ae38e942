"""The site at a moment, now or in the past: the one statement of it for desk, Wall and pages."""

from __future__ import annotations

import math
from collections.abc import Mapping
from zoneinfo import ZoneInfo

import msgspec

from rook_tally.core.arrays import TimeArray
from rook_tally.core.moment_words import clock_words
from rook_tally.core.quantities.number_format import age
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.freshness import Freshness, freshness
from rook_tally.core.timestamps import SECOND_US, datetime_from_time_us
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.readings import Latest
from rook_tally.store.site import Site, Station


class SiteSnapshot(msgspec.Struct, frozen=True):
    """The site at `now_us`; nothing later is known of it.

    Attributes
    ----------
    latest : newest reading by series id
    alarms : those that are not normal, the worst first
    ribbons : the day before by series id, where they were asked for
    reports : moments of the last reports by station id, where they were asked for
    heard : newest reading's moment by station id; worked out when first asked for
    """

    site: Site
    now_us: int
    latest: Mapping[int, Latest]
    alarms: tuple[ActiveAlarm, ...] = ()
    ribbons: Mapping[int, Envelope] = msgspec.field(default_factory=dict)
    reports: Mapping[int, TimeArray] = msgspec.field(default_factory=dict)
    heard: dict[int, int] = msgspec.field(default_factory=dict)

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return ZoneInfo(self.site.zone)

    def heard_us(self, station: Station) -> int | None:
        """Moment of a station's newest reading; None without one."""
        if not self.heard:
            for one in self.site.series:
                reading = self.latest.get(one.id)
                if reading is not None:
                    before = self.heard.get(one.station.id, reading.time_us)
                    self.heard[one.station.id] = max(before, reading.time_us)
        return self.heard.get(station.id)

    def age_s(self, time_us: int) -> float:
        """Age of a moment, s, never negative."""
        return max(0.0, (self.now_us - time_us) / SECOND_US)

    def station_age_s(self, station: Station) -> float | None:
        """Time since a station was last heard, s; None when it never was."""
        heard_us = self.heard_us(station)
        return None if heard_us is None else self.age_s(heard_us)

    def is_offline(self, station: Station) -> bool:
        """True if it said, or its will did, that it is offline, and nothing came since."""
        since_us, heard_us = station.offline_since_us, self.heard_us(station)
        return since_us is not None and (heard_us is None or heard_us <= since_us)

    def freshness(self, station: Station) -> Freshness:
        """Freshness of a station; one never heard is silent."""
        age_s = self.station_age_s(station)
        return freshness(
            math.inf if age_s is None else age_s,
            station.cadence_s,
            is_offline=self.is_offline(station),
            is_maintained=station.is_maintained(self.now_us),
        )

    def age(self, time_us: int) -> str:
        """Age of a moment in words."""
        return age(self.age_s(time_us))

    def clock(self, time_us: int) -> str:
        """A moment as a clock shows it; with its day when that is another."""
        moment = datetime_from_time_us(time_us).astimezone(self.zone)
        today = datetime_from_time_us(self.now_us).astimezone(self.zone).date()
        told = clock_words(moment)
        return told if moment.date() == today else f"{moment:%a} {told}"

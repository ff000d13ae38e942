"""What is known of a site at a moment: what faces are made from."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

from rook_tally.core.quantities.number_format import age
from rook_tally.core.series.freshness import Freshness, freshness
from rook_tally.core.timestamps import SECOND_US, datetime_from_time_us
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.readings import Latest
from rook_tally.store.site import Site, Station
from rook_tally.wall.pane_data import PaneData


@dataclass(frozen=True)
class PaneContext:
    """A site as it stands at `now_us`.

    `trial` are ids of series whose newest value is only tried out.
    """

    site: Site
    now_us: int
    latest: Mapping[int, Latest]
    alarms: Sequence[ActiveAlarm]
    material: PaneData
    trial: Collection[int] = ()
    _newest: dict[int, int] = field(default_factory=dict)

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return ZoneInfo(self.site.zone)

    def heard_us(self, station: Station) -> int | None:
        """When a station was last heard; None for never."""
        if not self._newest:
            for one in self.site.series:
                reading = self.latest.get(one.id)
                if reading is not None:
                    before = self._newest.get(one.station.id, reading.time_us)
                    self._newest[one.station.id] = max(before, reading.time_us)
        return self._newest.get(station.id)

    def age_s(self, time_us: int) -> float:
        """Age of a moment, s, never negative."""
        return max(0.0, (self.now_us - time_us) / SECOND_US)

    def freshness(self, station: Station) -> Freshness:
        """True if a station is heard, late or silent; one never heard is silent."""
        heard_us = self.heard_us(station)
        if heard_us is None:
            return Freshness.SILENT
        offline_us = station.offline_since_us
        is_offline = offline_us is not None and heard_us <= offline_us
        return freshness(self.age_s(heard_us), station.cadence_s, is_offline=is_offline)

    def age(self, time_us: int) -> str:
        """Age of a moment in words."""
        return age(self.age_s(time_us))

    def clock(self, time_us: int) -> str:
        """A moment as a clock shows it; with its day when that is another."""
        moment = datetime_from_time_us(time_us).astimezone(self.zone)
        today = datetime_from_time_us(self.now_us).astimezone(self.zone).date()
        return moment.strftime("%H:%M" if moment.date() == today else "%a %H:%M")

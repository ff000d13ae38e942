"""The site as it stood at a moment: what everything shows while the past is looked at."""

from __future__ import annotations

from dataclasses import dataclass, field

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.series.envelope import Envelope
from rook_tally.desk.data.store_feed import RIBBON_COLUMNS, reports_us, ribbon_window
from rook_tally.store.alarms import standing_at
from rook_tally.store.readings import Latest, moment_of
from rook_tally.store.site import Site, Station
from rook_tally.wall.site_snapshot import SiteSnapshot


@dataclass(slots=True)
class LatestValues:
    """Newest readings and the day before them by series id, last reports by station id."""

    latest: dict[int, Latest] = field(default_factory=dict)
    ribbons: dict[int, Envelope] = field(default_factory=dict)
    reports: dict[int, TimeArray] = field(default_factory=dict)
    _newest: dict[int, int] | None = None

    def newest_by_station(self, site: Site) -> dict[int, int]:
        """When each station was last heard, by its id; worked out once, as every cell asks."""
        if self._newest is None:
            self._newest = {}
            for one in site.series:
                if one.id in self.latest:
                    self.note_newest(one.station, self.latest[one.id].time_us)
        return self._newest

    def note_newest(self, station: Station, time_us: int) -> None:
        """A station was heard."""
        if self._newest is not None:
            self._newest[station.id] = max(time_us, self._newest.get(station.id, time_us))


class SnapshotQuery(msgspec.Struct, frozen=True):
    """The site at a moment."""

    site: Site
    at_us: int

    def run(self, connection: Connection) -> SiteSnapshot:
        """The site at that moment; a reading later than it is not known yet."""
        told = moment_of(
            connection,
            self.site.series,
            self.at_us,
            window=ribbon_window(self.at_us),
            columns=RIBBON_COLUMNS,
            reports_us=reports_us(self.site),
        )
        alarms = standing_at(connection, self.at_us)
        return SiteSnapshot(self.site, self.at_us, told.latest, alarms, told.ribbons, told.reports)

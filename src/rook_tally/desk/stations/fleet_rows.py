"""The lines of the fleet, in the order of its places; without Qt."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray
from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.number_format import age
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.stations.fleet import station_remark, usual_firmware
from rook_tally.desk.stations.queries import HEARD_SLOTS, Fleet
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import MessageCounts, Series, Site, Station

_NOTHING_HEARD = np.zeros(HEARD_SLOTS, dtype=np.bool_)


class StationRow(msgspec.Struct, frozen=True):
    """A line of the fleet. `place` is set where a place begins; `remark` says what is wrong."""

    station: Station
    place: str
    heard: BoolArray
    age: str
    freshness: Freshness
    power: str
    remark: str
    signal: str = ""

    @property
    def told(self) -> tuple[object, ...]:
        """All it says, to be compared."""
        return (
            self.station,
            self.place,
            self.heard.tobytes(),
            self.age,
            self.freshness,
            self.power,
            self.remark,
            self.signal,
        )

    @property
    def spoken(self) -> str:
        """The line as a screen reader says it."""
        parts = [
            self.station.key,
            tr(self.station.kind.name),
            self.station.place.name,
            tr("last heard {0} ago", self.age) if self.age else tr("never heard"),
            self.power,
            self.signal,
            self.remark,
        ]
        return ", ".join(part for part in parts if part)


class FleetRows:
    """Lines over a `SiteState`; `fleet` is what the store told last, None before it did.

    What follows from the site alone is worked out once for each site: a large one has a thousand
    stations, and a line is asked for whenever it is painted.
    """

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.fleet: Fleet | None = None
        self._usual: tuple[Site | None, dict[str, str]] = (None, {})
        self._order: tuple[Site | None, list[Station]] = (None, [])
        # Series by their station's id, of the site they were sorted for.
        self._series: tuple[Site | None, dict[int, list[Series]]] = (None, {})

    def series_of(self, station: Station) -> list[Series]:
        """The series of a station."""
        site = self._state.site
        if self._series[0] is not site:
            told: dict[int, list[Series]] = {}
            for one in site.series:
                told.setdefault(one.station.id, []).append(one)
            self._series = site, told
        return self._series[1].get(station.id, [])

    def ordered(self) -> list[Station]:
        """The fleet in the order of its places."""
        site = self._state.site
        if self._order[0] is not site:
            rank = {place.id: at for at, place in enumerate(site.places)}
            told = sorted(site.stations, key=lambda one: (rank[one.place.id], one.id))
            self._order = site, told
        return self._order[1]

    def rows(self) -> list[StationRow]:
        """The fleet by place and order."""
        rows: list[StationRow] = []
        before = None
        for station in self.ordered():
            place = station.place.name if station.place.name != before else ""
            before = station.place.name
            rows.append(self.row(station, place))
        return rows

    def row(self, station: Station, place: str) -> StationRow:
        """A line of the fleet; `place` stands over the first of a place."""
        age_s = self._state.station_age_s(station)
        return StationRow(
            station,
            place,
            self._heard(station),
            "" if age_s is None else age(age_s),
            self._state.station_freshness(station),
            self._power(station),
            self._remark(station, self._usual_firmware()),
            self._newest_of(station, "signal_strength"),
        )

    def _usual_firmware(self) -> dict[str, str]:
        site = self._state.site
        if self._usual[0] is not site:
            self._usual = site, usual_firmware(site.stations)
        return self._usual[1]

    def _heard(self, station: Station) -> BoolArray:
        return (
            _NOTHING_HEARD
            if self.fleet is None
            else self.fleet.heard.get(station.id, _NOTHING_HEARD)
        )

    def _power(self, station: Station) -> str:
        """Its supply in words."""
        return self._newest_of(station, "battery") or self._newest_of(station, "voltage")

    def _newest_of(self, station: Station, slug: str) -> str:
        """A station's newest reading of a quantity, with its unit; empty without one."""
        for one in self.series_of(station):
            if one.quantity.slug != slug:
                continue
            newest = self._state.latest.get(one.id)
            if newest is not None:
                return f"{one.shown.text(newest.value)} {one.shown.symbol}".rstrip()
        return ""

    def _remark(self, station: Station, usual: dict[str, str]) -> str:
        if self.fleet is None:
            return ""
        return station_remark(
            station,
            self.fleet.tallies.get(station.id, MessageCounts()),
            self.fleet.clock_faults.get(station.id),
            usual,
            is_offline=self._state.is_offline(station),
            maintenance=self._maintenance(station),
            update=self._update(station),
        )

    def _update(self, station: Station) -> str:
        """The state of a station's firmware update, in words; empty without one."""
        told = None if self.fleet is None else self.fleet.updates.get(station.key)
        return "" if told is None else tr("firmware {0}: {1}", told.version, tr(told.state.value))

    def _maintenance(self, station: Station) -> str:
        span = station.maintenance
        if span is None or not station.is_maintained(self._state.clock()):
            return ""
        until = datetime_from_time_us(span[1]).astimezone(self._state.zone)
        return tr("under maintenance until {0}", moment_words(until))

"""The Stations view's model: rows of the fleet, lines of the tape, fields of a station in words."""

from __future__ import annotations

from collections.abc import Callable
from datetime import tzinfo
from zoneinfo import ZoneInfo

import msgspec
from msgspec.structs import replace

from rook_tally.core.comparing.power_words import power_lines
from rook_tally.core.moment_words import clock_words, moment_words
from rook_tally.core.oscore_keys import oscore_keys
from rook_tally.core.quantities.connection_sheet import ConnectionSheet, example_message
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import HOUR_US, datetime_from_time_us
from rook_tally.desk.data.newest_words import newest_words
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.stations.controls import ControlRow, control_rows
from rook_tally.desk.stations.first_contact import ContactStep, contact_steps
from rook_tally.desk.stations.fleet import firmware_spread
from rook_tally.desk.stations.fleet_rows import FleetRows
from rook_tally.desk.stations.queries import (
    Fleet,
    FleetQuery,
    StationPage,
    StationPageQuery,
    StationPower,
    StationPowerQuery,
)
from rook_tally.desk.stations.station_tables import FieldRow, TapeRow, field_row, tape_row
from rook_tally.desk.stations.texts import tr, tr_count
from rook_tally.store.base import access_hash
from rook_tally.store.site import MessageCounts, Series, Station, StrayGroup
from rook_tally.wall.links import station_addresses

_POWER_HOLDS_US = HOUR_US


class StrayLine(msgspec.Struct, frozen=True):
    """A sender whose messages are nobody's: the station it says it is, None for unnamed ones, and
    what is to be said of it."""

    station: str | None
    words: str


class StationsModel:
    """Decides what the Stations view shows. `changed` hears when it has to be drawn anew."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.fleet_rows = FleetRows(state)
        self._picked: str | None = None
        self._power_asked = ("", 0)
        self._power_told: StationPower | None = None
        self.page: StationPage | None = None
        self.is_held = False
        self.changed: list[Callable[[], None]] = []

    @property
    def picked(self) -> Station | None:
        """The station whose page is shown; the first one until another is picked."""
        site = self._state.site
        found = site.station(self._picked) if self._picked else None
        ordered = self.fleet_rows.ordered()
        return found or (ordered[0] if ordered else None)

    def station(self, key: str) -> Station | None:
        """The station of a key; None when it is gone."""
        return self._state.site.station(key)

    @property
    def now_us(self) -> int:
        """The moment it is, whatever moment is shown."""
        return self._state.clock()

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return self._state.zone

    @property
    def is_answered(self) -> bool:
        """True if the fleet and the picked station's page are known."""
        return self.fleet_rows.fleet is not None and self.page is not None

    def has(self, key: str) -> bool:
        """True if a station is known by now."""
        return self._state.site.station(key) is not None

    def pick(self, key: str) -> None:
        """Show the page of a station."""
        self._picked = key
        self.is_held = False
        if self.page is not None and self.page.station.key != key:
            self.page = None
        self._tell()

    def hold(self, is_held: bool) -> None:
        """Let the tape stand still, or run again."""
        self.is_held = is_held
        self._tell()

    def fleet_question(self) -> FleetQuery:
        """The query for the fleet."""
        return FleetQuery(self._state.site, self._state.now_us)

    def page_question(self) -> StationPageQuery | None:
        """The query for the picked station; None without one."""
        station = self.picked
        return (
            None
            if station is None
            else StationPageQuery(self._state.site, station, self._state.now_us)
        )

    def power_question(self) -> StationPowerQuery | None:
        """The query for the picked station's battery; None while an answer holds."""
        station, now_us = self.picked, self._state.now_us
        if station is None:
            return None
        asked, at_us = self._power_asked
        if asked == station.key and abs(now_us - at_us) < _POWER_HOLDS_US:
            return None
        self._power_asked = station.key, now_us
        return StationPowerQuery(self._state.site, station, now_us)

    def take_power(self, power: StationPower) -> None:
        """An answer about a battery."""
        self._power_told = power
        self._tell()

    def power_words(self) -> str:
        """How long the picked station's battery lasts; empty where nothing tells."""
        station, told = self.picked, self._power_told
        if station is None or told is None or told.station != station.key or told.outlook is None:
            return ""
        return " ".join(power_lines(told.outlook))

    def take_fleet(self, fleet: Fleet) -> None:
        """An answer about the fleet."""
        self.fleet_rows.fleet = fleet
        self._tell()

    def take_page(self, page: StationPage) -> None:
        """An answer about a station; dropped when another one is picked by now."""
        station = self.picked
        if station is None or page.station.key != station.key:
            return
        if self.is_held and self.page is not None:
            page = replace(page, tape=self.page.tape)
        self.page = page
        self._tell()

    def _tell(self) -> None:
        for subscriber in self.changed:
            subscriber()

    def firmware(self) -> str:
        """The firmware of the picked station, and that of the fleet if it differs."""
        station = self.picked
        if station is None or not station.firmware:
            return ""
        spread = firmware_spread(
            one for one in self._state.site.stations if one.kind.slug == station.kind.slug
        )
        if "," not in spread:
            return tr("firmware {0}", station.firmware)
        return tr("firmware {0} (of its kind: {1})", station.firmware, spread)

    @property
    def is_collected(self) -> bool:
        """True while a collector runs."""
        return bool(self._state.collectors)

    def moment(self) -> tuple[int, tzinfo]:
        """Now, and the zone that times are typed in."""
        return self.now_us, self._state.zone

    @property
    def is_live(self) -> bool:
        """True while now is shown."""
        return self._state.window.is_live

    def control_rows(self) -> list[ControlRow]:
        """The picked station's controls."""
        station, page = self.picked, self.page
        if station is None or page is None:
            return []
        return control_rows(station, page.reports, page.requests, self._moment, self._state.clock())

    def newest_words(self, key: str) -> str:
        """The newest readings of a station in words; empty where it is none, or has none."""
        return newest_words(self._state, key)

    def contact(self) -> tuple[ContactStep, ...]:
        """Steps that the picked station's newest message has passed."""
        station = self.picked
        if station is None:
            return ()
        around = [] if self.page is None else self.page.around
        is_shown = self._state.station_age_s(station) is not None
        return contact_steps(station.key, around, is_shown=is_shown)

    def sheet(self, firmware_key: str = "") -> ConnectionSheet | None:
        """The connection sheet of the picked station, for the doors that are open. By the public
        half of the site's key its programs know updates."""
        station = self.picked
        if station is None:
            return None
        fields = {one.field: one.quantity for one in self.fleet_rows.series_of(station)} or {
            one.name: QUANTITIES[one.quantity] for one in station.kind.fields
        }
        where = station_addresses(self._state.collectors)
        return ConnectionSheet(
            station.key,
            station.cadence_s,
            where.http,
            where.mqtt_host,
            where.mqtt_port,
            example_message(fields),
            where.coap,
            station.kind.slug,
            firmware_key,
        )

    def coap_secret(self, access_key: str) -> str:
        """What the picked station protects its CoAP messages with, in words."""
        station = self.picked
        return "" if station is None else oscore_keys(station.id, access_hash(access_key)).words

    @property
    def is_reachable(self) -> bool:
        """True if a station elsewhere in the network can reach a door."""
        hosts = [
            door.address.rpartition(":")[0].strip("[]")
            for each in self._state.collectors
            for door in each.doors
            if door.name in ("http", "mqtt")
        ]
        return any(
            not host.startswith("127.") and host not in ("::1", "localhost") for host in hosts
        )

    def where(self) -> str:
        """Where the picked station stands, beside its place, and what is noted of it."""
        station = self.picked
        if station is None:
            return ""
        parts = []
        if station.latitude is not None and station.longitude is not None:
            parts.append(f"{station.latitude:.5f}, {station.longitude:.5f}")
        if station.notes:
            parts.append(station.notes)
        return " · ".join(parts)

    def strays(self) -> list[StrayGroup]:
        """Who is astray, the longest first: no line moves because another one spoke."""
        if self.fleet_rows.fleet is None:
            return []
        return sorted(
            self.fleet_rows.fleet.strays, key=lambda one: (one.first_us, one.station or "")
        )

    def to_take_in(self) -> str | None:
        """Whom to take in next: a new sender first, then a station with fields that are astray."""
        named = [one.station for one in self.strays() if one.station is not None]
        new = [one for one in named if self._state.site.station(one) is None]
        return next(iter((*new, *named)), None)

    def stray_headline(self) -> str:
        """The number of strays in words; empty when there is none."""
        count = len(self.strays())
        if not count:
            return ""
        return tr_count(count, "A stray is talking", "{0} strays are talking")

    def stray_lines(self) -> list[StrayLine]:
        """A line a stray sender: who, how many messages since when, and why."""
        lines: list[StrayLine] = []
        for one in self.strays():
            since = self._clock(one.first_us)
            is_known = one.station is not None and self._state.site.station(one.station)
            why = one.why if is_known or one.station is None else tr("no station yet")
            who = one.station or tr("unnamed")
            words = tr("{0} · {1} kept since {2} · {3}", who, one.count, since, why)
            lines.append(StrayLine(one.station, words))
        return lines

    def counts(self) -> str:
        """Counts of all the picked station has sent."""
        station = self.picked
        if station is None or self.fleet_rows.fleet is None:
            return ""
        tally = self.fleet_rows.fleet.tallies.get(station.id, MessageCounts())
        told = [
            (tally.kept, tr("{0} kept")),
            (tally.duplicate, tr("{0} duplicate")),
            (tally.revised, tr("{0} revised")),
            (tally.suspect, tr("{0} suspect")),
            (tally.late, tr("{0} late")),
            (tally.stray, tr("{0} stray")),
            (tally.refused, tr("{0} refused")),
        ]
        words = [word.format(figure(count, 0)) for count, word in told if count]
        return ", ".join(words) or tr("nothing has come from it yet")

    def tape_rows(self) -> list[TapeRow]:
        """The picked station's messages, newest first."""
        return [] if self.page is None else [tape_row(self._state, one) for one in self.page.tape]

    def field_rows(self) -> list[FieldRow]:
        """The picked station's fields."""
        station = self.picked
        series = [] if station is None else self.fleet_rows.series_of(station)
        return [field_row(self._state, one, self.page) for one in series]

    def field_series(self, row: int) -> Series | None:
        """The series of a row of `field_rows`."""
        station = self.picked
        several = [] if station is None else self.fleet_rows.series_of(station)
        return several[row] if 0 <= row < len(several) else None

    def _moment(self, time_us: int) -> str:
        """A moment of today to the second, an earlier one with its day."""
        moment = datetime_from_time_us(time_us).astimezone(self._state.zone)
        today = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone).date()
        return clock_words(moment, seconds=True) if moment.date() == today else self._clock(time_us)

    def _clock(self, time_us: int) -> str:
        moment = datetime_from_time_us(time_us).astimezone(self._state.zone)
        today = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone).date()
        return clock_words(moment) if moment.date() == today else moment_words(moment)

"""The Stations view's model: rows of the fleet, lines of the tape, fields of a station in words."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import tzinfo
from zoneinfo import ZoneInfo

import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import BoolArray
from rook_tally.core.comparing.power_words import power_lines
from rook_tally.core.moment_words import clock_words, day_words, moment_words
from rook_tally.core.oscore_keys import oscore_keys
from rook_tally.core.quantities.connection_sheet import ConnectionSheet, example_message
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import age, figure
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.corrections import Correction, correction_text
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.timestamps import HOUR_US, datetime_from_time_us
from rook_tally.desk.data.newest_words import newest_words
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.stations.controls import ControlRow, control_rows
from rook_tally.desk.stations.first_contact import ContactStep, contact_steps
from rook_tally.desk.stations.fleet import firmware_spread, station_remark, usual_firmware
from rook_tally.desk.stations.queries import (
    HEARD_SLOTS,
    Fleet,
    FleetQuery,
    StationPage,
    StationPageQuery,
    StationPower,
    StationPowerQuery,
)
from rook_tally.desk.stations.texts import tr, tr_count
from rook_tally.store.base import access_hash
from rook_tally.store.site import MessageCounts, MessageLogEntry, Series, Site, Station, StrayGroup
from rook_tally.wall.links import station_addresses

_TIME_MEMBER = re.compile(r'"time":"[^"]*",?|(?<=[{,])"time":[0-9.]+,?')
_POWER_HOLDS_US = HOUR_US
_NOTHING_HEARD = np.zeros(HEARD_SLOTS, dtype=np.bool_)


@dataclass(frozen=True, slots=True)
class StationRow:
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
            self.station.kind.name,
            self.station.place.name,
            f"last heard {self.age} ago" if self.age else "never heard",
            self.power,
            self.signal,
            self.remark,
        ]
        return ", ".join(part for part in parts if part)


@dataclass(frozen=True, slots=True)
class TapeRow:
    """A message: when, what it said, what became of it, and how far that is from fine."""

    time: str
    body: str
    fate: str
    level: Level
    decoded: str = ""


@dataclass(frozen=True, slots=True)
class FieldRow:
    """A field of a station: name on the wire, what it becomes, its newest value, its day, what is
    believable, its correction."""

    name: str
    becomes: str
    now: str
    day: str
    believable: str
    correction: str

    @property
    def cells(self) -> tuple[str, ...]:
        """The row from left to right."""
        return (self.name, self.becomes, self.now, self.day, self.believable, self.correction)


@dataclass(frozen=True, slots=True)
class StrayLine:
    """A sender whose messages are nobody's: the station it says it is, None for unnamed ones, and
    what is to be said of it."""

    station: str | None
    words: str


class StationsModel:
    """Decides what the Stations view shows. `changed` hears when it has to be drawn anew."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self._fleet: Fleet | None = None
        self._picked: str | None = None
        self._power_asked = ("", 0)
        self._power_told: StationPower | None = None
        self.page: StationPage | None = None
        self._usual: tuple[Site | None, dict[str, str]] = (None, {})
        self._order: tuple[Site | None, list[Station]] = (None, [])
        # Series by their station's id, of the site they were sorted for.
        self._series: tuple[Site | None, dict[int, list[Series]]] = (None, {})
        self.is_held = False
        self.changed: list[Callable[[], None]] = []

    @property
    def picked(self) -> Station | None:
        """The station whose page is shown; the first one until another is picked."""
        site = self._state.site
        found = site.station(self._picked) if self._picked else None
        ordered = self.ordered()
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
        return self._fleet is not None and self.page is not None

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
        self._fleet = fleet
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
            if self._fleet is None
            else self._fleet.heard.get(station.id, _NOTHING_HEARD)
        )

    def _power(self, station: Station) -> str:
        """Its supply in words."""
        return self._newest_of(station, "battery") or self._newest_of(station, "voltage")

    def _newest_of(self, station: Station, slug: str) -> str:
        """A station's newest reading of a quantity, with its unit; empty without one."""
        for one in self._series_of(station):
            if one.quantity.slug != slug:
                continue
            newest = self._state.latest.get(one.id)
            if newest is not None:
                return f"{one.shown.text(newest.value)} {one.shown.symbol}".rstrip()
        return ""

    def _remark(self, station: Station, usual: dict[str, str]) -> str:
        if self._fleet is None:
            return ""
        return station_remark(
            station,
            self._fleet.tallies.get(station.id, MessageCounts()),
            self._fleet.clock_faults.get(station.id),
            usual,
            is_offline=self._state.is_offline(station),
            maintenance=self._maintenance(station),
            update=self._update(station),
        )

    def _update(self, station: Station) -> str:
        """How far a station is with firmware that is given out."""
        told = None if self._fleet is None else self._fleet.updates.get(station.key)
        return "" if told is None else tr("firmware {0}: {1}", told.version, tr(told.state.value))

    def _maintenance(self, station: Station) -> str:
        span = station.maintenance
        if span is None or not station.is_maintained(self.now_us):
            return ""
        until = datetime_from_time_us(span[1]).astimezone(self._state.zone)
        return tr("under maintenance until {0}", moment_words(until))

    def firmware(self) -> str:
        """The firmware of the picked station, and that of the fleet if it differs."""
        station = self.picked
        if station is None or not station.firmware:
            return ""
        spread = firmware_spread(
            one for one in self._state.site.stations if one.kind.slug == station.kind.slug
        )
        alike = "" if "," not in spread else f" (of its kind: {spread})"
        return tr("firmware {0}{1}", station.firmware, alike)

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
        fields = {one.field: one.quantity for one in self._series_of(station)} or {
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
        if self._fleet is None:
            return []
        return sorted(self._fleet.strays, key=lambda one: (one.first_us, one.station or ""))

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
            why = one.why if is_known or one.station is None else "no station yet"
            who = one.station or "unnamed"
            words = tr("{0} · {1} kept since {2} · {3}", who, one.count, since, why)
            lines.append(StrayLine(one.station, words))
        return lines

    def counts(self) -> str:
        """Counts of all the picked station has sent."""
        station = self.picked
        if station is None or self._fleet is None:
            return ""
        tally = self._fleet.tallies.get(station.id, MessageCounts())
        told = [
            (tally.kept, "kept"),
            (tally.duplicate, "duplicate"),
            (tally.revised, "revised"),
            (tally.suspect, "suspect"),
            (tally.late, "late"),
            (tally.stray, "stray"),
            (tally.refused, "refused"),
        ]
        words = [f"{figure(count, 0)} {word}" for count, word in told if count]
        return ", ".join(words) or "nothing has come from it yet"

    def tape_rows(self) -> list[TapeRow]:
        """The picked station's messages, newest first."""
        return [] if self.page is None else [self._tape_row(one) for one in self.page.tape]

    def _tape_row(self, line: MessageLogEntry) -> TapeRow:
        level = Level.SETTLED
        if line.suspect:
            level = Level.RAISED
        if line.stray or line.refused or (line.why and not (line.kept or line.duplicate)):
            level = Level.HIGH
        return TapeRow(
            self._clock(line.arrived_us, exactly=True),
            body_text(line),
            line.fate,
            level,
            line.decoded,
        )

    def field_rows(self) -> list[FieldRow]:
        """The picked station's fields."""
        station = self.picked
        return [] if station is None else [self._field_row(one) for one in self._series_of(station)]

    def field_series(self, row: int) -> Series | None:
        """The series of a row of `field_rows`."""
        station = self.picked
        several = [] if station is None else self._series_of(station)
        return several[row] if 0 <= row < len(several) else None

    def _field_row(self, one: Series) -> FieldRow:
        quantity = one.quantity
        newest = self._state.latest.get(one.id)
        day = None if self.page is None else self.page.days.get(one.id)
        told = one.shown
        unit = f", {told.symbol}" if told.symbol else ""
        corrections = [] if self.page is None else self.page.corrections.get(one.id, [])
        return FieldRow(
            one.field,
            f"{quantity.name}{unit}{_set_aside(one)}",
            "" if newest is None else told.text(newest.value),
            ""
            if day is None or math.isnan(day.low)
            else _span_text(told, day.low, day.high, told.decimals),
            _span_text(told, *quantity.believable, 0),
            self._correction_text(corrections[-1].correction, told) if corrections else "none",
        )

    def _correction_text(self, correction: Correction, shown: DisplayUnit) -> str:
        since = datetime_from_time_us(correction.from_us).astimezone(self._state.zone)
        words = correction_text(correction, shown)
        return tr("{0} since {1}", words, day_words(since))

    def _series_of(self, station: Station) -> list[Series]:
        site = self._state.site
        if self._series[0] is not site:
            told: dict[int, list[Series]] = {}
            for one in site.series:
                told.setdefault(one.station.id, []).append(one)
            self._series = site, told
        return self._series[1].get(station.id, [])

    def _moment(self, time_us: int) -> str:
        """A moment of today to the second, an earlier one with its day."""
        moment = datetime_from_time_us(time_us).astimezone(self._state.zone)
        today = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone).date()
        return clock_words(moment, seconds=True) if moment.date() == today else self._clock(time_us)

    def _clock(self, time_us: int, *, exactly: bool = False) -> str:
        moment = datetime_from_time_us(time_us).astimezone(self._state.zone)
        if exactly:
            return f"{moment:%H:%M:%S}.{moment.microsecond // 1000:03}"
        today = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone).date()
        return clock_words(moment) if moment.date() == today else moment_words(moment)


def _set_aside(one: Series) -> str:
    if one.settings.left_out:
        return tr(" (left out)")
    return tr(" (hidden)") if one.settings.hidden else ""


def body_text(line: MessageLogEntry) -> str:
    """A message's beginning on one line; bytes that are no text in hexadecimal."""
    try:
        text = " ".join(line.body.decode().split())
    except UnicodeDecodeError:
        return line.decoded or line.body.hex(" ")
    if text[:1] not in "{[":
        return text
    # Blanks and the time, which stands before it, take the room of what is interesting.
    return _TIME_MEMBER.sub("", text.replace('": ', '":').replace(', "', ',"'))


def _span_text(told: DisplayUnit, low: float, high: float, decimals: int) -> str:
    return f"{figure(told.value(low), decimals)} – {figure(told.value(high), decimals)}"

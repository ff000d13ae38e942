"""Resolving: which series a value belongs to, and its value in the base unit."""

from __future__ import annotations

from typing import NamedTuple

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.alarming.evaluate_batch import LiveWatches
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.bluetooth_map import LINES
from rook_tally.core.quantities.kind import Kind
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.readings import Quality
from rook_tally.core.workings.message_formulas import MessageReader
from rook_tally.intake.bounds import shortened
from rook_tally.intake.decode.regex_lines import line_pattern_from
from rook_tally.intake.decode.settings import NO_HINTS, DecodeSettings
from rook_tally.intake.message import BodyFormat, DecodedValue, Message
from rook_tally.intake.pipeline.known_columns import RememberedColumns
from rook_tally.intake.pipeline.live_workings import LiveWorkings
from rook_tally.intake.topics import TopicPattern, topic_pattern_from
from rook_tally.store.base import access_hash, changed_since, newest_seq
from rook_tally.store.readings import Overruling, RecentReadings, overrulings_by_series
from rook_tally.store.site import (
    DoorSettings,
    PollSetting,
    SerialSetting,
    Series,
    Site,
    Station,
    TopicSetting,
    add_series,
    door_settings,
    kinds,
    load_site,
)
from rook_tally.store.site.gateway_keys import gateway_keys
from rook_tally.store.site.site_reading import SiteRules, site_rules

_STATES = {
    True: 1.0,
    False: 0.0,
    "on": 1.0,
    "off": 0.0,
    "true": 1.0,
    "false": 0.0,
    "open": 1.0,
    "closed": 0.0,
    "yes": 1.0,
    "no": 0.0,
}


class UnplacedError(Exception):
    """A value that belongs to nothing we know yet: its message is kept as a stray."""


class UnusableError(Exception):
    """A value that cannot be a reading of its field: refused."""


class ResolvedValue(NamedTuple):
    """A value with its series, in the base unit."""

    item: DecodedValue
    series: Series
    value: float


class IntakeSession:
    """Stations and series by their names on the wire; follows the store's configuration.

    `recent` are their last readings, as far as this writer knows them; `workings` is what rests on
    them, `watches` what watches both; `columns` are the series of whole messages.
    """

    def __init__(self) -> None:
        self._seen_seq = self._site_seq = -1
        self._stations: dict[str, Station] = {}
        self._retired: dict[str, Station] = {}
        # Of stations that moved on: until when an earlier place's series is meant, by series id.
        self._earlier: dict[int, list[tuple[int, Series]]] = {}
        self._by_access_hash: dict[str, Station] = {}
        # The names of gateways, by the hashes of their keys.
        self._gateways: dict[str, str] = {}
        self._series: dict[tuple[int, str], Series] = {}
        # Of strays, since they were last kept within their bounds by this writer.
        self.unpruned_bytes = 0
        self.recent = RecentReadings()
        self.workings = LiveWorkings()
        self.watches = LiveWatches()
        self._overruled: dict[int, list[Overruling]] = {}
        # Read when the first series is begun after the configuration was read.
        self._rules: SiteRules | None = None
        self._patterns: list[TopicPattern] = []
        self._hints: dict[tuple[str, str], DecodeSettings] = {}
        # By the slug of a kind.
        self._layouts: dict[str, DecodeSettings] = {}
        # Of Bluetooth sensors, by the slug of a kind and what bytes are called; those of all kinds
        # are looked for where a sensor is no station yet.
        self._by_radio: dict[tuple[str, str], DecodeSettings] = {}
        self._radio_kinds: tuple[Kind, ...] = ()
        self.columns = RememberedColumns()
        # Times are kept in whole units of so many microseconds.
        self.unit_us = 1
        # The newest moment of series, where nobody but this writer has written since.
        self.newest_us: dict[int, int] = {}

    def refresh(self, connection: Connection) -> None:
        """Read the configuration anew if it was changed since the last time."""
        changed, are_others, newest = changed_since(connection, max(self._seen_seq, 0))
        if are_others:
            self.newest_us.clear()
            self.recent.forget_what_is_empty()
        if not changed and self._seen_seq >= 0:
            self._seen_seq = newest
            self.workings.refresh(connection, self._site_seq)
            self.watches.refresh(connection, self._site_seq)
            return
        self.columns.forget()
        site = load_site(connection)
        self.unit_us = site.settings.times.unit_us
        self._seen_seq = self._site_seq = newest
        self.workings.refresh(connection, self._site_seq)
        self.watches.refresh(connection, self._site_seq)
        self._stations = {station.key: station for station in site.stations}
        numbered = {station.id: station for station in site.stations}
        # By a name that another station has now it is that one's.
        self._stations = {
            name: numbered[at] for name, at in site.aliases.items() if at in numbered
        } | self._stations
        self._retired = {station.key: station for station in site.retired}
        self._by_access_hash = {
            station.access_hash: station for station in site.stations if station.access_hash
        }
        self._gateways = {one.key_hash: one.name for one in gateway_keys(connection)}
        by_id = {one.id: one for one in site.series}
        self._series = {(one.station.id, one.field): one for one in site.series}
        self._series |= {where: by_id[at] for where, at in site.other_names.items()}
        self._earlier = _earlier_places(site)
        self._rules = None
        self._overruled = overrulings_by_series(connection)
        self._patterns, self._hints, self._layouts, self._by_radio = [], {}, {}, {}
        self._radio_kinds = tuple(
            one for one in kinds(connection).values() if one.bluetooth is not None
        )
        for one in door_settings(connection):
            self._take_settings(one.settings)

    def _take_settings(self, settings: DoorSettings) -> None:
        try:
            match settings:
                case TopicSetting():
                    self._patterns.append(topic_pattern_from(settings.pattern, settings.station))
                case SerialSetting() if settings.pattern:
                    pattern = line_pattern_from(settings.pattern)
                    self._hints["serial", settings.path] = DecodeSettings(pattern=pattern)
                case PollSetting() if settings.alone or settings.fields:
                    self._hints["poll", settings.url] = DecodeSettings(
                        field=settings.alone or None, pointers=settings.fields
                    )
        except UsageError:
            # Written by a program with other rules: its messages come as strays, and say why.
            return

    def overruled(self, series_id: int, time_us: int) -> Quality | None:
        """A person's verdict on the stretch a moment lies in; None when there is none."""
        for one in self._overruled.get(series_id, ()):
            if one.from_us <= time_us < one.to_us:
                return one.quality
        return None

    def told_of(self, message: Message) -> tuple[Message, DecodeSettings]:
        """A message with what its door's settings say of it: who speaks, how to read it."""
        hints = self._hints.get((message.door, message.address), NO_HINTS)
        if message.door == "mqtt" and not message.address.startswith("rook/"):
            for pattern in self._patterns:
                names = pattern.names_in(message.address)
                if names is not None:
                    field = names.get("field")
                    hints = NO_HINTS if field is None else DecodeSettings(field)
                    return replace(message, station=names["station"]), hints
        return message, hints

    def hints_of(
        self, speaker: Station | None, message: Message, hints: DecodeSettings
    ) -> DecodeSettings:
        """What the kind of who speaks says of how to read a message, beside what its door says.
        What a sender declared to be something else than that is read as what it declared."""
        if message.door == "bluetooth":
            return self._radio_hints(speaker, message)
        if speaker is None or hints is not NO_HINTS or message.field is not None:
            return hints
        layout, shape = speaker.kind.layout, speaker.kind.shape
        if layout is None and shape is None:
            return hints
        is_json = shape is not None or (layout is not None and bool(layout.at))
        if message.form not in ((None, BodyFormat.JSON) if is_json else (None,)):
            return hints
        known = self._layouts.get(speaker.kind.slug)
        if known is None:
            reader = None if layout is None else MessageReader(layout)
            known = self._layouts[speaker.kind.slug] = DecodeSettings(layout=reader, shape=shape)
        return known

    def _radio_hints(self, speaker: Station | None, message: Message) -> DecodeSettings:
        """How to read what a Bluetooth sensor told: by its kind, or for one that is no station yet
        by any kind that has a layout for it."""
        source = message.bluetooth_source
        if source in ("", LINES):
            return NO_HINTS
        for kind in self._radio_kinds if speaker is None else (speaker.kind,):
            known = self._by_radio.get((kind.slug, source))
            layout = None if kind.bluetooth is None else kind.bluetooth.layouts.get(source)
            if known is None and layout is not None:
                known = DecodeSettings(layout=MessageReader(layout))
                self._by_radio[kind.slug, source] = known
            if known is not None:
                return known
        return NO_HINTS

    def place_told(self, message: Message) -> str | None:
        """Where a message's topic says that its station stands."""
        for pattern in self._patterns if message.door == "mqtt" else ():
            names = pattern.names_in(message.address)
            if names is not None:
                return names.get("place")
        return None

    def station(self, key: str) -> Station | None:
        """The station of that key."""
        return self._stations.get(key)

    def is_retired(self, key: str) -> bool:
        """True if a station of that key was taken out of use."""
        return key in self._retired

    def station_numbered(self, station_id: int) -> Station | None:
        """The station of that id."""
        return next((one for one in self._stations.values() if one.id == station_id), None)

    def station_with_access_key(self, access_key: str) -> Station | None:
        """The station an access key opens for; None for a wrong key."""
        return self._by_access_hash.get(access_hash(access_key))

    def gateway_with_access_key(self, access_key: str) -> str | None:
        """The gateway an access key belongs to; None where it is no gateway's."""
        return self._gateways.get(access_hash(access_key)) if self._gateways else None

    def retired_with_access_key(self, access_key: str) -> Station | None:
        """The station out of use that had this access key; None where there is none."""
        wanted = access_hash(access_key)
        return next((one for one in self._retired.values() if one.access_hash == wanted), None)

    def placed(self, connection: Connection, station: Station, item: DecodedValue) -> ResolvedValue:
        """The series of a value, begun if this is its field's first, and its base value.

        Raises
        ------
        UnplacedError
            When the station has no such field.
        UnusableError
            When the value or its unit cannot be what the field measures.
        """
        known = self._series.get((station.id, item.field))
        if known is not None:
            quantity, wire_unit = known.quantity, known.unit
        else:
            quantity, wire_unit = _meaning(station, item.field)
        value = _base_value(item, quantity, wire_unit)
        if known is None:
            if self._rules is None or station.place.id not in self._rules.around:
                self._rules = site_rules(connection)
            known = add_series(
                connection,
                station,
                field=item.field,
                quantity=quantity,
                unit=wire_unit,
                rules=self._rules,
            )
            self._series[station.id, item.field] = known
        return ResolvedValue(item, known, value)

    def series_at(self, series: Series, time_us: int) -> Series:
        """The series that a reading of a moment belongs to: that of the place where its station
        stood then."""
        for until_us, earlier in self._earlier.get(series.id, ()):
            if time_us < until_us:
                return earlier
        return series

    def plain_series(self, station: Station, field: str) -> Series | None:
        """The series of a station's field; None where it is not begun, is left out, has moved on
        from an earlier place, or a person judged a stretch of it."""
        known = self._series.get((station.id, field))
        if known is None or known.settings.left_out:
            return None
        return None if known.id in self._earlier or known.id in self._overruled else known

    def end_batch(self, connection: Connection) -> None:
        """Know what the running transaction wrote, series begun in it too: reading all anew for
        them would take longer with every station. The store has one writer at a time, so nobody
        else's change lies between the look at its beginning and this."""
        self._seen_seq = newest_seq(connection)

    def forget(self) -> None:
        """Read everything anew next time: series begun in a failed transaction are not there."""
        self._seen_seq = -1
        self.newest_us.clear()
        self.recent.forget()
        self.workings.forget()
        self.watches.forget()


def _earlier_places(site: Site) -> dict[int, list[tuple[int, Series]]]:
    pasts = {one.id: one for one in site.retired if one.past_of is not None}
    if not pasts:
        return {}
    now = {(one.station.id, one.field): one.id for one in site.series}
    found: dict[int, list[tuple[int, Series]]] = {}
    for series in site.series:
        past = pasts.get(series.station.id)
        if past is None or past.past_of is None or past.retired_us is None:
            continue
        moved_on = now.get((past.past_of, series.field))
        if moved_on is not None:
            found.setdefault(moved_on, []).append((past.retired_us, series))
    return {number: sorted(several, key=lambda one: one[0]) for number, several in found.items()}


def _meaning(station: Station, field: str) -> tuple[Quantity, str]:
    """Quantity and wire unit of a field: by the station's kind, else by a quantity's own slug."""
    described = station.kind.field(field)
    if described is not None:
        return QUANTITIES[described.quantity], described.unit
    quantity = QUANTITIES.get(field)
    if quantity is None:
        raise UnplacedError(f"station {station.key} has no field {field}")
    return quantity, quantity.base.symbol


def _base_value(item: DecodedValue, quantity: Quantity, wire_unit: str) -> float:
    value = item.value
    if quantity.scale is QuantityScale.STATE:
        if isinstance(value, str | bool):
            return _STATES[value]
        if value in (0.0, 1.0):
            return value
        raise UnusableError(f"{item.field}: {value:g} is no state; send 0 or 1, true or false")
    if isinstance(value, str | bool):
        shown = shortened(value) if isinstance(value, str) else str(value).lower()
        raise UnusableError(f"{item.field}: {shown} is not a number")
    return float(_unit_of(item, quantity, wire_unit).to_base(value))


def _unit_of(item: DecodedValue, quantity: Quantity, wire_unit: str) -> Unit:
    name = wire_unit if item.unit is None else item.unit
    unit = quantity.unit(name)
    if unit is None:
        usual = ", ".join(known.symbol for known in quantity.units if known.symbol)
        raise UnusableError(
            f"{item.field}: {shortened(name)} is no unit of {quantity.name.lower()}; "
            f"known are {usual}"
        )
    return unit

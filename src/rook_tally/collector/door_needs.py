"""Open doors need to know registers, layouts, topics and what is read by radio: read here."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeAlias

import structlog
from sqlalchemy.engine import Connection

from rook_tally.core.door_settings import (
    BluetoothSetting,
    DoorSettings,
    ModbusSetting,
    SerialSetting,
    TopicSetting,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.kind import Kind
from rook_tally.core.quantities.modbus_map import ModbusRegister
from rook_tally.intake.door_protocols import WantedOfSensor
from rook_tally.intake.topics import TopicPattern, topic_pattern_from
from rook_tally.store.site import Station, load_site
from rook_tally.store.site.kinds import kinds

_log = structlog.get_logger(__name__)

Registers: TypeAlias = Mapping[str, tuple[ModbusRegister, ...]]
Layouts: TypeAlias = Mapping[str, ByteLayout]


@dataclass(frozen=True, slots=True)
class ByRadio:
    """Tells what to read of a Bluetooth sensor. A station's kind decides it; for a sensor that is
    no station yet, the first kind decides whose name or advertised data match."""

    stations: Mapping[str, WantedOfSensor | None] = field(default_factory=dict)
    kinds: tuple[WantedOfSensor, ...] = ()

    def wanted(self, key: str, name: str, sources: Collection[str]) -> WantedOfSensor | None:
        """Find what to read of a sensor by its key, its name and the data that it advertises; None
        where no kind fits."""
        if key in self.stations:
            return self.stations[key]
        return next((one for one in self.kinds if one.map.matches(name, sources)), None)


@dataclass(frozen=True, slots=True)
class DoorNeeds:
    """Registers of the stations that Modbus doors ask, and layouts of those that serial ports
    hear, by station; what is wanted of Bluetooth sensors, and of topics of others."""

    registers: Registers = field(default_factory=dict)
    layouts: Layouts = field(default_factory=dict)
    by_radio: ByRadio = field(default_factory=ByRadio)
    patterns: tuple[TopicPattern, ...] = ()


def door_needs(connection: Connection, settings: Sequence[DoorSettings]) -> DoorNeeds:
    """Read what these doors have to know; nothing where none of them needs it."""
    patterns = topic_patterns(settings)
    if not any(
        isinstance(one, ModbusSetting | SerialSetting | BluetoothSetting) for one in settings
    ):
        return DoorNeeds(patterns=patterns)
    site = load_site(connection)
    asked = {one.station for one in settings if isinstance(one, ModbusSetting)}
    heard = {one.station for one in settings if isinstance(one, SerialSetting)}
    by_radio = ByRadio()
    if any(isinstance(one, BluetoothSetting) for one in settings):
        known = kinds(connection).values()
        stations = {one.key: _wanted(one.kind, one) for one in site.stations}
        # A box that was not told its new name goes on under the old one.
        numbered = {one.id: one for one in site.stations}
        for name, number in site.aliases.items():
            if number in numbered:
                stations.setdefault(name, _wanted(numbered[number].kind, numbered[number]))
        several = (_wanted(one) for one in known)
        by_radio = ByRadio(stations, tuple(one for one in several if one is not None))
    return DoorNeeds(
        {one.key: one.kind.registers for one in site.stations if one.key in asked},
        {
            one.key: one.kind.layout
            for one in site.stations
            if one.key in heard and one.kind.layout is not None
        },
        by_radio,
        patterns,
    )


def topic_patterns(settings: Sequence[DoorSettings]) -> tuple[TopicPattern, ...]:
    """The topics of others that are wanted."""
    found = []
    for one in settings:
        if isinstance(one, TopicSetting):
            try:
                found.append(topic_pattern_from(one.pattern, one.station))
            except UsageError as error:
                _log.warning("topics_not_understood", pattern=one.pattern, why=error.what)
    return tuple(found)


def _wanted(kind: Kind, station: Station | None = None) -> WantedOfSensor | None:
    if kind.bluetooth is None:
        return None
    return WantedOfSensor(kind.bluetooth, kind.cadence_s if station is None else station.cadence_s)

"""Settings of a door: the port, address, folder, topics or radio it listens to."""

from __future__ import annotations

import re
from pathlib import PurePath
from urllib.parse import urlsplit

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError

_USER = re.compile(r"^(\w+://)[^/@]*@")
_SORT, _TAG = "sort", "type"


class SerialSetting(msgspec.Struct, frozen=True, tag="serial", omit_defaults=True):
    """Lines from a port. `pattern` has a named group a field, for lines in no known form."""

    path: str
    baud: int
    station: str
    pattern: str = ""


class PollSetting(msgspec.Struct, frozen=True, tag="poll", omit_defaults=True):
    """GET of a station's own address, every so often. `fields` are JSON pointers by field; empty
    means that the answer is in one of our forms, or a lone number of field `alone`."""

    url: str
    station: str
    every_s: float
    fields: dict[str, str] = {}
    alone: str = ""


class FolderSetting(msgspec.Struct, frozen=True, tag="folder", omit_defaults=True):
    """A folder in which CSV files of a station appear. `columns` are quantity and unit by column;
    empty means that the names say it."""

    path: str
    station: str
    columns: dict[str, tuple[str, str]] = {}
    time_column: str = ""
    zone: str = ""


class TopicSetting(msgspec.Struct, frozen=True, tag="topics", omit_defaults=True):
    """Other people's topics: `plant/{place}/{station}/{field}`. `station` speaks by all of them
    where the pattern names none."""

    pattern: str
    station: str = ""


class BluetoothSetting(msgspec.Struct, frozen=True, tag="bluetooth", omit_defaults=True):
    """Sensors in radio range; `adapter` empty means the first one."""

    adapter: str = ""


class ProbesSetting(msgspec.Struct, frozen=True, tag="probes", omit_defaults=True):
    """This machine's own probes, those of `only` or all; `root` is where the kernel shows them."""

    every_s: float = 10.0
    only: tuple[str, ...] = ()
    root: str = "/sys"


class ModbusSetting(msgspec.Struct, frozen=True, tag="modbus", omit_defaults=True):
    """A Modbus device: HOST:PORT, or a serial port with its speed, parity (N, E, O) and stop bits;
    its registers are those of its station's kind."""

    address: str
    station: str
    every_s: float = 60.0
    unit: int = 1
    baud: int = 19_200
    parity: str = "N"
    stop_bits: int = 1


class CoapSetting(msgspec.Struct, frozen=True, tag="coap", omit_defaults=True):
    """Readings over CoAP at an address of this machine, HOST:PORT."""

    listen: str = "127.0.0.1:5683"


class BrokerSetting(msgspec.Struct, frozen=True, tag="broker", omit_defaults=True):
    """A further broker, somebody else's: mqtt:// or mqtts://, with a name and a password where it
    wants them. `authority` is a file of who vouches for it, `certificate` and `key` say who we
    are."""

    url: str
    authority: str = ""
    certificate: str = ""
    key: str = ""


DoorSettings = (
    SerialSetting
    | PollSetting
    | FolderSetting
    | TopicSetting
    | BluetoothSetting
    | ProbesSetting
    | ModbusSetting
    | CoapSetting
    | BrokerSetting
)


def without_password(settings: DoorSettings) -> DoorSettings:
    """The settings without a name and a password in their address."""
    if isinstance(settings, PollSetting | BrokerSetting):
        return replace(settings, url=_USER.sub(r"\1", settings.url))
    return settings


def polled_address(settings: DoorSettings) -> str:
    """The address a door asks, without a password; empty for doors that ask none."""
    told = without_password(settings)
    if isinstance(told, ModbusSetting) and not told.address.startswith("/"):
        return f"modbus://{told.address}"
    return told.url if isinstance(told, PollSetting | BrokerSetting) else ""


def door_name(settings: DoorSettings) -> str:
    """Name of a door: its sort and what it listens to, without a password."""
    told = without_password(settings)
    if isinstance(told, PollSetting):
        return f"poll {told.url}"
    if isinstance(told, SerialSetting):
        return f"serial {told.path}"
    if isinstance(told, FolderSetting):
        return f"folder {told.path}"
    if isinstance(told, TopicSetting):
        return f"topics {told.pattern}"
    if isinstance(told, ProbesSetting):
        return f"probes {told.root}"
    if isinstance(told, ModbusSetting):
        return f"modbus {told.address} {told.unit}"
    if isinstance(told, CoapSetting):
        return f"coap {told.listen}"
    if isinstance(told, BrokerSetting):
        return f"broker {told.url}"
    return f"bluetooth {told.adapter}".strip()


def running_door(settings: DoorSettings) -> str:
    """Return the name by which a collector reports a door of these settings."""
    match settings:
        case SerialSetting():
            return f"serial {PurePath(settings.path).name}"
        case PollSetting():
            return f"poll {settings.station}"
        case FolderSetting():
            return f"folder {PurePath(settings.path).name}"
        case BluetoothSetting():
            return "bluetooth"
        case ProbesSetting():
            return "probes"
        case ModbusSetting():
            return f"modbus {settings.station}"
        case CoapSetting():
            return "coap"
        case BrokerSetting():
            return f"broker {urlsplit(polled_address(settings)).netloc}"
        case TopicSetting():
            # Part of the broker's.
            return "mqtt"


def door_table(settings: DoorSettings) -> dict[str, object]:
    """The settings as the table of a file."""
    told: dict[str, object] = msgspec.to_builtins(settings)
    return {_SORT: told.pop(_TAG), **told}


def door_of_table(table: dict[str, object]) -> DoorSettings:
    """The settings that a table of a file holds.

    Raises
    ------
    UsageError
        When there is no such sort of door, or something is missing or of the wrong sort.
    """
    told = dict(table)
    told[_TAG] = told.pop(_SORT, None)
    try:
        settings: DoorSettings = msgspec.convert(told, DoorSettings)
    except msgspec.ValidationError as error:
        raise UsageError(
            str(error),
            remedy="sorts: serial, poll, folder, topics, bluetooth, probes, modbus, coap, broker",
        ) from None
    return settings

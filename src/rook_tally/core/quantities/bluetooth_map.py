"""What a kind reads from a Bluetooth LE sensor, beside Environmental Sensing, which needs no words.

[bluetooth]
named = "clay-"              # only sensors whose name begins so; left out: any
lines = true                 # lines of text over one of the usual UART services

[[bluetooth.advertised]]     # what it advertises, to whoever listens
company = 0x0499             # in manufacturer data of this company …
service = "fe95"             # … or in service data of this service
[bluetooth.advertised.layout]
[[bluetooth.advertised.layout.field]]
name = "temp"                # as in any layout of bytes
at = 0
type = "i16"

[[bluetooth.characteristic]] # what it gives to whoever is connected
uuid = "fff1"                # of 4, 8 or 32 hexadecimal digits
notify = true                # it sends by itself; left out: it is read, as often as the kind says
[bluetooth.characteristic.layout]
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import ByteLayout, layout_from_table, layout_table
from rook_tally.core.struct_types import prepare

LINES = "lines"
"""The source of lines of text."""
_BASE = "-0000-1000-8000-00805f9b34fb"
_SHORT, _WHOLE = re.compile(r"[0-9a-f]{4}|[0-9a-f]{8}"), re.compile(r"[0-9a-f]{32}")
_KEPT, _SEE = "nothing was changed", "see docs/layouts.md"
_MOST = 32


class AdvertisedData(msgspec.Struct, frozen=True, kw_only=True):
    """Bytes that a sensor advertises: those of a company, or of a service."""

    layout: ByteLayout
    company: int | None = None
    service: str = ""

    @property
    def source(self) -> str:
        """What they are called."""
        if self.company is not None:
            return company_source(self.company)
        return service_source(self.service)


class CharacteristicData(msgspec.Struct, frozen=True, kw_only=True):
    """Bytes of a characteristic, sent by the sensor itself (`notify`) or read."""

    uuid: str
    layout: ByteLayout
    notify: bool = False

    @property
    def source(self) -> str:
        """What they are called."""
        return characteristic_source(self.uuid)


class BluetoothMap(msgspec.Struct, frozen=True, kw_only=True):
    """What is read from a sensor; UUIDs are written whole, in lower case."""

    named: str = ""
    lines: bool = False
    advertised: tuple[AdvertisedData, ...] = ()
    characteristic: tuple[CharacteristicData, ...] = ()

    @property
    def is_connected(self) -> bool:
        """True if it has to be connected to."""
        return self.lines or bool(self.characteristic)

    @property
    def data(self) -> list[AdvertisedData | CharacteristicData]:
        """All that has a layout."""
        return [*self.advertised, *self.characteristic]

    @property
    def layouts(self) -> dict[str, ByteLayout]:
        """Layouts by what bytes are called."""
        return {one.source: one.layout for one in self.data}

    def matches(self, name: str, sources: Iterable[str]) -> bool:
        """True if a sensor of that name, which advertises these, can be of this sort. What only its
        name tells apart has to have one."""
        if not name.startswith(self.named):
            return False
        if self.advertised:
            return not {one.source for one in self.advertised}.isdisjoint(sources)
        return bool(self.named)


def company_source(company: int) -> str:
    """What manufacturer data of a company is called."""
    return f"company {company:04x}"


def service_source(uuid: str) -> str:
    """What service data is called; the UUID is whole."""
    return f"service {uuid}"


def characteristic_source(uuid: str) -> str:
    """What the value of a characteristic is called; the UUID is whole."""
    return f"characteristic {uuid}"


def whole_uuid(text: str) -> str:
    """A UUID as it is written whole.

    Raises
    ------
    UsageError
        When it is none.
    """
    plain = text.strip().lower()
    if _SHORT.fullmatch(plain):
        return plain.zfill(8) + _BASE
    digits = plain.replace("-", "")
    if not _WHOLE.fullmatch(digits):
        raise UsageError(
            f"{text!r} is no UUID", kept=_KEPT, remedy="write 4, 8 or 32 hexadecimal digits"
        )
    return "-".join((digits[:8], digits[8:12], digits[12:16], digits[16:20], digits[20:]))


def short_uuid(uuid: str) -> str:
    """A UUID as people write it: those that the Bluetooth SIG assigned by their four digits."""
    is_assigned = uuid.startswith("0000") and uuid[8:] == _BASE
    return uuid[4:8] if is_assigned else uuid


def bluetooth_from_table(table: Mapping[str, Any]) -> BluetoothMap:
    """What a table of a file describes.

    Raises
    ------
    UsageError
        When something is missing, unknown, or cannot be meant; it names the place.
    """
    unknown = table.keys() - {"named", "lines", "advertised", "characteristic"}
    if unknown:
        raise _wrong(f"{sorted(unknown)[0]} is nothing it has")
    named, lines = table.get("named", ""), table.get("lines", False)
    if not isinstance(named, str) or not isinstance(lines, bool):
        raise _wrong("named is a text, lines true or false")
    made = BluetoothMap(
        named=named,
        lines=lines,
        advertised=tuple(_advertised(one) for one in _tables(table, "advertised")),
        characteristic=tuple(_characteristic(one) for one in _tables(table, "characteristic")),
    )
    for fault in _faults(made):
        raise _wrong(fault)
    return made


def _faults(made: BluetoothMap) -> Iterator[str]:
    several = made.data
    sources = [one.source for one in several]
    for source in sources:
        if sources.count(source) > 1:
            yield f"{source} is there twice"
    if len(several) > _MOST:
        yield f"at most {_MOST} are read of a sensor"
    if not several and not made.lines:
        yield "it reads nothing: add advertised, characteristic or lines = true"
    if not made.advertised and not made.named:
        yield "nothing tells such a sensor from others: say how its name begins, as named"
    for one in several:
        if one.layout.at:
            yield f"{one.source}: its bytes are not within JSON; leave `at` out"


def _advertised(table: dict[str, Any]) -> AdvertisedData:
    company, service = table.get("company"), table.get("service", "")
    is_number = isinstance(company, int) and not isinstance(company, bool)
    if company is not None and not (is_number and 0 <= company <= 0xFFFF):
        raise _wrong("company has to be a number from 0 to 0xffff")
    if not isinstance(service, str) or (company is None) == (not service):
        raise _wrong("advertised data is that of a company or of a service")
    _check_members(table, {"company", "service", "layout"}, "advertised")
    return AdvertisedData(
        company=company, service=whole_uuid(service) if service else "", layout=_layout(table)
    )


def _characteristic(table: dict[str, Any]) -> CharacteristicData:
    uuid, notify = table.get("uuid"), table.get("notify", False)
    if not isinstance(uuid, str):
        raise _wrong("a characteristic has a uuid")
    if not isinstance(notify, bool):
        raise _wrong("notify is true or false")
    _check_members(table, {"uuid", "notify", "layout"}, "characteristic")
    return CharacteristicData(uuid=whole_uuid(uuid), notify=notify, layout=_layout(table))


def _check_members(table: dict[str, Any], known: set[str], what: str) -> None:
    unknown = table.keys() - known
    if unknown:
        raise _wrong(f"{what}: {sorted(unknown)[0]} is nothing it has")


def _layout(table: dict[str, Any]) -> ByteLayout:
    told = table.get("layout")
    if not isinstance(told, dict):
        raise _wrong("each of its data has a layout")
    return layout_from_table(told)


def _tables(table: Mapping[str, Any], name: str) -> list[dict[str, Any]]:
    told = table.get(name, [])
    if not isinstance(told, list) or not all(isinstance(one, dict) for one in told):
        raise _wrong(f"{name} are tables; begin each with [[bluetooth.{name}]]")
    return told


def _wrong(what: str) -> UsageError:
    return UsageError(f"bluetooth: {what}", kept=_KEPT, remedy=_SEE)


def bluetooth_table(made: BluetoothMap) -> dict[str, Any]:
    """The same as the table of a file."""
    told: dict[str, Any] = {}
    if made.named:
        told["named"] = made.named
    if made.lines:
        told["lines"] = True
    if made.advertised:
        told["advertised"] = [
            (
                {"company": one.company}
                if one.company is not None
                else {"service": short_uuid(one.service)}
            )
            | {"layout": layout_table(one.layout)}
            for one in made.advertised
        ]
    if made.characteristic:
        told["characteristic"] = [
            {"uuid": short_uuid(one.uuid)}
            | ({"notify": True} if one.notify else {})
            | {"layout": layout_table(one.layout)}
            for one in made.characteristic
        ]
    return told


prepare(BluetoothMap)

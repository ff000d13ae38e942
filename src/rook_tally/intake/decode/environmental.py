"""Bluetooth's Environmental Sensing values: `2a6e=5908 2a6f=c012 rssi=-61`, each characteristic's
16-bit number and its bytes in hex, little-endian as they came.

Formats: Bluetooth SIG, GATT Specification Supplement (2023).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rook_tally.core.errors import DecodeError
from rook_tally.intake.message import Decoded, DecodedValue, RejectedValue, StationAttribute
from rook_tally.store.site import FIRMWARE


@dataclass(frozen=True, slots=True)
class Characteristic:
    """The number of a characteristic: `unknown` is the raw value that means none."""

    field: str
    unit: str
    size: int
    scale: float
    signed: bool = False
    unknown: int | None = None


CHARACTERISTICS: dict[int, Characteristic] = {
    0x2A6E: Characteristic("temperature", "°C", 2, 100, signed=True, unknown=-0x8000),
    0x2A6F: Characteristic("humidity", "%", 2, 100, unknown=0xFFFF),
    0x2A6D: Characteristic("pressure", "Pa", 4, 10),
    0x2A70: Characteristic("wind_speed", "m/s", 2, 100),
    0x2A71: Characteristic("wind_direction", "°", 2, 100),
    0x2A76: Characteristic("uv_index", "", 1, 1),
    0x2A78: Characteristic("rain", "mm", 2, 1),
    0x2A19: Characteristic("battery", "%", 1, 1),
    0x2AFB: Characteristic("illuminance", "lx", 3, 100, unknown=0xFFFFFF),
    0x2B8C: Characteristic("co2", "ppm", 2, 1, unknown=0xFFFF),
    0x2BE4: Characteristic("sound_level", "dB", 1, 1, unknown=0xFF),
}
"""By their assigned numbers."""

FIRMWARE_REVISION = 0x2A26
_PAIR = re.compile(r"([0-9a-f]{4}|rssi)=(\S+)")


def body_of(values: dict[int, bytes], rssi: int | None) -> bytes:
    """A message's body from raw values by characteristic."""
    told = [f"{number:04x}={raw.hex()}" for number, raw in sorted(values.items())]
    if rssi is not None:
        told.append(f"rssi={rssi}")
    return " ".join(told).encode()


def decode(body: bytes) -> Decoded:
    """The values of such a body.

    Raises
    ------
    DecodeError
        When it holds none.
    """
    items: list[DecodedValue] = []
    refused: list[RejectedValue] = []
    said: list[StationAttribute] = []
    for at, (name, told) in enumerate(_PAIR.findall(body.decode("ascii", "replace"))):
        try:
            if name == "rssi":
                items.append(DecodedValue(at, "rssi", float(told), None, "dBm"))
                continue
            raw = bytes.fromhex(told)
            number = int(name, 16)
            if number == FIRMWARE_REVISION:
                said.append(
                    StationAttribute(at, FIRMWARE, raw.decode("utf-8", "replace").strip("\0 "))
                )
                continue
            item = _item(at, number, raw)
        except ValueError as error:
            refused.append(RejectedValue(at, name, f"{name}: {error}"))
        else:
            if item is not None:
                items.append(item)
    if not any(item.field != "rssi" for item in items) and not refused and not said:
        raise DecodeError(
            "nothing of Environmental Sensing is in it", remedy="only its values are understood"
        )
    return Decoded(tuple(items), tuple(refused), tuple(said))


def _item(at: int, number: int, raw: bytes) -> DecodedValue | None:
    what = CHARACTERISTICS.get(number)
    if what is None:
        raise ValueError("no characteristic we know")
    if len(raw) != what.size:
        raise ValueError(f"{len(raw)} bytes where {what.field} has {what.size}")
    value = int.from_bytes(raw, "little", signed=what.signed)
    if value == what.unknown:
        return None
    return DecodedValue(at, what.field, value / what.scale, None, what.unit or None)

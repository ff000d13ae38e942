"""What is heard by Bluetooth LE: sensors and whatever else advertises, with what each says."""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field

from bleak import BleakScanner
from bleak.args.bluez import BlueZScannerArgs
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData
from bleak.exc import BleakError
from bleak.uuids import normalize_uuid_16

from rook_tally.core.errors import DoorError
from rook_tally.core.quantities.bluetooth_map import company_source, service_source
from rook_tally.intake.decode.environmental import CHARACTERISTICS, FIRMWARE_REVISION

ENVIRONMENTAL_SENSING = normalize_uuid_16(0x181A)
BY_UUID = {normalize_uuid_16(number): number for number in (*CHARACTERISTICS, FIRMWARE_REVISION)}
"""Environmental Sensing's values, by their whole UUIDs."""
_MOST = 500
_FORGOTTEN_S = 300.0


@dataclass(slots=True)
class InRange:
    """Something that is heard: `advertised` are values of Environmental Sensing, `data` all other
    bytes it advertises, by what they are called (`core.quantities.bluetooth_map`)."""

    device: BLEDevice
    name: str
    rssi: int
    heard_s: float
    is_sensing: bool = False
    advertised: dict[int, bytes] = field(default_factory=dict)
    data: dict[str, bytes] = field(default_factory=dict)

    @property
    def key(self) -> str:
        """The name it goes by."""
        return key_of(self.device.address)


def key_of(address: str) -> str:
    """The name a sensor goes by until it is taken in, and after."""
    return "ble-" + address.replace(":", "").lower()


def said_by(one: InRange) -> str:
    """What something says by radio, in words: as bytes where nobody knows better."""
    if one.advertised:
        return "advertises its values"
    if one.is_sensing:
        return "has to be read"
    several = [f"{source}: {raw.hex()}" for source, raw in sorted(one.data.items())]
    return "; ".join(several) or "says nothing while nobody is connected"


class Air:
    """All that is heard, by address; what was not heard for long is forgotten, and of more than
    can be looked after what was heard longest ago."""

    def __init__(self) -> None:
        self.heard: dict[str, InRange] = {}

    def note(self, device: BLEDevice, told: AdvertisementData) -> InRange:
        """Enter an advertisement."""
        one = self.heard.get(device.address)
        if one is None:
            self._make_room()
            one = self.heard[device.address] = InRange(device, "", told.rssi, 0.0)
        one.device, one.rssi, one.heard_s = device, told.rssi, time.monotonic()
        one.name = told.local_name or one.name
        values = {BY_UUID[uuid]: raw for uuid, raw in told.service_data.items() if uuid in BY_UUID}
        one.advertised = values
        one.is_sensing = bool(values) or ENVIRONMENTAL_SENSING in told.service_uuids
        for company, raw in told.manufacturer_data.items():
            one.data[company_source(company)] = raw
        for uuid, raw in told.service_data.items():
            if uuid not in BY_UUID:
                one.data[service_source(uuid)] = raw
        return one

    def _make_room(self) -> None:
        now_s = time.monotonic()
        old = [address for address, one in self.heard.items() if now_s - one.heard_s > _FORGOTTEN_S]
        for address in old:
            del self.heard[address]
        if len(self.heard) >= _MOST:
            del self.heard[min(self.heard, key=lambda address: self.heard[address].heard_s)]


async def in_range(for_s: float, adapter: str = "") -> list[InRange]:
    """Whatever is heard within some seconds.

    Raises
    ------
    DoorError
        When the radio cannot be used.
    """
    air = Air()

    def on_heard(device: BLEDevice, told: AdvertisementData) -> None:
        air.note(device, told)

    try:
        async with BleakScanner(on_heard, bluez=scanned_on(adapter)):
            await asyncio.sleep(for_s)
    except (BleakError, OSError, EOFError) as error:
        raise DoorError(
            in_words(error), remedy="switch Bluetooth on, or name another adapter"
        ) from None
    return list(air.heard.values())


def scanned_on(adapter: str) -> BlueZScannerArgs:
    """The scanner's arguments for an adapter; any where it is empty."""
    return BlueZScannerArgs(adapter=adapter) if adapter else BlueZScannerArgs()


def in_words(error: Exception) -> str:
    """The trouble with the radio, for a person."""
    text = str(error)
    if isinstance(error, FileNotFoundError) or "No such file" in text:
        return "this machine has no Bluetooth service"
    if "adapter" in text.lower() or "No powered" in text:
        return "no Bluetooth adapter is there, or it is switched off"
    return f"Bluetooth: {text or type(error).__name__}"

"""The Bluetooth LE door: Environmental Sensing, as advertised and as read from a sensor.

Sensors that put their values into what they advertise are only listened to. Others are connected
to and read at their own pace: as often as they say they measure, since reading a sensor that
measures rarely gives the value it has kept, at the price of its battery.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable
from dataclasses import dataclass, field

import structlog
from bleak import BleakClient, BleakScanner
from bleak.args.bluez import BlueZScannerArgs
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData
from bleak.exc import BleakError
from bleak.uuids import normalize_uuid_16

from rook_tally.core.errors import DoorError
from rook_tally.intake.decode.environmental import CHARACTERISTICS, FIRMWARE_REVISION, body_of
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.site import BluetoothSetting, DoorState

ENVIRONMENTAL_SENSING = normalize_uuid_16(0x181A)
_MEASUREMENT = normalize_uuid_16(0x290C)
_READABLE = (*CHARACTERISTICS, FIRMWARE_REVISION)
_BY_UUID = {normalize_uuid_16(number): number for number in _READABLE}
# Advertised several times a second; nobody needs the same value so often.
_REPEAT_S = 10.0
_USUAL_PACE_S, _SLOWEST_PACE_S = 60.0, 3600.0
_READ_WITHIN_S = 30.0
_AGAIN_S = 2.0
# The radio's own service may start anew and forget our scan without a word.
_DEAF_AFTER_S = 120.0

_log = structlog.get_logger(__name__)


@dataclass(slots=True)
class InRange:
    """A sensor that is heard."""

    device: BLEDevice
    name: str
    rssi: int
    heard_s: float
    advertised: dict[int, bytes] = field(default_factory=dict)
    offered_s: float = -_REPEAT_S
    due_s: float = 0.0
    pace_s: float = _USUAL_PACE_S

    @property
    def key(self) -> str:
        """The name it goes by."""
        return key_of(self.device.address)


def key_of(address: str) -> str:
    """The name a sensor goes by until it is taken in, and after."""
    return "ble-" + address.replace(":", "").lower()


class BluetoothDoor(BackgroundDoor):
    """Listens and reads for as long as it is open."""

    def __init__(
        self,
        settings: BluetoothSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        super().__init__(report, clock)
        self._settings = settings
        self._reception = reception
        self._in_range: dict[str, InRange] = {}
        self._moved = asyncio.Event()

    async def _run(self) -> None:
        while True:
            try:
                async with BleakScanner(self._on_heard, bluez=_on(self._settings.adapter)):
                    self._report(DoorState.OPEN)
                    await self._follow()
            except (BleakError, OSError, EOFError) as error:
                self._report(DoorState.TRYING, in_words(error))
            await asyncio.sleep(_AGAIN_S)

    def _on_heard(self, device: BLEDevice, told: AdvertisementData) -> None:
        if _note(self._in_range, device, told) is not None:
            self._moved.set()

    async def _follow(self) -> None:
        """Offer what is advertised and read what is due, until the radio has gone deaf."""
        while True:
            now_s = time.monotonic()
            for address, one in list(self._in_range.items()):
                if one.advertised and now_s - one.offered_s >= _REPEAT_S:
                    one.offered_s = now_s
                    await self._offer(address, one.advertised, one.rssi)
                elif not one.advertised and now_s >= one.due_s:
                    await self._read(address, one)
            self._moved.clear()
            heard_s = max((one.heard_s for one in self._in_range.values()), default=now_s)
            if self._in_range and now_s - heard_s > _DEAF_AFTER_S:
                self._in_range.clear()
                _log.warning("bluetooth_deaf")
                return
            # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_AGAIN_S):
                    await self._moved.wait()

    async def _offer(self, address: str, values: dict[int, bytes], rssi: int) -> None:
        message = Message(
            "bluetooth",
            address,
            body_of(values, rssi),
            self._clock(),
            BodyFormat.ENVIRONMENTAL,
            station=key_of(address),
        )
        await offered(self._reception, message)

    async def _read(self, address: str, one: InRange) -> None:
        one.due_s = time.monotonic() + one.pace_s
        try:
            async with asyncio.timeout(_READ_WITHIN_S):
                values, pace_s = await read_sensor(one.device)
        except (BleakError, OSError, EOFError, TimeoutError) as error:
            _log.info("bluetooth_not_read", address=address, why=str(error) or "no answer in time")
            return
        one.pace_s = min(max(_USUAL_PACE_S, pace_s), _SLOWEST_PACE_S)
        one.due_s = time.monotonic() + one.pace_s
        if values:
            await self._offer(address, values, one.rssi)


async def in_range(for_s: float, adapter: str = "") -> list[InRange]:
    """Who is heard within some seconds.

    Raises
    ------
    DoorError
        When the radio cannot be used.
    """
    found: dict[str, InRange] = {}

    def on_heard(device: BLEDevice, told: AdvertisementData) -> None:
        _note(found, device, told)

    try:
        async with BleakScanner(on_heard, bluez=_on(adapter)):
            await asyncio.sleep(for_s)
    except (BleakError, OSError, EOFError) as error:
        raise DoorError(
            in_words(error), remedy="switch Bluetooth on, or name another adapter"
        ) from None
    return list(found.values())


def _on(adapter: str) -> BlueZScannerArgs:
    return BlueZScannerArgs(adapter=adapter) if adapter else BlueZScannerArgs()


def _note(found: dict[str, InRange], device: BLEDevice, told: AdvertisementData) -> InRange | None:
    """Enter who is heard; None for somebody's headphones."""
    values = {_BY_UUID[uuid]: raw for uuid, raw in told.service_data.items() if uuid in _BY_UUID}
    if not values and ENVIRONMENTAL_SENSING not in told.service_uuids:
        return None
    one = found.get(device.address)
    if one is None:
        one = found[device.address] = InRange(device, told.local_name or "", told.rssi, 0.0)
    one.device, one.rssi, one.heard_s = device, told.rssi, time.monotonic()
    one.advertised = values
    return one


async def read_sensor(device: BLEDevice) -> tuple[dict[int, bytes], float]:
    """The newest values of a sensor, raw by characteristic, and its interval, s.

    The pace is the shortest update interval its measurement descriptors tell; 0 without one.
    """
    values: dict[int, bytes] = {}
    paces: list[int] = []
    async with BleakClient(device) as client:
        for characteristic in client.services.characteristics.values():
            number = _BY_UUID.get(characteristic.uuid)
            if number is None or "read" not in characteristic.properties:
                continue
            values[number] = bytes(await client.read_gatt_char(characteristic))
            for descriptor in characteristic.descriptors:
                if descriptor.uuid == _MEASUREMENT:
                    raw = bytes(await client.read_gatt_descriptor(descriptor.handle))
                    # Flags 2, sampling function 1, measurement period 3, update interval 3 bytes.
                    paces.append(int.from_bytes(raw[6:9], "little"))
    return values, float(min((one for one in paces if one), default=0))


def in_words(error: Exception) -> str:
    """The trouble with the radio, for a person."""
    text = str(error)
    if isinstance(error, FileNotFoundError) or "No such file" in text:
        return "this machine has no Bluetooth service"
    if "adapter" in text.lower() or "No powered" in text:
        return "no Bluetooth adapter is there, or it is switched off"
    return f"Bluetooth: {text or type(error).__name__}"

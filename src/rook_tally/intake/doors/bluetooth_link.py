"""A connection to one Bluetooth sensor: what is read of it, and what it sends by itself."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from functools import partial

import structlog
from bleak import BleakClient
from bleak.backends.characteristic import BleakGATTCharacteristic
from bleak.backends.device import BLEDevice
from bleak.uuids import normalize_uuid_16

from rook_tally.core.quantities.bluetooth_map import LINES, BluetoothMap, short_uuid
from rook_tally.intake.doors.bluetooth_air import BY_UUID

_MEASUREMENT = normalize_uuid_16(0x290C)
_BATTERY = 0x2A19
# By which the usual serial services send: that of Nordic's chips, of Microchip's, of HM-10 modules.
_LINES_FROM = (
    "6e400003-b5a3-f393-e0a9-e50e24dcca9e",
    "49535343-1e4d-4bd9-ba61-23c647249616",
    normalize_uuid_16(0xFFE1),
)
_LONGEST_LINE = 1024
_MOST_WAITING = 200

Told = tuple[str, bytes]
"""What bytes are called, and they themselves."""

_log = structlog.get_logger(__name__)


class MissingPartError(Exception):
    """A sensor does not have what its kind says."""


async def read_sensing(device: BLEDevice) -> tuple[dict[int, bytes], float]:
    """The newest values of Environmental Sensing, raw by characteristic, and their interval, s.

    The pace is the shortest update interval its measurement descriptors tell; 0 without one.
    """
    values: dict[int, bytes] = {}
    paces: list[int] = []
    async with BleakClient(device) as client:
        for characteristic in client.services.characteristics.values():
            number = BY_UUID.get(characteristic.uuid)
            if number is None or "read" not in characteristic.properties:
                continue
            values[number] = bytes(await client.read_gatt_char(characteristic))
            for descriptor in characteristic.descriptors:
                if descriptor.uuid == _MEASUREMENT:
                    raw = bytes(await client.read_gatt_descriptor(descriptor.handle))
                    # Flags 2, sampling function 1, measurement period 3, update interval 3 bytes.
                    paces.append(int.from_bytes(raw[6:9], "little"))
    return values, float(min((one for one in paces if one), default=0))


async def read_once(device: BLEDevice, wanted: BluetoothMap) -> tuple[list[Told], bytes | None]:
    """Connect, read what a kind wants and the battery, and let go.

    Raises
    ------
    MissingPartError
        When the sensor does not have a characteristic of the kind.
    """
    async with BleakClient(device) as client:
        return await _read(client, wanted), await _battery(client)


async def sent_by(
    device: BLEDevice,
    wanted: BluetoothMap,
    every_s: float,
    *,
    connecting: asyncio.Lock,
    on_battery: Callable[[bytes], None],
) -> AsyncIterator[Told]:
    """What a sensor sends while it is connected, and what is read of it each `every_s`; ends when
    the connection does. More than can be taken in is left out, the oldest first. `connecting` is
    held while the connection is made.

    Raises
    ------
    MissingPartError
        When the sensor does not have what its kind says.
    """
    waiting: asyncio.Queue[Told | None] = asyncio.Queue()

    def put(told: Told | None) -> None:
        if waiting.qsize() >= _MOST_WAITING:
            waiting.get_nowait()
            _log.warning("bluetooth_sends_too_fast", address=device.address)
        waiting.put_nowait(told)

    def put_value(source: str, _: BleakGATTCharacteristic, raw: bytearray) -> None:
        put((source, bytes(raw)))

    client = BleakClient(device, disconnected_callback=lambda _: put(None))
    async with contextlib.AsyncExitStack() as stack:
        async with connecting:
            await stack.enter_async_context(client)
        for one in wanted.characteristic:
            if one.notify:
                await client.start_notify(
                    _characteristic(client, one.uuid), partial(put_value, one.source)
                )
        if wanted.lines:
            splitter = LineSplitter(lambda line: put((LINES, line)))
            await client.start_notify(_line_sender(client), lambda _, raw: splitter.take(raw))
        reads = any(not one.notify for one in wanted.characteristic)
        while True:
            battery = await _battery(client)
            if battery is not None:
                on_battery(battery)
            for told in await _read(client, wanted) if reads else ():
                yield told
            with contextlib.suppress(TimeoutError):
                # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
                async with asyncio.timeout(every_s):
                    while True:
                        came = await waiting.get()
                        if came is None:
                            return
                        yield came


async def _read(client: BleakClient, wanted: BluetoothMap) -> list[Told]:
    return [
        (one.source, bytes(await client.read_gatt_char(_characteristic(client, one.uuid))))
        for one in wanted.characteristic
        if not one.notify
    ]


async def _battery(client: BleakClient) -> bytes | None:
    """The value of the battery service; None without one."""
    found = client.services.get_characteristic(normalize_uuid_16(_BATTERY))
    if found is None or "read" not in found.properties:
        return None
    return bytes(await client.read_gatt_char(found))


def _characteristic(client: BleakClient, uuid: str) -> BleakGATTCharacteristic:
    found = client.services.get_characteristic(uuid)
    if found is None:
        raise MissingPartError(f"it has no characteristic {short_uuid(uuid)}")
    return found


def _line_sender(client: BleakClient) -> BleakGATTCharacteristic:
    for uuid in _LINES_FROM:
        found = client.services.get_characteristic(uuid)
        if found is not None:
            return found
    raise MissingPartError("it has none of the usual serial services")


class LineSplitter:
    """Cuts what comes in pieces into lines."""

    def __init__(self, on_line: Callable[[bytes], None]) -> None:
        self._on_line, self._begun = on_line, b""

    def take(self, piece: bytes | bytearray) -> None:
        """Take the next piece."""
        *lines, self._begun = (self._begun + bytes(piece)).replace(b"\r", b"\n").split(b"\n")
        for line in lines:
            if line.strip():
                self._on_line(line.strip())
        # What never ends a line is none.
        self._begun = self._begun[-_LONGEST_LINE:]

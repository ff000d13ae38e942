"""A simulated radio: what BlueZ would say on the system bus if there were an adapter and sensors.

    python -m rook_tally.demo.radio --bus unix:path=FILE

Programs that find this bus as their system bus (`DBUS_SYSTEM_BUS_ADDRESS`) see an adapter, hear its
sensors advertise, connect to them and read them, all by BlueZ's own interface.
"""

from __future__ import annotations

import argparse
import asyncio
import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Annotated

from dbus_fast import PropertyAccess, Variant
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusBool, DBusBytes, DBusInt16, DBusSignature, DBusStr
from dbus_fast.service import ServiceInterface, dbus_method, dbus_property

_ADAPTER = "/org/bluez/hci0"
_BASE = "0000{:04x}-0000-1000-8000-00805f9b34fb"
SENSING = _BASE.format(0x181A)
LINES_SERVICE = "6e400001-b5a3-f393-e0a9-e50e24dcca9e"
LINES_FROM = "6e400003-b5a3-f393-e0a9-e50e24dcca9e"

Options = Annotated[dict[str, Variant], DBusSignature("a{sv}")]
Nothing = Annotated[None, DBusSignature("")]
Words = Annotated[list[str], DBusSignature("as")]


@dataclass(slots=True)
class Sensor:
    """A sensor: raw values by characteristic of Environmental Sensing, advertised or to be read.

    `company` is what it advertises of its own, by the company's number; `own` are characteristics
    of its own that are read, `sent` those that it sends while somebody is connected, by their
    UUIDs: each value in turn, over and over.
    """

    address: str
    name: str
    values: dict[int, bytes]
    is_advertised: bool
    rssi: int = -61
    update_s: int = 0
    company: dict[int, bytes] = field(default_factory=dict)
    own: dict[str, bytes] = field(default_factory=dict)
    sent: dict[str, tuple[bytes, ...]] = field(default_factory=dict)
    reads: int = field(default=0)

    @property
    def services(self) -> list[str]:
        """What it says that it has."""
        return [SENSING] if self.values else []

    @property
    def path(self) -> str:
        """Where BlueZ would have it."""
        return f"{_ADAPTER}/dev_{self.address.replace(':', '_')}"


class Adapter(ServiceInterface):
    """`org.bluez.Adapter1`, as far as scanning needs it."""

    def __init__(self, on_scan: Callable[[], None]) -> None:
        super().__init__("org.bluez.Adapter1")
        self._on_scan = on_scan
        self._is_discovering = False

    @dbus_property(access=PropertyAccess.READ)
    def Address(self) -> DBusStr:
        """Of the adapter."""
        return "02:00:00:00:00:01"

    @dbus_property(access=PropertyAccess.READ)
    def Powered(self) -> DBusBool:
        """It is on."""
        return True

    @dbus_property(access=PropertyAccess.READ)
    def Discovering(self) -> DBusBool:
        """True if somebody scans."""
        return self._is_discovering

    @dbus_property(access=PropertyAccess.READ)
    def Roles(self) -> Words:
        """Its roles."""
        return ["central"]

    @dbus_method()
    def SetDiscoveryFilter(self, properties: Options) -> Nothing:
        """Everything is told whatever is asked for."""

    @dbus_method()
    def StartDiscovery(self) -> Nothing:
        """Begin to hear sensors."""
        self._is_discovering = True
        self.emit_properties_changed({"Discovering": True})
        self._on_scan()

    @dbus_method()
    def StopDiscovery(self) -> Nothing:
        """Hear no more."""
        self._is_discovering = False
        self.emit_properties_changed({"Discovering": False})


class Device(ServiceInterface):
    """`org.bluez.Device1` of one sensor."""

    def __init__(self, sensor: Sensor, radio: Radio) -> None:
        super().__init__("org.bluez.Device1")
        self._sensor, self._radio = sensor, radio
        self._is_connected = self._is_resolved = False

    @dbus_property(access=PropertyAccess.READ)
    def Address(self) -> DBusStr:
        """Of the sensor."""
        return self._sensor.address

    @dbus_property(access=PropertyAccess.READ)
    def AddressType(self) -> DBusStr:
        """Not a random one."""
        return "public"

    @dbus_property(access=PropertyAccess.READ)
    def Name(self) -> DBusStr:
        """As advertised."""
        return self._sensor.name

    @dbus_property(access=PropertyAccess.READ)
    def Alias(self) -> DBusStr:
        """The same."""
        return self._sensor.name

    @dbus_property(access=PropertyAccess.READ)
    def Adapter(self) -> Annotated[str, DBusSignature("o")]:
        """Which adapter hears it."""
        return _ADAPTER

    @dbus_property(access=PropertyAccess.READ)
    def Paired(self) -> DBusBool:
        """Never."""
        return False

    @dbus_property(access=PropertyAccess.READ)
    def Trusted(self) -> DBusBool:
        """Never."""
        return False

    @dbus_property(access=PropertyAccess.READ)
    def Blocked(self) -> DBusBool:
        """Never."""
        return False

    @dbus_property(access=PropertyAccess.READ)
    def LegacyPairing(self) -> DBusBool:
        """Never."""
        return False

    @dbus_property(access=PropertyAccess.READ)
    def Connected(self) -> DBusBool:
        """True if somebody is connected."""
        return self._is_connected

    @dbus_property(access=PropertyAccess.READ)
    def ServicesResolved(self) -> DBusBool:
        """True if its services are known."""
        return self._is_resolved

    @dbus_property(access=PropertyAccess.READ)
    def UUIDs(self) -> Words:
        """Its services."""
        return self._sensor.services

    @dbus_property(access=PropertyAccess.READ)
    def RSSI(self) -> DBusInt16:
        """Its signal strength, dBm."""
        return self._sensor.rssi

    @dbus_property(access=PropertyAccess.READ)
    def ServiceData(self) -> Options:
        """Its values, when it advertises them."""
        return self._advertised()

    @dbus_property(access=PropertyAccess.READ)
    def ManufacturerData(self) -> Annotated[dict[int, Variant], DBusSignature("a{qv}")]:
        """What it advertises of its own."""
        return self._company()

    def _company(self) -> dict[int, Variant]:
        return {number: Variant("ay", raw) for number, raw in self._sensor.company.items()}

    def _advertised(self) -> dict[str, Variant]:
        if not self._sensor.is_advertised:
            return {}
        return {
            _BASE.format(number): Variant("ay", raw) for number, raw in self._sensor.values.items()
        }

    def advertise(self) -> None:
        """Be heard once more."""
        self.emit_properties_changed(
            {
                "RSSI": self._sensor.rssi,
                "ServiceData": self._advertised(),
                "ManufacturerData": self._company(),
                "UUIDs": self._sensor.services,
            }
        )

    @dbus_method()
    def Connect(self) -> Nothing:
        """Let somebody in, and show what there is to read."""
        self._radio.show_services(self._sensor)
        self._is_connected = self._is_resolved = True
        self.emit_properties_changed({"Connected": True})
        self.emit_properties_changed({"ServicesResolved": True})

    @dbus_method()
    def Disconnect(self) -> Nothing:
        """Goodbye."""
        self._is_connected = self._is_resolved = False
        self.emit_properties_changed({"Connected": False, "ServicesResolved": False})


class Service(ServiceInterface):
    """`org.bluez.GattService1`."""

    def __init__(self, device: str, uuid: str) -> None:
        super().__init__("org.bluez.GattService1")
        self._device, self._uuid = device, uuid

    @dbus_property(access=PropertyAccess.READ)
    def UUID(self) -> DBusStr:
        """Which service it is."""
        return self._uuid

    @dbus_property(access=PropertyAccess.READ)
    def Primary(self) -> DBusBool:
        """It stands by itself."""
        return True

    @dbus_property(access=PropertyAccess.READ)
    def Device(self) -> Annotated[str, DBusSignature("o")]:
        """Whose it is."""
        return self._device


class GattValue(ServiceInterface):
    """`org.bluez.GattCharacteristic1`: a value to be read, or sent by itself."""

    def __init__(self, sensor: Sensor, uuid: str, service: str, value: Callable[[], bytes]) -> None:
        super().__init__("org.bluez.GattCharacteristic1")
        self._sensor, self._uuid, self._service = sensor, uuid, service
        self._value = value
        self._is_sending = False
        self._sent = 0

    @dbus_property(access=PropertyAccess.READ)
    def UUID(self) -> DBusStr:
        """Which value it is."""
        return self._uuid

    @dbus_property(access=PropertyAccess.READ)
    def Service(self) -> Annotated[str, DBusSignature("o")]:
        """Where it belongs."""
        return self._service

    @dbus_property(access=PropertyAccess.READ)
    def Flags(self) -> Words:
        """Its allowed operations."""
        return ["notify"] if self._uuid in self._sensor.sent else ["read"]

    @dbus_property(access=PropertyAccess.READ)
    def Notifying(self) -> DBusBool:
        """True while it sends."""
        return self._is_sending

    @dbus_property(access=PropertyAccess.READ)
    def Value(self) -> DBusBytes:
        """What it sent last."""
        return self._next(0)

    @dbus_method()
    def ReadValue(self, options: Options) -> DBusBytes:
        """The raw value."""
        self._sensor.reads += 1
        return self._value()

    @dbus_method()
    def StartNotify(self) -> Nothing:
        """Begin to send."""
        self._is_sending = True
        self.emit_properties_changed({"Notifying": True})

    @dbus_method()
    def StopNotify(self) -> Nothing:
        """Send no more."""
        self._is_sending = False
        self.emit_properties_changed({"Notifying": False})

    def send(self) -> None:
        """Send the next value to whoever listens."""
        if self._is_sending:
            self.emit_properties_changed({"Value": self._next(1)})

    def _next(self, by: int) -> bytes:
        values = self._sensor.sent.get(self._uuid, (b"",))
        value = values[self._sent % len(values)]
        self._sent += by
        return value


class Measurement(ServiceInterface):
    """`org.bluez.GattDescriptor1`: how often a value is measured."""

    def __init__(self, sensor: Sensor, characteristic: str) -> None:
        super().__init__("org.bluez.GattDescriptor1")
        self._sensor, self._characteristic = sensor, characteristic

    @dbus_property(access=PropertyAccess.READ)
    def UUID(self) -> DBusStr:
        """ES Measurement."""
        return _BASE.format(0x290C)

    @dbus_property(access=PropertyAccess.READ)
    def Characteristic(self) -> Annotated[str, DBusSignature("o")]:
        """The characteristic it describes."""
        return self._characteristic

    @dbus_method()
    def ReadValue(self, options: Options) -> DBusBytes:
        """Flags, sampling function, measurement period, update interval, application, error."""
        return (
            struct.pack("<HB", 0, 0)
            + bytes(3)
            + self._sensor.update_s.to_bytes(3, "little")
            + (b"\0\0")
        )


class Radio:
    """The adapter and its sensors on a bus."""

    def __init__(self, sensors: list[Sensor]) -> None:
        self.sensors = sensors
        self._devices: list[Device] = []
        self._bus: MessageBus | None = None
        self._shown: set[str] = set()
        self._sending: list[GattValue] = []

    async def open(self, address: str) -> None:
        """Take BlueZ's place on a bus."""
        self._bus = await MessageBus(bus_address=address).connect()
        self._bus.export(_ADAPTER, Adapter(self.advertise))
        for sensor in self.sensors:
            device = Device(sensor, self)
            self._devices.append(device)
            self._bus.export(sensor.path, device)
        await self._bus.request_name("org.bluez")

    def advertise(self) -> None:
        """Let every sensor be heard once, and those that send say the next."""
        for device in self._devices:
            device.advertise()
        for value in self._sending:
            value.send()

    def show_services(self, sensor: Sensor) -> None:
        """Publish the services of a connected device."""
        if self._bus is None or sensor.address in self._shown:
            return
        self._shown.add(sensor.address)
        if sensor.values:
            service = f"{sensor.path}/service0010"
            self._bus.export(service, Service(sensor.path, SENSING))
            for at, number in enumerate(sensor.values):
                path = f"{service}/char{0x11 + 4 * at:04x}"
                value = partial(sensor.values.__getitem__, number)
                self._bus.export(path, GattValue(sensor, _BASE.format(number), service, value))
                self._bus.export(f"{path}/desc{0x12 + 4 * at:04x}", Measurement(sensor, path))
        if sensor.own or sensor.sent:
            service = f"{sensor.path}/service0100"
            uuid = LINES_SERVICE if LINES_FROM in sensor.sent else _BASE.format(0xFFF0)
            self._bus.export(service, Service(sensor.path, uuid))
            for at, uuid in enumerate((*sensor.own, *sensor.sent)):
                made = GattValue(sensor, uuid, service, partial(sensor.own.__getitem__, uuid))
                self._bus.export(f"{service}/char{0x101 + 4 * at:04x}", made)
                self._sending.append(made)

    async def close(self) -> None:
        """Leave the bus."""
        if self._bus is not None:
            self._bus.disconnect()
            await self._bus.wait_for_disconnect()  # type: ignore[no-untyped-call]


def pottery_sensors() -> list[Sensor]:
    """The sensors in range at the pottery: in a pot on the drying rack, and in the clay bin."""
    return [
        Sensor(
            "C4:11:0A:00:00:01",
            "rack pot",
            {0x2A6E: struct.pack("<h", 1840), 0x2A6F: struct.pack("<H", 5210), 0x2A19: b"\x58"},
            is_advertised=True,
        ),
        Sensor(
            "C4:11:0A:00:00:02",
            "clay bin",
            {0x2A6E: struct.pack("<h", 1420), 0x2A6F: struct.pack("<H", 8830)},
            is_advertised=False,
            rssi=-74,
            update_s=300,
        ),
        Sensor(
            "C4:11:0A:00:00:03",
            "kiln shelf",
            {},
            is_advertised=True,
            rssi=-80,
            # A beginning, a temperature of a hundredth, a battery in millivolts, a sum.
            company={0xFFFF: _with_sum(struct.pack("<BhH", 0x42, 2315, 2950))},
        ),
        Sensor(
            "C4:11:0A:00:00:04",
            "pug mill",
            {0x2A19: b"\x40"},
            is_advertised=False,
            rssi=-67,
            own={_BASE.format(0xFFF2): struct.pack("<H", 417)},
            sent={_BASE.format(0xFFF1): (struct.pack("<hh", 120, -35), struct.pack("<hh", 124, 8))},
        ),
        Sensor(
            "C4:11:0A:00:00:05",
            "scale",
            {},
            is_advertised=False,
            rssi=-55,
            sent={LINES_FROM: (b"temperature=2", b"1.4\r\nhumi", b"dity=40\n")},
        ),
    ]


def _with_sum(told: bytes) -> bytes:
    return told + bytes([sum(told) % 256])


async def run(address: str, every_s: float) -> None:
    """Advertise until stopped."""
    radio = Radio(pottery_sensors())
    await radio.open(address)
    try:
        while True:
            radio.advertise()
            await asyncio.sleep(every_s)
    finally:
        await radio.close()


def main() -> None:
    """Entry of the process."""
    parser = argparse.ArgumentParser(description="a simulated Bluetooth radio")
    parser.add_argument("--bus", required=True, help="address of the bus, as unix:path=FILE")
    parser.add_argument("--every", type=float, default=1.0, help="seconds between advertisements")
    chosen = parser.parse_args()
    asyncio.run(run(chosen.bus, chosen.every))


if __name__ == "__main__":
    main()

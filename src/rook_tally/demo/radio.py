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
from typing import Annotated

from dbus_fast import PropertyAccess, Variant
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusBool, DBusBytes, DBusInt16, DBusSignature, DBusStr
from dbus_fast.service import ServiceInterface, dbus_method, dbus_property

_ADAPTER = "/org/bluez/hci0"
_BASE = "0000{:04x}-0000-1000-8000-00805f9b34fb"
SENSING = _BASE.format(0x181A)

Options = Annotated[dict[str, Variant], DBusSignature("a{sv}")]
Nothing = Annotated[None, DBusSignature("")]
Words = Annotated[list[str], DBusSignature("as")]


@dataclass(slots=True)
class Sensor:
    """A sensor: raw values by characteristic, advertised or to be read."""

    address: str
    name: str
    values: dict[int, bytes]
    is_advertised: bool
    rssi: int = -61
    update_s: int = 0
    reads: int = field(default=0)

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
        return [SENSING]

    @dbus_property(access=PropertyAccess.READ)
    def RSSI(self) -> DBusInt16:
        """Its signal strength, dBm."""
        return self._sensor.rssi

    @dbus_property(access=PropertyAccess.READ)
    def ServiceData(self) -> Options:
        """Its values, when it advertises them."""
        return self._advertised()

    def _advertised(self) -> dict[str, Variant]:
        if not self._sensor.is_advertised:
            return {}
        return {
            _BASE.format(number): Variant("ay", raw) for number, raw in self._sensor.values.items()
        }

    def advertise(self) -> None:
        """Be heard once more."""
        self.emit_properties_changed(
            {"RSSI": self._sensor.rssi, "ServiceData": self._advertised(), "UUIDs": [SENSING]}
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
    """`org.bluez.GattService1`: Environmental Sensing."""

    def __init__(self, device: str) -> None:
        super().__init__("org.bluez.GattService1")
        self._device = device

    @dbus_property(access=PropertyAccess.READ)
    def UUID(self) -> DBusStr:
        """Environmental Sensing."""
        return SENSING

    @dbus_property(access=PropertyAccess.READ)
    def Primary(self) -> DBusBool:
        """It stands by itself."""
        return True

    @dbus_property(access=PropertyAccess.READ)
    def Device(self) -> Annotated[str, DBusSignature("o")]:
        """Whose it is."""
        return self._device


class GattValue(ServiceInterface):
    """`org.bluez.GattCharacteristic1`: one value to be read."""

    def __init__(self, sensor: Sensor, number: int, service: str) -> None:
        super().__init__("org.bluez.GattCharacteristic1")
        self._sensor, self._number, self._service = sensor, number, service

    @dbus_property(access=PropertyAccess.READ)
    def UUID(self) -> DBusStr:
        """Which value it is."""
        return _BASE.format(self._number)

    @dbus_property(access=PropertyAccess.READ)
    def Service(self) -> Annotated[str, DBusSignature("o")]:
        """Where it belongs."""
        return self._service

    @dbus_property(access=PropertyAccess.READ)
    def Flags(self) -> Words:
        """Its allowed operations."""
        return ["read"]

    @dbus_method()
    def ReadValue(self, options: Options) -> DBusBytes:
        """The raw value."""
        self._sensor.reads += 1
        return self._sensor.values[self._number]


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
        """Let every sensor be heard once."""
        for device in self._devices:
            device.advertise()

    def show_services(self, sensor: Sensor) -> None:
        """Publish the services of a connected device."""
        if self._bus is None or sensor.address in self._shown:
            return
        self._shown.add(sensor.address)
        service = f"{sensor.path}/service0010"
        self._bus.export(service, Service(sensor.path))
        for at, number in enumerate(sensor.values):
            path = f"{service}/char{0x11 + 4 * at:04x}"
            self._bus.export(path, GattValue(sensor, number, service))
            self._bus.export(f"{path}/desc{0x12 + 4 * at:04x}", Measurement(sensor, path))

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
    ]


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

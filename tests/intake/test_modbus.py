"""Modbus devices, asked over TCP and over a serial line; the server is the package's own."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import pty
import tty
from collections.abc import AsyncIterator, Sequence
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymodbus.server import ModbusSerialServer, ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from rook_tally.core.errors import DoorError, UsageError
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.modbus_map import (
    MOST_BITS,
    MOST_REGISTERS,
    ModbusRegister,
    RegisterTable,
    planned_requests,
    register_from_table,
    register_table,
)
from rook_tally.intake.doors.modbus import ModbusDoor, asked, client_for, readers_of
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.store.site import DoorState, ModbusSetting
from tests.collector.test_mqtt_link import free_port

METER = """
slug = "meter"
name = "three-phase meter"
cadence_s = 1
[[field]]
name = "power"
quantity = "power"
unit = "W"
[[register]]
name = "power"
table = "input"
at = 12
type = "f32"
[[register]]
name = "energy"
table = "input"
at = 72
type = "u32"
low_word_first = true
scale = 0.01
[[register]]
name = "voltage"
at = 3
scale = 0.1
nothing = [65535]
[[register]]
name = "temperature"
at = 4
type = "i16"
[[register]]
name = "contact"
table = "discrete"
at = 5
[[register]]
name = "switch"
table = "coil"
at = 1
"""
REGISTERS = kind_from_toml(METER).registers
WANTED = {
    "power": 1234.5,
    "energy": 2000.0,
    "voltage": 230.1,
    "temperature": -7.0,
    "contact": 1.0,
    "switch": 0.0,
}


def device(*, input_registers: int = 80) -> SimDevice:
    """A meter that says what is wanted, by the package's own way of packing."""
    inputs = [SimData(12, values=1234.5, datatype=DataType.FLOAT32)]
    if input_registers > 72:
        # 200,000 as 0x0003_0d40, the low word in the lower register.
        inputs.append(SimData(72, values=[0x0D40, 0x0003], datatype=DataType.UINT16))
    holding = [
        SimData(3, values=2301, datatype=DataType.UINT16),
        SimData(4, values=-7, datatype=DataType.INT16),
    ]
    coils = [SimData(0, values=[False] * 16, datatype=DataType.BITS)]
    discrete = [SimData(0, values=[at == 5 for at in range(16)], datatype=DataType.BITS)]
    return SimDevice(7, simdata=(coils, discrete, holding, inputs))


@contextlib.asynccontextmanager
async def meter(**said: Any) -> AsyncIterator[ModbusSetting]:
    """A device that answers over TCP."""
    port = free_port()
    server: Any = ModbusTcpServer(device(**said), address=("127.0.0.1", port))
    await server.serve_forever(background=True)
    try:
        yield ModbusSetting(f"127.0.0.1:{port}", "meter", 0.02, 7)
    finally:
        await server.shutdown()


async def asked_once(
    settings: ModbusSetting, registers: Sequence[ModbusRegister] = REGISTERS
) -> tuple[dict[str, float], list[str]]:
    client = client_for(settings)
    try:
        return await asked(client, settings, readers_of(registers))
    finally:
        client.close()


async def test_registers_and_bits_over_tcp() -> None:
    async with meter() as settings:
        values, troubles = await asked_once(settings)
    assert troubles == []
    assert {name: round(one, 6) for name, one in values.items()} == WANTED


async def test_registers_over_a_serial_line() -> None:
    """RTU over a pair of pseudo-terminals, joined as by a cable."""
    ours, theirs = pty.openpty(), pty.openpty()
    for one in (*ours, *theirs):
        tty.setraw(one)
        os.set_blocking(one, False)
    loop = asyncio.get_running_loop()

    def joined(here: int, there: int) -> None:
        with contextlib.suppress(BlockingIOError):
            os.write(there, os.read(here, 4096))

    loop.add_reader(ours[0], joined, ours[0], theirs[0])
    loop.add_reader(theirs[0], joined, theirs[0], ours[0])
    server: Any = ModbusSerialServer(device(), port=os.ttyname(theirs[1]), baudrate=19_200)
    await server.serve_forever(background=True)
    try:
        values, troubles = await asked_once(ModbusSetting(os.ttyname(ours[1]), "meter", 1.0, 7))
    finally:
        await server.shutdown()
        for one in (ours[0], theirs[0]):
            loop.remove_reader(one)
        for one in (*ours, *theirs):
            os.close(one)
    assert troubles == []
    assert {name: round(one, 6) for name, one in values.items()} == WANTED


async def test_what_a_device_refuses_loses_nothing_else() -> None:
    async with meter(input_registers=20) as settings:
        values, (trouble,) = await asked_once(settings)
    assert "energy" not in values
    assert values["power"] == 1234.5
    assert trouble == "input 72–73: device 7 has no such register (illegal data address)"


async def test_a_device_that_is_not_there() -> None:
    async with meter() as settings:
        pass
    with pytest.raises(DoorError, match="cannot be reached"):
        await asked_once(settings)


async def test_an_answer_that_is_none() -> None:
    """Half a frame, and bytes of something else."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.closing(writer), contextlib.suppress(ConnectionError):
            while await reader.read(1024):
                writer.write(b"\x00\x01\x00\x00\x00\xff\x07\x03")
                await writer.drain()

    server = await asyncio.start_server(talk, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    settings = ModbusSetting(f"127.0.0.1:{port}", "meter", 1.0, 7)
    values, troubles = await asked_once(settings, REGISTERS[2:3])
    server.close()
    assert values == {}
    assert troubles[0].startswith("holding 3: no answer of device 7")


class Taken:
    """A reception that keeps what it is given."""

    def __init__(self) -> None:
        self.messages: list[Message] = []

    async def take(self, message: Message) -> IntakeResult:
        self.messages.append(message)
        return IntakeResult()


async def test_the_door_asks_again_and_comes_back() -> None:
    taken: Taken = Taken()
    states: list[tuple[DoorState, str]] = []
    async with meter() as settings:
        door = ModbusDoor(
            settings,
            registers=lambda: REGISTERS,
            reception=taken,
            report=lambda state, detail="": states.append((state, detail)),
            clock=lambda: 7,
        )
        door.open()
        while len(taken.messages) < 2:
            await asyncio.sleep(0.01)
    while states[-1][0] is not DoorState.TRYING:
        await asyncio.sleep(0.01)
    await door.close()
    assert states[0] == (DoorState.OPEN, "")
    assert taken.messages[0].station == "meter"
    told = json.loads(taken.messages[0].body)
    assert {name: round(one, 6) for name, one in told.items()} == WANTED


async def test_a_station_without_registers_is_said() -> None:
    states: list[tuple[DoorState, str]] = []
    door = ModbusDoor(
        ModbusSetting("127.0.0.1:1", "meter"),
        registers=lambda: (),
        reception=Taken(),
        report=lambda state, detail="": states.append((state, detail)),
        clock=lambda: 7,
    )
    door.open()
    while not states:
        await asyncio.sleep(0.01)
    await door.close()
    assert states[0] == (DoorState.TRYING, "meter is no station of a kind with registers")


REGISTER = st.builds(
    lambda table, at, kind: register_from_table(
        1, {"name": f"{table}{at}{kind}", "table": table, "at": at, "type": kind}
    ),
    st.sampled_from([one.value for one in RegisterTable]),
    st.integers(0, 3000),
    st.sampled_from(["u16", "i32", "f64"]),
)


@given(st.lists(REGISTER, max_size=40))
def test_every_register_is_read_once_and_no_request_is_too_long(
    registers: list[ModbusRegister],
) -> None:
    requests = planned_requests(registers)
    read = [one for request in requests for one in request.registers]
    assert sorted(read, key=repr) == sorted(registers, key=repr)
    for request in requests:
        assert request.count <= (MOST_BITS if request.table.is_bits else MOST_REGISTERS)
        for one in request.registers:
            assert request.at <= one.at and one.end <= request.at + request.count


def test_a_hundred_registers_side_by_side_are_one_request() -> None:
    several = [register_from_table(1, {"name": f"r{at}", "at": at}) for at in range(100)]
    (request,) = planned_requests(several)
    assert (request.at, request.count) == (0, 100)


@given(st.lists(REGISTER, max_size=10, unique_by=lambda one: one.name))
def test_a_kind_keeps_its_registers(registers: list[ModbusRegister]) -> None:
    for one in registers:
        assert register_from_table(1, register_table(one)) == one
    kind = kind_from_toml(METER)
    assert kind_from_toml(kind_to_toml(kind)) == kind


@pytest.mark.parametrize(
    ("table", "why"),
    [
        ({"name": "a"}, "register a: at has to be an address"),
        ({"name": "a", "at": 70_000}, "at has to be an address"),
        ({"name": "a", "at": 0, "table": "drawer"}, "no such table"),
        ({"name": "a", "at": 0, "type": "u8"}, "registers hold no u8"),
        ({"name": "a", "at": 0, "low_word_first": "yes"}, "true or false"),
        ({"name": "a", "at": 0, "bits": [10, 8]}, "do not lie within u16"),
        ({"at": 0}, "name"),
        ({"name": "a", "at": 0, "when": {"at": 0, "bit": 1}}, "always there"),
        ({"name": "a", "at": 0, "colour": "red"}, "colour"),
    ],
)
def test_registers_that_cannot_be_meant_are_refused(table: dict[str, Any], why: str) -> None:
    with pytest.raises(UsageError, match=why):
        register_from_table(1, table)

"""What doors that ask cost: Modbus devices and this machine's own probes, in shares of a core,
beside bare clients that ask for the same."""

from __future__ import annotations

import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from benchmarks.bare_store import OPENING
from benchmarks.fleet import cpu_s
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.door_settings import DoorSettings, ModbusSetting, ProbesSetting
from rook_tally.core.quantities.kinds import PLAIN, Field, Kind
from rook_tally.core.quantities.modbus_map import register_from_table
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_door, add_station, keep_kind, tallies, total

_DEVICES, _REGISTERS, _PROBES = 20, 100, 50
_BEGUN = 3
_WARM_S, _FOR_S = 3.0, 15.0
_SERVER = """
import asyncio, sys
from pymodbus.server import StartAsyncTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

devices, registers, port = map(int, sys.argv[1:])
values = range(200, 200 + registers)
told = [
    SimDevice(at, simdata=[SimData(0, values=list(values), datatype=DataType.UINT16)])
    for at in range(1, devices + 1)
]
asyncio.run(StartAsyncTcpServer(told, address=("127.0.0.1", port)))
"""


# The same registers, and the same probes, asked as often; one commit for what came at once.
_BARE_METERS = f"""{OPENING}
import asyncio, time
from pymodbus.client import AsyncModbusTcpClient

devices, registers, port = map(int, sys.argv[2:])

async def ask(client, number):
    told = await client.read_holding_registers(0, count=registers, device_id=number)
    return [(number * 1000 + at, time.time_ns() // 1000, value * 0.1, 0)
            for at, value in enumerate(told.registers)]

async def main():
    clients = [AsyncModbusTcpClient("127.0.0.1", port=port) for _ in range(devices)]
    await asyncio.gather(*(one.connect() for one in clients))
    while True:
        begun = time.monotonic()
        told = await asyncio.gather(*(ask(one, at) for at, one in enumerate(clients, 1)))
        write([row for rows in told for row in rows])
        await asyncio.sleep(1 - (time.monotonic() - begun))

asyncio.run(main())
"""
_BARE_PROBES = f"""{OPENING}
import time
from pathlib import Path

while True:
    begun, rows = time.monotonic(), []
    for device in Path(sys.argv[2]).joinpath("bus/iio/devices").iterdir():
        name = (device / "name").read_text().strip()
        value = int((device / "in_temp_input").read_text()) / 1000
        rows.append((int(name[5:]), time.time_ns() // 1000, value, 0))
    write(rows)
    time.sleep(1 - (time.monotonic() - begun))
"""


class WiredCost(NamedTuple):
    """What asking costs the collector and a bare client, in shares of a core; and the share of the
    readings that were to come that did."""

    share: float
    bare_share: float
    came: float


def modbus_cost(folder: Path) -> WiredCost:
    """A hundred registers of twenty stations every second."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    fields = tuple(Field(f"r{at}", "temperature", "°C") for at in range(_REGISTERS))
    registers = tuple(
        register_from_table(at, {"name": f"r{at}", "at": at, "scale": 0.1})
        for at in range(_REGISTERS)
    )
    kind = Kind("bench-meter", "bench meter", 1, fields, registers=registers)
    doors: list[DoorSettings] = []
    with open_store(folder / "modbus.db") as store:
        with store.write() as connection:
            keep_kind(connection, kind)
        for at in range(1, _DEVICES + 1):
            with store.write() as connection:
                add_station(connection, f"meter-{at}", place="Hall", kind=kind, cadence_s=1)
            doors.append(ModbusSetting(f"127.0.0.1:{port}", f"meter-{at}", 1.0, at))
        words = (str(_DEVICES), str(_REGISTERS), str(port))
        with subprocess.Popen([sys.executable, "-c", _SERVER, *words]) as server:
            _wait_until(lambda: _answers(port))
            try:
                bare = _bare_share(_BARE_METERS, str(folder / "bare.db"), *words)
                return _cost(store, doors, _DEVICES * _REGISTERS, bare)
            finally:
                server.terminate()


def probes_cost(folder: Path) -> WiredCost:
    """Fifty probes of this machine every second."""
    root = folder / "sys"
    for at in range(_PROBES):
        device = root / f"bus/iio/devices/iio:device{at}"
        device.mkdir(parents=True)
        for name, text in (("name", f"probe{at}"), ("in_temp_input", f"{20_000 + at}")):
            (device / name).write_text(f"{text}\n")
    bare = _bare_share(_BARE_PROBES, str(folder / "bare.db"), str(root))
    with open_store(folder / "probes.db") as store:
        for at in range(_PROBES):
            with store.write() as connection:
                add_station(connection, f"iio-probe{at}", place="Hall", kind=PLAIN, cadence_s=1)
        return _cost(store, [ProbesSetting(1.0, root=str(root))], _PROBES, bare)


def _bare_share(program: str, *words: str) -> float:
    """A bare client's share of a core, once it is at work."""
    with subprocess.Popen([sys.executable, "-c", program, *words]) as client:
        threading.Event().wait(_WARM_S)
        before_s, began = cpu_s(client.pid), time.monotonic()
        threading.Event().wait(_FOR_S)
        share = (cpu_s(client.pid) - before_s) / (time.monotonic() - began)
        client.terminate()
    return share


def _cost(store: Store, doors: list[DoorSettings], readings_s: int, bare_share: float) -> WiredCost:
    with store.write() as connection:
        for one in doors:
            add_door(connection, one)
    with CollectorChild(store.address, http="127.0.0.1:0", broker="off") as collector:
        pid = collector.process.pid
        # However long it takes until all doors are open: then it begins.
        _wait_until(lambda: _kept(store) >= _BEGUN * readings_s)
        threading.Event().wait(_WARM_S)
        before, before_s, began = _kept(store), cpu_s(pid), time.monotonic()
        threading.Event().wait(_FOR_S)
        spent_s = time.monotonic() - began
        share = (cpu_s(pid) - before_s) / spent_s
        kept = _kept(store) - before
    return WiredCost(share, bare_share, kept / (readings_s * spent_s))


def _kept(store: Store) -> int:
    with store.read() as connection:
        return total(tallies(connection)).kept


def _answers(port: int) -> bool:
    try:
        socket.create_connection(("127.0.0.1", port), 1).close()
    except OSError:
        return False
    return True


def _wait_until(condition: Callable[[], bool]) -> None:
    until = time.monotonic() + 30
    while not condition() and time.monotonic() < until:
        threading.Event().wait(0.05)

"""What a thousand stations cost a collector: while they begin, and then steadily, beside a bare
client that keeps the same rows."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.doors import bare_taker
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station, tallies, total

STATIONS, EVERY_S = 1_000, 10
_VALUES, _ROUNDS, _FOR_S = 5, 3, 20
_SETTLE_S = 60.0

_FLEET = """
import sys, threading, time
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
port, stations, every_s, for_s = map(int, sys.argv[1:])
client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="fleet")
client.max_inflight_messages_set(500)
client.max_queued_messages_set(0)
client.connect("127.0.0.1", port)
client.loop_start()
begun = time.time()
pause = threading.Event()
last = None
for number in range(stations * for_s // every_s):
    due = begun + number * every_s / stations
    pause.wait(max(0.0, due - time.time()))
    at = number % stations
    body = (f'{{"time": {time.time():.3f}, "temperature": {20 + at % 7 / 10}, '
            f'"humidity": {45 + number // stations}, "co2": {500 + number % 90}, '
            f'"pressure": 1013.25, "voltage": {3.3 - number % 9 / 100:.2f}}}')
    last = client.publish(f"rook/fleet-{at}/readings", body, qos=1)
last.wait_for_publish(60)
"""


@dataclass(slots=True)
class FleetCost:
    """Readings sent and kept, the most memory (MB), and milliseconds of processor a message: for
    the first of each station, then steadily, and by a bare client, in turn."""

    sent: int = 0
    kept: int = 0
    memory_mb: float = 0.0
    begin_ms: float = 0.0
    steady_ms: list[float] = field(default_factory=list)
    bare_ms: list[float] = field(default_factory=list)


def fleet_cost(folder: Path) -> FleetCost:
    """Let so many stations speak to a collector that has never heard them, and go on."""
    where = str(folder / "fleet.db")
    store = open_store(where)
    with store.write() as connection:
        for at in range(STATIONS):
            add_station(connection, f"fleet-{at}", place="Fleet", kind=PLAIN, cadence_s=EVERY_S)
    told = FleetCost()
    with (
        CollectorChild(where, http="127.0.0.1:0", broker="builtin:127.0.0.1:0") as collector,
        bare_taker(folder, _VALUES) as bare,
    ):
        port = int(str(collector.mqtt).rpartition(":")[2])
        pid = collector.process.pid

        def ours(for_s: int) -> float:
            return _cost_ms(port, pid, lambda: _kept(store), for_s)

        told.begin_ms = ours(EVERY_S)
        _cost_ms(bare.port, bare.pid, lambda: bare.kept() * _VALUES, EVERY_S)
        for _ in range(_ROUNDS):
            told.steady_ms.append(ours(_FOR_S))
            told.bare_ms.append(
                _cost_ms(bare.port, bare.pid, lambda: bare.kept() * _VALUES, _FOR_S)
            )
        told.memory_mb = _most_memory_mb(pid)
    told.sent = STATIONS * (EVERY_S + _ROUNDS * _FOR_S) // EVERY_S * _VALUES
    told.kept = _kept(store)
    store.close()
    return told


def _cost_ms(port: int, pid: int, kept: Callable[[], int], for_s: int) -> float:
    """Milliseconds of processor that a process has for a message, all stations speaking so long."""
    messages = STATIONS * for_s // EVERY_S
    before_s, wanted = cpu_s(pid), kept() + messages * _VALUES
    words = [str(port), str(STATIONS), str(EVERY_S), str(for_s)]
    subprocess.run([sys.executable, "-c", _FLEET, *words], check=True, timeout=300)
    until, pause = time.monotonic() + _SETTLE_S, threading.Event()
    while kept() < wanted and time.monotonic() < until:
        pause.wait(0.05)
    return 1000 * (cpu_s(pid) - before_s) / messages


def _kept(store: Store) -> int:
    with store.read() as connection:
        return total(tallies(connection)).kept


def cpu_s(pid: int) -> float:
    """Seconds of a core a process has had."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _most_memory_mb(pid: int) -> float:
    """The most memory a process has had at once."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1]) / 1024
    return 0.0

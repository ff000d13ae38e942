"""What a thousand stations cost: the collector's share of a core, and its memory."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station, tallies, total

STATIONS, EVERY_S, FOR_S = 1_000, 10, 60
_VALUES = 5
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


@dataclass(frozen=True, slots=True)
class FleetCost:
    """What came of it: readings sent and kept, the collector's share of a core, its most memory."""

    sent: int
    kept: int
    core_share: float
    memory_mb: float


def fleet_cost(folder: Path) -> FleetCost:
    """Let so many stations speak to a collector for a minute."""
    where = str(folder / "fleet.db")
    store = open_store(where)
    with store.write() as connection:
        for at in range(STATIONS):
            add_station(connection, f"fleet-{at}", place="Fleet", kind=PLAIN, cadence_s=EVERY_S)
    with CollectorChild(where, http="127.0.0.1:0", broker="builtin:127.0.0.1:0") as collector:
        port = str(collector.mqtt).rpartition(":")[2]
        before_s, begun = cpu_s(collector.process.pid), time.monotonic()
        words = [port, str(STATIONS), str(EVERY_S), str(FOR_S)]
        subprocess.run([sys.executable, "-c", _FLEET, *words], check=True, timeout=300)
        sent = STATIONS * FOR_S // EVERY_S * _VALUES
        _wait_for(store, sent)
        spent_s = time.monotonic() - begun
        share = (cpu_s(collector.process.pid) - before_s) / spent_s
        memory = _most_memory_mb(collector.process.pid)
    kept = _kept(store)
    store.close()
    return FleetCost(sent, kept, share, memory)


def _kept(store: Store) -> int:
    with store.read() as connection:
        return total(tallies(connection)).kept


def _wait_for(store: Store, count: int) -> None:
    until = time.monotonic() + _SETTLE_S
    pause = threading.Event()
    while _kept(store) < count and time.monotonic() < until:
        pause.wait(0.05)


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

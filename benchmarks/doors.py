"""How fast the doors take messages, beside the least that has to be done for them."""

from __future__ import annotations

import csv
import json
import shutil
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cbor2
import msgspec

from benchmarks.bare_store import OPENING
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station, tallies, total

_MESSAGES, _ROUNDS = 4_000, 3
_STATION = "bench"
_PATIENCE_S = 120.0

_PUBLISHER = """
import sys, threading, time
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
port, count = int(sys.argv[1]), int(sys.argv[2])
begun_s = int(sys.argv[3])
client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="publisher")
client.max_inflight_messages_set(200)
client.max_queued_messages_set(0)
client.connect("127.0.0.1", port)
client.loop_start()
last = None
for number in range(count):
    time_s = begun_s + number
    body = f'{{"time": {time_s}, "temperature": 21.5, "humidity": 50, "co2": {400 + number % 90}}}'
    last = client.publish("rook/bench/readings", body, qos=1)
last.wait_for_publish(120)
"""


def _make_station(where: str) -> None:
    store = open_store(where)
    with store.write() as connection:
        add_station(connection, _STATION, place="Bench", kind=PLAIN, cadence_s=1)
    store.close()


_BARE_TAKER = f"""{OPENING}
import json, threading
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

ids, waiting, moved = {{}}, [], threading.Event()

def on_message(_client, _data, message):
    values = json.loads(message.payload)
    time_us = round(values.pop("time") * 1e6)
    station = message.topic.split("/")[1]
    waiting.append([(ids.setdefault((station, name), len(ids)), time_us, value, 0)
                    for name, value in values.items()])
    moved.set()

client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="taker")
client.on_message = on_message
client.on_connect = lambda one, *_: one.subscribe("rook/+/readings", qos=1)
client.on_subscribe = lambda *_: print("ready", flush=True)
client.connect("127.0.0.1", int(sys.argv[2]))
client.loop_start()
while True:
    moved.wait()
    moved.clear()
    batch, waiting[:] = list(waiting), []
    if batch:
        write([row for rows in batch for row in rows])
"""


def mqtt_rates(folder: Path) -> tuple[list[float], list[float]]:
    """Messages a second from a Mosquitto to durable readings, by ours and by paho with a bare
    commit of the same rows, in turn."""
    where = str(folder / "mqtt.db")
    _make_station(where)
    ours: list[float] = []
    theirs: list[float] = []
    with (
        CollectorChild(where, http="127.0.0.1:0", broker="builtin:127.0.0.1:0") as collector,
        open_store(where) as store,
        bare_taker(folder, 3) as bare,
    ):
        port = str(collector.mqtt).rpartition(":")[2]

        def kept() -> int:
            with store.read() as connection:
                return total(tallies(connection)).kept // 3

        for at in reversed(range(_ROUNDS)):
            # Each round has moments of its own, of the last hours, as live readings are.
            begun_s = round(time.time()) - _MESSAGES * (at + 1)
            ours.append(_publish_rate(port, kept, begun_s))
            theirs.append(_publish_rate(str(bare.port), bare.kept, begun_s))
    return ours, theirs


@dataclass(frozen=True, slots=True)
class BareTaker:
    """A bare client that keeps what a Mosquitto of its own hands it: the broker's port, its process
    and how many messages it has kept."""

    port: int
    pid: int
    kept: Callable[[], int]


@contextmanager
def bare_taker(folder: Path, values: int) -> Iterator[BareTaker]:
    """A Mosquitto whose messages of so many values a bare client keeps."""
    broker = shutil.which("mosquitto") or "/usr/sbin/mosquitto"
    settings, kept_in = folder / "bare.conf", folder / "bare.db"
    port = free_port()
    settings.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\nmax_queued_messages 0\n")
    words = [sys.executable, "-c", _BARE_TAKER, str(kept_in), str(port)]
    with subprocess.Popen([broker, "-c", settings], stderr=subprocess.DEVNULL) as bare:
        _wait_until_open(port)
        with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as taker:
            assert taker.stdout is not None
            taker.stdout.readline()
            rows = sqlite3.connect(kept_in)

            def kept() -> int:
                return int(rows.execute("SELECT count(*) FROM reading").fetchone()[0]) // values

            yield BareTaker(port, taker.pid, kept)
            rows.close()
            taker.terminate()
        bare.terminate()


def _wait_until_open(port: int) -> None:
    until, pause = time.monotonic() + 10, threading.Event()
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            if time.monotonic() > until:
                raise
            pause.wait(0.05)


def free_port() -> int:
    """A port of this machine that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _publish_rate(port: str, kept: Callable[[], int], begun_s: int) -> float:
    """Messages a second from the first that is kept to the last."""
    pause, before = threading.Event(), kept()
    began = time.perf_counter()
    words = [sys.executable, "-c", _PUBLISHER, port, str(_MESSAGES), str(begun_s)]
    with subprocess.Popen(words) as publisher:
        while kept() == before:
            pause.wait(0.002)
        began = time.perf_counter()
        while (arrived := kept() - before) < _MESSAGES:
            if time.perf_counter() - began > _PATIENCE_S:
                break
            pause.wait(0.02)
        spent = time.perf_counter() - began
        publisher.wait(_PATIENCE_S)
    return arrived / spent


def decode_rates() -> dict[str, tuple[float, float]]:
    """Messages a second by form, and by the fastest plain parse of the same bytes."""
    plain = {"time": 1_790_000_000, "temperature": 21.5, "humidity": 50, "co2": 612, "pm25": 12.5}
    records: list[dict[str, object]] = [
        {"bn": "kiln/", "bt": 1_790_000_000, "n": "temperature", "u": "Cel", "v": 21.5},
        *({"n": name, "v": 50 + at} for at, name in enumerate(("humidity", "co2", "pm25"))),
    ]
    packed: list[dict[int, object]] = [
        {-2: "kiln/", -3: 1_790_000_000, 0: "temperature", 1: "Cel", 2: 21.5},
        *({0: name, 2: 50 + at} for at, name in enumerate(("humidity", "co2", "pm25"))),
    ]
    table = "time,temperature,humidity,co2\n" + "1790000000,21.5,50,612\n" * 10
    pairs = "time=1790000000 temperature=21.5 humidity=50 co2=612 pm25=12.5"
    forms: list[tuple[str, bytes, BodyFormat | None, Callable[[bytes], object]]] = [
        ("json", json.dumps(plain).encode(), BodyFormat.JSON, msgspec.json.decode),
        ("senml", json.dumps(records).encode(), BodyFormat.SENML_JSON, msgspec.json.decode),
        ("cbor", cbor2.dumps(packed), BodyFormat.SENML_CBOR, cbor2.loads),
        (
            "csv",
            table.encode(),
            BodyFormat.CSV,
            lambda b: list(csv.reader(b.decode().splitlines())),
        ),
        ("lines", pairs.encode(), None, lambda b: [p.split(b"=") for p in b.split()]),
    ]
    return {
        name: _rates(partial(decoded, Message("http", "", body, 0, form)), partial(parse, body))
        for name, body, form, parse in forms
    }


def _rates(*calls: Callable[[], object]) -> tuple[float, float]:
    """The best rate of each of two calls, taken by turns: the machine's pace changes."""
    best = [0.0, 0.0]
    for _ in range(12):
        for at, call in enumerate(calls):
            began = time.perf_counter()
            for _ in range(2_000):
                call()
            best[at] = max(best[at], 2_000 / (time.perf_counter() - began))
    return best[0], best[1]

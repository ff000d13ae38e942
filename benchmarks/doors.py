"""How fast the doors take messages, beside the least that has to be done for them."""

from __future__ import annotations

import asyncio
import csv
import json
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import cbor2
import msgspec
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station, tallies, total

_CONNECTIONS = 16
_REQUESTS = 6_000
_MESSAGES = 6_000
_STATION = "bench"
_PATIENCE_S = 120.0

_BARE_SERVER = """
import asyncio, sys
from aiohttp import web
async def post(request):
    await request.read()
    return web.json_response({"kept": 1})
async def main():
    app = web.Application()
    app.router.add_post("/v1/readings", post)
    runner = web.AppRunner(app, access_log=None)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    print(site._server.sockets[0].getsockname()[1], flush=True)
    await asyncio.Event().wait()
asyncio.run(main())
"""

_PUBLISHER = """
import sys, threading, time
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
port, count = int(sys.argv[1]), int(sys.argv[2])
begun_s = round(time.time()) - count
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


def http_rates(folder: Path) -> tuple[float, float]:
    """Requests a second that our door answers after the commit, and that a bare handler answers."""
    where = str(folder / "http.db")
    _make_station(where)
    with CollectorChild(where, http="127.0.0.1:0", broker="off") as collector:
        ours = asyncio.run(_post_rate(int(collector.http.rpartition(":")[2])))
    with subprocess.Popen(
        [sys.executable, "-c", _BARE_SERVER], stdout=subprocess.PIPE, text=True
    ) as bare:
        assert bare.stdout is not None
        theirs = asyncio.run(_post_rate(int(bare.stdout.readline())))
        bare.terminate()
    return ours, theirs


def _make_station(where: str) -> None:
    store = open_store(where)
    with store.write() as connection:
        for key in (_STATION, *map(_own_station, range(_CONNECTIONS))):
            add_station(connection, key, place="Bench", kind=PLAIN, cadence_s=1)
    store.close()


def _own_station(at: int) -> str:
    return f"{_STATION}-{at}"


async def _post_rate(port: int) -> float:
    """Requests a second over so many connections kept alive, each a station of its own, bodies of
    150 bytes."""
    numbers = iter(range(_REQUESTS))
    # Of the last hours, as live readings are: older ones would be sealed in between.
    begun_s = round(time.time()) - _REQUESTS

    async def send(at: int) -> None:
        station = _own_station(at).encode()
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        for number in numbers:
            values = {
                "time": begun_s + number,
                "temperature": 21.5,
                "humidity": 50.25,
                "co2": 600 + number % 40,
                "pressure": 1013.25,
                "voltage": 3.31,
            }
            body = json.dumps(values).ljust(150).encode()
            writer.write(
                b"POST /v1/readings?station=%s HTTP/1.1\r\nHost: 127.0.0.1\r\n"
                b"Content-Type: application/json\r\nContent-Length: %d\r\n\r\n%s"
                % (station, len(body), body)
            )
            head = await reader.readuntil(b"\r\n\r\n")
            length = int(head.lower().partition(b"content-length: ")[2].partition(b"\r")[0])
            await reader.readexactly(length)
        writer.close()

    began = time.perf_counter()
    await asyncio.gather(*map(send, range(_CONNECTIONS)))
    return _REQUESTS / (time.perf_counter() - began)


def mqtt_rates(folder: Path) -> tuple[float, float]:
    """Messages a second from a Mosquitto to durable readings, and to a client that only counts."""
    where = str(folder / "mqtt.db")
    _make_station(where)
    with CollectorChild(where, http="127.0.0.1:0", broker="builtin:127.0.0.1:0") as collector:
        port = str(collector.mqtt).rpartition(":")[2]
        store = open_store(where)

        def kept() -> int:
            with store.read() as connection:
                return total(tallies(connection)).kept // 3

        ours = _publish_rate(port, kept)
        store.close()
    broker = shutil.which("mosquitto") or "/usr/sbin/mosquitto"
    settings = folder / "bare.conf"
    bare_port = free_port()
    settings.write_text(
        f"listener {bare_port} 127.0.0.1\nallow_anonymous true\nmax_queued_messages 0\n"
    )
    with subprocess.Popen([broker, "-c", settings], stderr=subprocess.DEVNULL) as bare:
        counted = _Counter(bare_port)
        theirs = _publish_rate(str(bare_port), lambda: counted.count)
        counted.close()
        bare.terminate()
    return ours, theirs


def free_port() -> int:
    """A port of this machine that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class _Counter:
    """A client of a broker that counts what it is sent, and nothing else."""

    def __init__(self, port: int) -> None:
        self.count = 0
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="counter")
        ready = threading.Event()
        self._client.on_subscribe = lambda *_: ready.set()
        self._client.on_message = self._on_message
        until = time.monotonic() + 10
        pause = threading.Event()
        while True:
            try:
                self._client.connect("127.0.0.1", port)
                break
            except OSError:
                if time.monotonic() > until:
                    raise
                pause.wait(0.05)
        self._client.loop_start()
        self._client.subscribe("rook/+/readings", qos=1)
        ready.wait(10)

    def _on_message(self, *_: Any) -> None:
        self.count += 1

    def close(self) -> None:
        """Disconnect."""
        self._client.disconnect()
        self._client.loop_stop()


def _publish_rate(port: str, arrived: Callable[[], int]) -> float:
    pause = threading.Event()
    began = time.perf_counter()
    with subprocess.Popen([sys.executable, "-c", _PUBLISHER, port, str(_MESSAGES)]) as publisher:
        while not arrived():
            pause.wait(0.002)
        began = time.perf_counter()
        while arrived() < _MESSAGES:
            if time.perf_counter() - began > _PATIENCE_S:
                break
            pause.wait(0.01)
        spent = time.perf_counter() - began
        publisher.wait(_PATIENCE_S)
    return arrived() / spent


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

"""Readings handed on to a broker while others come in: how many a second, and what that costs."""

from __future__ import annotations

import json
import shutil
import statistics
import subprocess
import threading
import time
import urllib.request
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from benchmarks.archive import store_with, temperature_like
from benchmarks.doors import free_port, mqtt_rates
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.forwards.definitions import Forward, ForwardKind
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, history_of
from rook_tally.store.site import add_station
from rook_tally.store.site.forwards import ForwardState, forwards, save_forward

# Short rounds in turn: what the machine does beside comes to both.
_ROUNDS, _MESSAGES, _PAUSE_S = 14, 25, 0.1
_PATIENCE_S = 60.0


@dataclass(frozen=True)
class ForwardRates:
    """Readings a second handed on, and taken in by the `mqtt` row in the same run; how long the
    collector takes for a message, ms, while it forwards and while it does not."""

    forwarded: float
    mqtt: float
    beside_ms: float
    alone_ms: float


def forward_rates(folder: Path) -> ForwardRates:
    """A year of five series at 60 s is handed on, while 50 readings a second come in."""
    store, several = store_with(folder, "forward", 60, 5)
    told = temperature_like(365, 60, 1)
    for one in several:
        with store.write() as connection:
            append_sealed(
                connection, history_of(one, told, before_us=int(told.time_us[-1]) + 2 * DAY_US)
            )
    with store.write() as connection:
        add_station(connection, "live", place="Here", kind=PLAIN, cadence_s=1)
    where = store.address
    store.close()
    port = free_port()
    settings = folder / "bare.conf"
    settings.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")
    broker = shutil.which("mosquitto") or "/usr/sbin/mosquitto"
    alone: list[float] = []
    beside: list[float] = []
    rates: list[float] = []
    forward = Forward(slug="copy", kind=ForwardKind.MQTT, address=f"mqtt://127.0.0.1:{port}/copy")
    with (
        subprocess.Popen([broker, "-c", settings], stderr=subprocess.DEVNULL) as bare,
        CollectorChild(where, http="127.0.0.1:0", broker="off") as collector,
    ):
        opened = open_store(where)
        _post(collector.http, 20)
        for _ in range(_ROUNDS):
            alone += _post(collector.http, _MESSAGES)
            _switch(opened, forward, is_on=True)
            before, began = _first_sent(opened), time.perf_counter()
            beside += _post(collector.http, _MESSAGES)
            after = _state(opened)
            rates.append((after.readings - before.readings) / (time.perf_counter() - began))
            _switch(opened, forward, is_on=False)
        opened.close()
        bare.terminate()
    messages = statistics.median(mqtt_rates(folder)[0])
    return ForwardRates(
        statistics.median(rates), 3 * messages, statistics.median(beside), statistics.median(alone)
    )


def _switch(store: Store, forward: Forward, *, is_on: bool) -> None:
    with store.write() as connection:
        told = replace(forward, is_on=is_on)
        now_us = time.time_ns() // 1000
        save_forward(connection, told, who="", now_us=now_us, from_us=0 if is_on else None)


def _state(store: Store) -> ForwardState:
    with store.read() as connection:
        ((_, state),) = forwards(connection)
    return state


def _first_sent(store: Store) -> ForwardState:
    until, pause = time.monotonic() + _PATIENCE_S, threading.Event()
    while not (found := _state(store)).readings and time.monotonic() < until:
        pause.wait(0.02)
    return found


def _post(address: str, count: int) -> list[float]:
    """Messages of five values, ten a second; how long each answer took, ms."""
    pause, found = threading.Event(), []
    for number in range(count):
        body = json.dumps(
            {
                "temperature": 21.5,
                "humidity": 50.25,
                "co2": 600 + number % 40,
                "pressure": 1013.25,
                "voltage": 3.31,
            }
        ).encode()
        request = urllib.request.Request(
            f"http://{address}/v1/readings?station=live",
            data=body,
            headers={"Content-Type": "application/json"},
        )
        began = time.perf_counter()
        with urllib.request.urlopen(request, timeout=60) as answer:
            answer.read()
        found.append(1000 * (time.perf_counter() - began))
        pause.wait(_PAUSE_S)
    return found

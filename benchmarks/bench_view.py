"""The Bench: two series of a year side by side, five hundred events, pairs among fifty series.

Each beside the bare loading of the same readings, the two in turn.
"""

from __future__ import annotations

import statistics
import threading
import time
from collections.abc import Callable
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from sqlalchemy.engine import Connection

from benchmarks.archive import store_with, temperature_like
from rook_tally.bench.events import EventKind, Events, EventSource
from rook_tally.bench.find import find
from rook_tally.bench.pair import compare
from rook_tally.bench.respond import respond
from rook_tally.core.malloc_tuning import FOR_A_WINDOW_MB, keep_freed_memory
from rook_tally.core.series.readings import readings_from
from rook_tally.core.theme import LIGHT
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.bench.pair_sheet import pair_sheet
from rook_tally.desk.bench.plot_painter import draw_picture
from rook_tally.desk.data.store_client import Read
from rook_tally.desk.data.worker_process import WorkerProcess
from rook_tally.store.base import Store
from rook_tally.store.readings import append_sealed, envelopes, history_of, read_range
from rook_tally.store.site import Series, load_site

_ROUNDS = 5
_FAR_US = 1 << 60
_UTC = ZoneInfo("UTC")


def _filled(folder: Path, days: float, cadence_s: float, count: int) -> tuple[Store, list[Series]]:
    """Series that share an air and have some of their own, sealed."""
    store, series = store_with(folder, "bench", cadence_s, count)
    air = temperature_like(days, cadence_s, 1)
    for number, one in enumerate(series):
        own = np.random.default_rng(number).normal(0, 0.1, len(air))
        shared = air.value if number % 5 < 2 else temperature_like(days, cadence_s, number).value
        told = readings_from(air.time_us + number * 1000, np.round(shared + own, 2))
        with store.write() as connection:
            append_sealed(
                connection, history_of(one, told, before_us=int(air.time_us[-1]) + 2 * DAY_US)
            )
    with store.read() as connection:
        return store, list(load_site(connection).series)


def _in_turn(
    store: Store, ours: Callable[[Connection], object], bare: Callable[[Connection], object]
) -> tuple[float, float]:
    """Medians of both, ms, after one of each that does not count."""
    told: tuple[list[float], list[float]] = ([], [])
    for number in range(_ROUNDS + 1):
        for which, call in enumerate((ours, bare)):
            with store.read() as connection:
                began = time.perf_counter()
                call(connection)
                if number:
                    told[which].append(1000 * (time.perf_counter() - began))
    return statistics.median(told[0]), statistics.median(told[1])


def pair_ms(folder: Path) -> tuple[float, float]:
    """Two series of a year at 60 s, from question to painted, and loading both."""
    # As the desk and its reading process do.
    keep_freed_memory(FOR_A_WINDOW_MB)
    application = QGuiApplication.instance() or QGuiApplication(["bench"])
    store, series = _filled(folder, 365, 60, 2)
    with store.read() as connection:
        site = load_site(connection)
        span = _span(connection, series[0])

    def ours(connection: Connection) -> None:
        sheet = pair_sheet(compare(connection, site, series[0], series[1], *span), _UTC)
        image = QImage(720, 600, QImage.Format.Format_ARGB32_Premultiplied)
        painter = QPainter(image)
        draw_picture(painter, LIGHT, sheet.picture, QRectF(0, 0, 720, 600))
        painter.end()

    def bare(connection: Connection) -> None:
        for one in series:
            read_range(connection, one.id, *span)

    found = _in_turn(store, ours, bare)
    store.close()
    del application
    return found


def response_ms(folder: Path) -> tuple[float, float]:
    """The response to 500 events over a year at 10 s, and loading it."""
    store, series = _filled(folder, 365, 10, 1)
    with store.read() as connection:
        site = load_site(connection)
        start_us, end_us = _span(connection, series[0])
    times = np.sort(np.random.default_rng(1).integers(start_us, end_us, 500))
    events = Events(EventSource(EventKind.PIN, "tap"), "tap", times)
    found = _in_turn(
        store,
        lambda connection: respond(connection, site, series[0], events, start_us, end_us),
        lambda connection: read_range(connection, series[0].id, start_us, end_us),
    )
    store.close()
    return found


def find_s(folder: Path) -> float:
    """Pairs among 50 series of 90 days at 60 s, s."""
    store, series = _filled(folder, 90, 60, 50)
    with store.read() as connection:
        site = load_site(connection)
        span = _span(connection, series[0])
        began = time.perf_counter()
        find(connection, site, *span)
        took = time.perf_counter() - began
    store.close()
    return took


def beside_find_ms(folder: Path) -> tuple[float, float]:
    """Reading the envelopes of eight series of 90 days while pairs are searched by the process that
    the Bench has for that, and while nothing is: medians, ms, stretches of both in turn."""
    store, series = _filled(folder, 90, 60, 50)
    with store.read() as connection:
        start_us, end_us = _span(connection, series[0])
    asked = Read(FindBeside(start_us, end_us))
    worker = WorkerProcess(store.address, {}, is_patient=True)
    pause = threading.Event()
    while not worker.is_ready:
        pause.wait(0.01)

    def read_for(seconds: float, told: list[float]) -> None:
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            began = time.perf_counter()
            with store.read() as connection:
                envelopes(connection, series[:8], start_us, end_us, 1200)
            told.append(1000 * (time.perf_counter() - began))

    alone: list[float] = []
    beside: list[float] = []
    read_for(0.5, [])
    for _ in range(_ROUNDS):
        read_for(0.5, alone)
        search = threading.Thread(target=worker.done, args=(asked,))
        search.start()
        while search.is_alive():
            read_for(0.02, beside)
    worker.end()
    store.close()
    return statistics.median(beside), statistics.median(alone)


class FindBeside(msgspec.Struct, frozen=True):
    """The whole search as one question."""

    start_us: int
    end_us: int

    def run(self, connection: Connection) -> int:
        """How many pairs there are."""
        return len(find(connection, load_site(connection), self.start_us, self.end_us).pairs)


def _span(connection: Connection, series: Series) -> tuple[int, int]:
    readings = read_range(connection, series.id, 0, _FAR_US)
    return int(readings.time_us[0]), int(readings.time_us[-1]) + 1

"""The longest that a handler holds the window's thread up, on a large and busy site."""

from __future__ import annotations

import gc
import multiprocessing
import random
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any

from benchmarks.desk import environment_of, let_until
from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import add_series, add_station, load_site

STATIONS, FIELDS = 300, 8
_AT_ONCE, _EVERY_S = 10, 0.2
_SETTLE_S, _LOOK_S = 4.0, 10.0


def handler_ms(folder: Path, environment: Mapping[str, str]) -> dict[str, list[float]]:
    """How long each handler of the window's thread took, ms, by the view that was shown: 2,400
    series, fifty readings a second."""
    place = folder / "large.db"
    store = open_store(place)
    _fill(store)
    store.close()
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    with environment_of(environment):
        process = context.Process(target=_watch, args=(theirs, place))
        process.start()
    theirs.close()
    try:
        found: dict[str, list[float]] = ours.recv()
    except EOFError:
        raise RookTallyError("the window ended before it was measured") from None
    finally:
        process.join()
    return found


def _fill(store: Store) -> None:
    slugs = [slug for slug, one in QUANTITIES.items() if one.base.symbol][:FIELDS]
    with store.write() as connection:
        for number in range(STATIONS):
            add_station(
                connection, f"station-{number}", place=f"Room {number}", kind=PLAIN, cadence_s=60
            )
        for station in load_site(connection).stations:
            for slug in slugs:
                quantity = QUANTITIES[slug]
                add_series(
                    connection, station, field=slug, quantity=quantity, unit=quantity.base.symbol
                )
        series = load_site(connection).series
        now_us = time.time_ns() // 1000
        append_readings(
            connection,
            [
                NewReading(one.id, now_us - back * MINUTE_US, 20.0 + back, Quality.GOOD)
                for back in (3, 2, 1)
                for one in series
            ],
        )


@contextmanager
def _told(place: Path) -> Iterator[None]:
    """Fifty readings a second, all over the site, by a process of their own as a collector is."""
    context = multiprocessing.get_context("spawn")
    over = context.Event()
    process = context.Process(target=_tell, args=(place, over))
    process.start()
    try:
        yield
    finally:
        over.set()
        process.join()


def _tell(place: Path, over: Event) -> None:
    at, store = 0, open_store(place)
    with store.read() as connection:
        series = load_site(connection).series
    while not over.wait(_EVERY_S):
        now_us = time.time_ns() // 1000
        several = [series[(at + 37 * one) % len(series)] for one in range(_AT_ONCE)]
        at += _AT_ONCE
        with store.write() as connection:
            append_readings(
                connection,
                [NewReading(one.id, now_us, 20 + random.random(), Quality.GOOD) for one in several],
            )
    store.close()


def _watch(pipe: Any, place: Path) -> None:
    from PySide6.QtCore import QEvent, QObject
    from PySide6.QtWidgets import QApplication

    from rook_tally.clock import now_us
    from rook_tally.desk.app.window import DeskWindow

    took: list[float] = []

    class Watched(QApplication):
        """Measures every event that is not within another."""

        depth = 0

        def notify(self, receiver: QObject, event: QEvent) -> bool:
            Watched.depth += 1
            began = time.perf_counter()
            try:
                return super().notify(receiver, event)
            finally:
                Watched.depth -= 1
                if not Watched.depth:
                    took.append(1000 * (time.perf_counter() - began))

    store = open_store(place)
    application = Watched(["rook-tally"])
    window = DeskWindow(store, clock=now_us)
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and bool(window.state.ribbons))
    # As an opened window does once it has settled in.
    gc.freeze()
    found: dict[str, list[float]] = {}
    with _told(place):
        for at, name in enumerate(window.view_names):
            window.show_view(at)
            _let_for(_SETTLE_S)
            took.clear()
            _let_for(_LOOK_S)
            found[name.lower()] = sorted(took)
    pipe.send(found)
    window.close()
    store.close()
    del application


def _let_for(seconds: float) -> None:
    until = time.monotonic() + seconds
    let_until(lambda: time.monotonic() > until)

"""The longest that a handler holds the window's thread up, on a large and busy site."""

from __future__ import annotations

import gc
import multiprocessing
import random
import subprocess
import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any

import msgspec

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
_KEYS = "station-"
_AT_ONCE, _EVERY_S = 10, 0.2
_SETTLE_S, _LOOK_S = 4.0, 10.0


def handler_ms(folder: Path, environment: Mapping[str, str]) -> dict[str, list[float]]:
    """How long each handler of the window's thread took, ms, by the view that was shown: 2,400
    series, fifty readings a second."""
    place = folder / "large.db"
    store = open_store(place)
    fill(store, time.time_ns() // 1000)
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


def driven_handler_ms(folder: Path, environment: Mapping[str, str]) -> list[float]:
    """How long each handler took, ms, while the driver of `tests/driver` does what people do on the
    same site, in two windows at once."""
    found = folder / "driven.json"
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:xdist", "tests/driver"]
    told = {**environment, "DRIVER_WATCHDOG": str(found), "DRIVER_EXAMPLES": "2"}
    done = subprocess.run(command, env=told, capture_output=True, text=True, check=False)
    if done.returncode or not found.exists():
        raise RookTallyError(f"the driver did not come to its end: {done.stdout[-2000:]}")
    took = msgspec.json.decode(found.read_bytes(), type=list[tuple[float, str]])
    return sorted(took_ms for took_ms, _ in took)


def fill(store: Store, now_us: int) -> None:
    """Add 300 stations of eight series, each heard in the last three minutes before a moment."""
    slugs = [slug for slug, one in QUANTITIES.items() if one.base.symbol][:FIELDS]
    with store.write() as connection:
        for number in range(STATIONS):
            add_station(
                connection, f"{_KEYS}{number}", place=f"Room {number}", kind=PLAIN, cadence_s=60
            )
        for station in load_site(connection).stations:
            if not station.key.startswith(_KEYS):
                continue
            for slug in slugs:
                quantity = QUANTITIES[slug]
                add_series(
                    connection, station, field=slug, quantity=quantity, unit=quantity.base.symbol
                )
        series = [one for one in load_site(connection).series if one.station.key.startswith(_KEYS)]
        append_readings(
            connection,
            [
                NewReading(one.id, now_us - back * MINUTE_US, 20.0 + back, Quality.GOOD)
                for back in (3, 2, 1)
                for one in series
            ],
        )


@contextmanager
def told(place: Path, from_us: int) -> Iterator[None]:
    """Fifty readings a second, all over the site, by a process of their own as a collector is; the
    first of them at a moment."""
    context = multiprocessing.get_context("spawn")
    over = context.Event()
    process = context.Process(target=_tell, args=(place, from_us, over))
    process.start()
    try:
        yield
    finally:
        over.set()
        process.join()


def _tell(place: Path, from_us: int, over: Event) -> None:
    at, store = 0, open_store(place)
    began_ns = time.monotonic_ns()
    with store.read() as connection:
        series = [one for one in load_site(connection).series if one.station.key.startswith(_KEYS)]
    while not over.wait(_EVERY_S):
        now_us = from_us + (time.monotonic_ns() - began_ns) // 1000
        several = [series[(at + 37 * one) % len(series)] for one in range(_AT_ONCE)]
        at += _AT_ONCE
        with store.write() as connection:
            append_readings(
                connection,
                [NewReading(one.id, now_us, 20 + random.random(), Quality.GOOD) for one in several],
            )
    store.close()


def _watch(pipe: Any, place: Path) -> None:
    from benchmarks.watchdog import WatchdogApplication
    from rook_tally.clock import now_us
    from rook_tally.desk.app.window import DeskWindow

    store = open_store(place)
    application = WatchdogApplication(["rook-tally"])
    window = DeskWindow(store, clock=now_us)
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and bool(window.state.ribbons))
    # As an opened window does once it has settled in.
    gc.freeze()
    found: dict[str, list[float]] = {}
    with told(place, now_us()):
        for at, name in enumerate(window.view_names):
            window.show_view(at)
            _let_for(_SETTLE_S)
            application.took.clear()
            _let_for(_LOOK_S)
            found[name.lower()] = sorted(took_ms for took_ms, _ in application.took)
    pipe.send(found)
    window.close()
    store.close()
    del application


def _let_for(seconds: float) -> None:
    until = time.monotonic() + seconds
    let_until(lambda: time.monotonic() > until)

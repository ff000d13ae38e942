"""How the desk follows a hand over a year of history, and what it costs while nobody touches it."""

from __future__ import annotations

import contextlib
import gc
import multiprocessing
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.errors import RookTallyError
from rook_tally.core.malloc_tuning import FOR_A_WINDOW_MB, keep_freed_memory
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import load_site

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow

_DAYS = 366.0
_MOVES, _PAINTS = 120, 60
_ROUNDS_OF_USE = 12
_PATIENCE_S = 20.0
FRAME_S = 1 / 60
_PAN_S = 10.0
# Of one gesture, before the next: a drag there, a zoom in, a drag back, a zoom out.
_FRAMES_A_GESTURE = 60
# Eight series at 10 s.
_LANES = (
    *(("glaze-dust", name) for name in ("pm1", "pm25", "pm10", "voc", "nox", "sound_level")),
    ("pug-gearbox", "x"),
    ("pug-gearbox", "y"),
)
# The process that reads apart loads what its first questions need: part of the start, not of this.
_IDLE_SETTLE_S, _IDLE_S, _IDLE_RATE = 20.0, 30.0, 5.0
_TICKS_S = os.sysconf("SC_CLK_TCK")


@dataclass
class DeskFigures:
    """Times in ms: drag of the rail to everything shown, full repaints, frames of panning; and
    what the window and its helper hold, MB."""

    drags: list[float] = field(default_factory=list)
    paints: list[float] = field(default_factory=list)
    frames: list[float] = field(default_factory=list)
    memory_mb: float = 0.0


def desk_figures(folder: Path, environment: Mapping[str, str]) -> DeskFigures:
    """Everything measured in one window over a year, in a process that does nothing else."""
    place = folder / "year.db"
    store = open_store(place)
    now_us = time.time_ns() // 1000
    make_demo_site(store, end_us=now_us, days=_DAYS)
    store.close()
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    with environment_of(environment):
        process = context.Process(target=_use_a_window, args=(theirs, place, now_us))
        process.start()
    theirs.close()
    try:
        figures: DeskFigures = ours.recv()
    except EOFError:
        raise RookTallyError("the window ended before it was measured") from None
    finally:
        process.join()
    return figures


@contextlib.contextmanager
def environment_of(wanted: Mapping[str, str]) -> Iterator[None]:
    """The environment that a process started meanwhile gets."""
    before = dict(os.environ)
    os.environ.update(wanted)
    try:
        yield
    finally:
        os.environ.clear()
        os.environ.update(before)


def _use_a_window(pipe: Any, place: Path, now_us: int) -> None:
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.clock import held_clock

    keep_freed_memory(FOR_A_WINDOW_MB)
    store = open_store(place)
    application = QApplication(["rook-tally"])
    window = DeskWindow(store, clock=held_clock(now_us))
    window.resize(1280, 800)
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and bool(window.state.ribbons))
    let_until(lambda: window.rail.model.ribbon is not None)
    # As the desk does once it has settled in.
    gc.collect()
    gc.freeze()
    told = DeskFigures(drags=_drags(window, now_us), paints=_paints(window))
    told.frames = _frames(window)
    for at in range(_ROUNDS_OF_USE):
        _use(window, now_us, at)
    helper = window.client.pid
    told.memory_mb = sum(_memory_mb(pid) for pid in (os.getpid(), helper) if pid is not None)
    pipe.send(told)
    window.close()
    store.close()
    del application


def _drags(window: DeskWindow, now_us: int) -> list[float]:
    """From the rail's move until the Ledger has painted the moment it was moved to."""
    model, state = window.rail.model, window.state
    model.show_all(True)
    let_until(lambda: model.ribbon is not None and model.bounds[0] < now_us - 300 * DAY_US)
    painted: list[None] = []

    def on_painted(_row: int, _column: int) -> None:
        if state.moment_question() is None:
            painted.append(None)

    window.ledger.table.cells.on_painted = on_painted
    spent = []
    for move in range(_MOVES):
        # Back and forth over the year, as a hand does.
        at = (move * 37 % _MOVES) / _MOVES
        began = time.perf_counter()
        model.move_to(round(now_us - DAY_US - HOUR_US - at * 360 * DAY_US))
        painted.clear()
        let_until(lambda: bool(painted))
        spent.append((time.perf_counter() - began) * 1000)
    window.ledger.table.cells.on_painted = None
    model.go_live()
    return spent


def _paints(window: DeskWindow) -> list[float]:
    viewport = window.ledger.table.viewport()
    spent = []
    for _ in range(_PAINTS):
        began = time.perf_counter()
        viewport.repaint()
        spent.append((time.perf_counter() - began) * 1000)
    return spent


def _frames(window: DeskWindow) -> list[float]:
    """Frames of panning and zooming, each from when it was due until it was painted."""
    from PySide6.QtWidgets import QApplication

    known = {(one.station.key, one.field): one for one in window.state.site.series}
    window.open_in_strip([known[name] for name in _LANES])
    window.state.show_last(365 * DAY_US)
    let_until(lambda: bool(window.strip.is_up_to_date))
    plot = window.strip.plots[3]
    spent = []
    began, frame = time.perf_counter(), 0
    while (due := began + frame * FRAME_S) - began < _PAN_S:
        let_until(partial(is_past, due))
        gesture = frame // _FRAMES_A_GESTURE % 4
        if gesture % 2 == 0:
            step = window.state.window.span_us // 80
            plot.dragged.emit(-step if gesture == 0 else step)
        else:
            at_us = plot.moment_at(200 + frame * 7 % 500)
            plot.zoomed.emit(0.93 if gesture == 1 else 1 / 0.93, at_us)
        QApplication.processEvents()
        now = time.perf_counter()
        spent.append((now - due) * 1000)
        # A frame that took longer than its time takes the place of those it missed.
        frame = max(frame + 1, int((now - began) / FRAME_S))
    return spent


def is_past(moment_s: float) -> bool:
    """Whether a moment of `time.perf_counter` is over."""
    return time.perf_counter() >= moment_s


def _use(window: DeskWindow, now_us: int, at: int) -> None:
    """A few minutes' worth of looking around, without the pauses."""
    from rook_tally.desk.app.views import LEDGER, STATIONS, STRIP

    span_us = (HOUR_US, DAY_US, 30 * DAY_US, 365 * DAY_US)[at % 4]
    window.state.show_last(span_us)
    window.show_view(STRIP)
    let_until(lambda: bool(window.strip.is_up_to_date))
    for step in range(20):
        window.strip.plots[0].dragged.emit(-span_us // 25)
        if step % 5 == 0:
            let_until(lambda: bool(window.strip.is_up_to_date))
    window.show_view(LEDGER)
    for step in range(10):
        window.rail.model.move_to(now_us - (at * 29 + step * 3 + 4) * DAY_US)
        let_until(lambda: window.state.moment_question() is None)
    window.show_view(STATIONS)
    let_until(lambda: bool(window.stations.is_up_to_date))
    window.rail.model.go_live()


def _memory_mb(pid: int) -> float:
    """What a process holds that no other one shares with it, and its part of what they share."""
    for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
        if line.startswith("Pss:"):
            return int(line.split()[1]) / 1000
    raise RookTallyError("this kernel does not say what a process holds")


def idle_core_share(folder: Path, environment: Mapping[str, str]) -> float:
    """How much of one core an open desk takes while five readings a second come in."""
    place = folder / "idle.db"
    store = open_store(place)
    make_demo_site(store, end_us=time.time_ns() // 1000, days=7.0)
    with store.read() as connection:
        series = load_site(connection).series
    desk = subprocess.Popen(
        [sys.executable, "-m", "rook_tally", "--store", str(place), "desk", "--no-collect"],
        env=dict(environment),
    )
    spent_s, from_s, number = 0.0, 0.0, 0
    pause = threading.Event()
    began = time.perf_counter()
    try:
        while (passed_s := time.perf_counter() - began) < _IDLE_SETTLE_S + _IDLE_S:
            if passed_s >= _IDLE_SETTLE_S and not from_s:
                from_s, spent_s = passed_s, _cpu_s(desk.pid)
            one = series[number % len(series)]
            with store.write() as connection:
                reading = NewReading(one.id, time.time_ns() // 1000, 20.0, Quality.GOOD)
                append_readings(connection, [reading])
            number += 1
            pause.wait(max(0.0, began + number / _IDLE_RATE - time.perf_counter()))
        share = (_cpu_s(desk.pid) - spent_s) / (time.perf_counter() - began - from_s)
    finally:
        desk.send_signal(signal.SIGTERM)
        desk.wait()
        store.close()
    return share


def _cpu_s(pid: int) -> float:
    """CPU time a process and its children have taken, s."""
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    own = (int(fields[11]) + int(fields[12])) / _TICKS_S
    return own + sum(_cpu_s(int(child)) for child in children)


def let_until(condition: Callable[[], bool]) -> None:
    """Let Qt work, and the other threads, until a condition holds."""
    from PySide6.QtCore import QEventLoop, QTimer

    if condition():
        return
    loop = QEventLoop()
    # What is already on its way is handled before a loop that was told to end returns, and may
    # begin something anew: what counts is that the condition did hold.
    held: list[None] = []

    def look() -> None:
        if condition():
            held.append(None)
            loop.quit()

    timer = QTimer(interval=1)
    timer.timeout.connect(look)
    timer.start()
    # Not `singleShot`: it outlives this call, and then ends a loop that is not the one it was for.
    patience = QTimer(singleShot=True, interval=round(_PATIENCE_S * 1000))
    patience.timeout.connect(loop.quit)
    patience.start()
    loop.exec()
    timer.stop()
    patience.stop()
    if not held:
        raise RookTallyError(f"the window did not come so far within {_PATIENCE_S:g} s")

"""How the desk follows a hand over a year of history: each figure beside the least that has to be
done for it, in the same window's process."""

from __future__ import annotations

import contextlib
import gc
import multiprocessing
import os
import sqlite3
import subprocess
import sys
import time
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.errors import RookTallyError
from rook_tally.core.malloc_tuning import FOR_A_WINDOW_MB, keep_freed_memory
from rook_tally.core.series.page_codec import decode_groups
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings.fortnights import fortnight_of
from rook_tally.store.readings.snapshot_at import DAYS_OF_MOMENT, FORTNIGHTS_OF_MOMENT

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

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
_BARE_WINDOW = """
import sys
import msgspec, numpy, pyqtgraph, sqlalchemy, sqlite3, structlog
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication, QWidget

class Texts(QWidget):
    def paintEvent(self, event):
        painter = QPainter(self)
        for at in range(200):
            painter.drawText(8 + at % 10 * 120, 20 + at // 10 * 36, f"{at / 7:.2f} °C")
        painter.end()
        print("painted", flush=True)

application = QApplication([])
window = Texts()
window.resize(1280, 800)
window.show()
application.exec()
"""
"""A window with the same libraries that writes 200 texts."""


@dataclass
class DeskFigures:
    """Ours and the least of each: the rail dragged to everything shown, against reading and
    decoding the same pages; full repaints of the Ledger and frames of panning eight lanes, against
    the same primitives played back (ms); what the window and its helper hold, against a bare window
    with the same libraries (MB)."""

    drags: list[float] = field(default_factory=list)
    bare_drags: list[float] = field(default_factory=list)
    paints: list[float] = field(default_factory=list)
    bare_paints: list[float] = field(default_factory=list)
    frames: list[float] = field(default_factory=list)
    bare_frames: list[float] = field(default_factory=list)
    memory_mb: float = 0.0
    bare_memory_mb: float = 0.0


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
    figures.bare_memory_mb = _bare_memory_mb(environment)
    return figures


def _bare_memory_mb(environment: Mapping[str, str]) -> float:
    words = [sys.executable, "-c", _BARE_WINDOW]
    with subprocess.Popen(
        words, env=dict(environment), stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout is not None
        process.stdout.readline()
        held = _memory_mb(process.pid)
        process.terminate()
    return held


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
    told = DeskFigures()
    _drags(window, now_us, told, sqlite3.connect(place))
    _paints(window, told)
    _frames(window, told)
    for at in range(_ROUNDS_OF_USE):
        _use(window, now_us, at)
    helper = window.client.pid
    told.memory_mb = sum(_memory_mb(pid) for pid in (os.getpid(), helper) if pid is not None)
    pipe.send(told)
    window.close()
    store.close()
    del application


def _drags(window: DeskWindow, now_us: int, told: DeskFigures, bare: sqlite3.Connection) -> None:
    """From the rail's move until the Ledger has painted the moment it was moved to; and the reading
    and decoding of the pages that say how it was then."""
    model, state = window.rail.model, window.state
    model.show_all(True)
    let_until(lambda: model.ribbon is not None and model.bounds[0] < now_us - 300 * DAY_US)
    painted: list[None] = []

    def on_painted(_row: int, _column: int) -> None:
        if state.moment_question() is None:
            painted.append(None)

    window.ledger.table.cells.on_painted = on_painted
    for move in range(_MOVES):
        # Back and forth over the year, as a hand does.
        at = (move * 37 % _MOVES) / _MOVES
        at_us = round(now_us - DAY_US - HOUR_US - at * 360 * DAY_US)
        began = time.perf_counter()
        model.move_to(at_us)
        painted.clear()
        let_until(lambda: bool(painted))
        told.drags.append((time.perf_counter() - began) * 1000)
        began = time.perf_counter()
        read_and_decode(bare, at_us)
        told.bare_drags.append((time.perf_counter() - began) * 1000)
    window.ledger.table.cells.on_painted = None
    model.go_live()


def read_and_decode(bare: Any, at_us: int) -> None:
    """The pages that say how a site was at a moment, read and taken apart: the least that asking
    for it costs."""
    day_us = at_us // DAY_US * DAY_US
    payloads = []
    before_us = day_us - DAY_US
    fortnights = (fortnight_of(before_us), fortnight_of(day_us))
    for statement, values in (
        (DAYS_OF_MOMENT, (day_us, day_us, before_us, day_us)),
        (FORTNIGHTS_OF_MOMENT, fortnights),
    ):
        for _, _, buckets, payload in bare.execute(statement, values):
            if payload is None:
                zlib.decompress(buckets)
            else:
                payloads.append(payload)
    decode_groups([payloads] if payloads else [])


def _paints(window: DeskWindow, told: DeskFigures) -> None:
    viewport = window.ledger.table.viewport()
    bare = played_back(viewport)
    for _ in range(_PAINTS):
        told.paints.append(repaint_ms(viewport))
        told.bare_paints.append(repaint_ms(bare))
    bare.close()


def repaint_ms(widget: QWidget) -> float:
    """How long a widget takes to paint itself anew, ms."""
    began = time.perf_counter()
    widget.repaint()
    return (time.perf_counter() - began) * 1000


def played_back(*widgets: QWidget) -> QWidget:
    """A bare widget as large as these one below the other, that paints what they do now."""
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtGui import QPainter, QPaintEvent, QPicture
    from PySide6.QtWidgets import QWidget

    picture = QPicture()
    painter = QPainter(picture)
    top = 0
    for one in widgets:
        painter.save()
        one.render(painter, QPoint(0, top))
        painter.restore()
        top += one.height()
    painter.end()

    painted: list[None] = []

    class PlayedBack(QWidget):
        def paintEvent(self, _event: QPaintEvent) -> None:
            painter = QPainter(self)
            painter.drawPicture(0, 0, picture)
            painter.end()
            painted.append(None)

    bare = PlayedBack()
    bare.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
    bare.setFixedSize(widgets[0].width(), top)
    bare.show()
    # Before it is on the screen nothing is painted.
    let_until(lambda: bool(painted))
    return bare


def _frames(window: DeskWindow, told: DeskFigures) -> None:
    """Frames of panning and zooming, each from when it was due until it was painted; and the eight
    lanes played back."""
    from PySide6.QtWidgets import QApplication

    known = {(one.station.key, one.field): one for one in window.state.site.series}
    window.open_in_strip([known[name] for name in _LANES])
    window.state.show_last(365 * DAY_US)
    let_until(lambda: bool(window.strip.is_up_to_date))
    plot = window.strip.plots[3]
    bare = played_back(*window.strip.plots[: len(_LANES)])
    told.bare_frames += [repaint_ms(bare) for _ in range(_PAINTS)]
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
        told.frames.append((now - due) * 1000)
        # A frame that took longer than its time takes the place of those it missed.
        frame = max(frame + 1, int((now - began) / FRAME_S))
    told.bare_frames += [repaint_ms(bare) for _ in range(_PAINTS)]
    bare.close()


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

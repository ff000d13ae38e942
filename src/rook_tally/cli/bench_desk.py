"""How quickly the desk follows a hand: the time rail dragged, the Ledger painted."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.errors import RookTallyError
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store import open_store

if TYPE_CHECKING:
    from rook_tally.desk.shell.window import DeskWindow

_DAYS = 366.0
_MOVES, _PAINTS = 120, 60
_PATIENCE_S = 10.0


def desk_ms(folder: Path, environment: Mapping[str, str]) -> tuple[list[float], list[float]]:
    """Drag to shown over a year, and full repaints of the Ledger, each in ms."""
    os.environ.update(environment)
    # Qt has to be loaded after the screen is known.
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.shell.moment import held_clock
    from rook_tally.desk.shell.window import DeskWindow

    store = open_store(folder / "year.db")
    now_us = time.time_ns() // 1000
    make_demo_site(store, end_us=now_us, days=_DAYS)
    application = QApplication.instance() or QApplication(["rook-tally"])
    window = DeskWindow(store, clock=held_clock(now_us))
    window.resize(1280, 800)
    window.show()
    _let_until(lambda: window.state.is_loaded and window.rail.model.ribbon is not None)
    _let_until(lambda: bool(window.state.ribbons))
    drags = _drags(window, now_us)
    paints = _paints(window)
    window.close()
    store.close()
    del application
    return drags, paints


def _drags(window: DeskWindow, now_us: int) -> list[float]:
    model, state = window.rail.model, window.state
    model.show_all(True)
    _let_until(lambda: model.ribbon is not None and model.bounds[0] < now_us - 300 * DAY_US)
    spent = []
    for move in range(_MOVES):
        # Back and forth over the year, as a hand does.
        at = (move * 37 % _MOVES) / _MOVES
        began = time.perf_counter()
        model.move_to(round(now_us - DAY_US - HOUR_US - at * 360 * DAY_US))
        _let_until(lambda: state.moment_question() is None)
        window.repaint()
        spent.append((time.perf_counter() - began) * 1000)
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


def _let_until(condition: Callable[[], bool]) -> None:
    """Let Qt work, and the other threads, until a condition holds."""
    from PySide6.QtCore import QEventLoop, QTimer

    if condition():
        return
    loop = QEventLoop()
    timer = QTimer(interval=1)
    timer.timeout.connect(lambda: loop.quit() if condition() else None)
    timer.start()
    QTimer.singleShot(round(_PATIENCE_S * 1000), loop.quit)
    loop.exec()
    timer.stop()
    if not condition():
        raise RookTallyError("the window did not come so far within 10 s")

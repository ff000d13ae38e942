"""How long it takes from starting the process to the first painted Ledger."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Mapping
from pathlib import Path

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.clock import now_us
from rook_tally.core.errors import RookTallyError
from rook_tally.store.maintenance import open_store

_ROUNDS = 9
_DAYS = 366.0
_UNCOMPILED = "PYTHONDONTWRITEBYTECODE"

_BARE = """
import sqlite3, sys, time
import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication, QMainWindow, QWidget

store = sqlite3.connect(sys.argv[1])
tables = ("site", "place", "station", "series")
rows = [row for name in tables for row in store.execute("SELECT * FROM " + name)]
day_us = time.time_ns() // 1000 - 86_400_000_000
since = store.execute("SELECT time_us, value FROM reading WHERE time_us > ?", (day_us,)).fetchall()
values = np.array(since)[:, 1]

class Texts(QWidget):
    def paintEvent(self, event):
        painter = QPainter(self)
        for at in range(200):
            painter.drawText(8 + at % 10 * 120, 20 + at // 10 * 36, f"{values[at]:.2f} °C")
        painter.end()
        sys.stdout.write("painted\\n")
        sys.stdout.flush()
        QTimer.singleShot(0, window.close)

application = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.setCentralWidget(Texts())
window.show()
application.exec()
"""
"""A window that reads the rows of the same site and writes 200 texts, with no plot."""


def start_ms(folder: Path, environment: Mapping[str, str]) -> tuple[list[float], list[float]]:
    """Times of our window over a year of the demo and of a bare one, started in turn, ms each."""
    place = folder / "demo.db"
    store = open_store(place)
    make_demo_site(store, end_us=now_us(), days=_DAYS)
    store.close()
    desk = ["-m", "rook_tally", "--store", str(place), "desk", "--no-collect", "--until-painted"]
    ours: list[float] = []
    bare: list[float] = []
    # The first round only warms the disk's cache.
    for at in range(_ROUNDS + 1):
        for words, times in ((desk, ours), (["-c", _BARE, str(place)], bare)):
            spent = until_painted_ms(words, environment)
            if at:
                times.append(spent)
    return ours, bare


def until_painted_ms(words: list[str], environment: Mapping[str, str]) -> float:
    """From starting the program with these words until it says that it has painted."""
    # As on anybody's machine: compiled once, by the first round.
    compiling = {name: told for name, told in environment.items() if name != _UNCOMPILED}
    began = time.perf_counter()
    with subprocess.Popen(
        [sys.executable, *words], env=compiling, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout is not None
        line = process.stdout.readline()
        spent = (time.perf_counter() - began) * 1000
    if line.strip() != "painted":
        raise RookTallyError("a window ended before it was painted")
    return spent

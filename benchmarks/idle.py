"""What an open desk costs while nobody touches it, beside a bare window that follows the same store
and paints one text for each reading: the two at the same time."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Mapping
from pathlib import Path

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.series.readings import Quality
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import Series, load_site

RATES = (1, 5, 50)
# The process that reads apart loads what its first questions need, and twenty seconds after the
# start corrections are proposed, as every six hours: neither is what an idle desk costs.
_SETTLE_S, _FOR_S, _ROUNDS = 40.0, 8.0, 3
_TICKS_S = os.sysconf("SC_CLK_TCK")

_BARE = """
import sqlite3, sys, threading
from PySide6.QtCore import QObject, QRect, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication, QWidget

class Texts(QWidget):
    news = Signal(object)

    def __init__(self):
        super().__init__()
        self.texts = [f"{at / 7:.2f} °C" for at in range(200)]
        self.news.connect(self.take)

    def area(self, at):
        return QRect(8 + at % 10 * 120, 4 + at // 10 * 36, 110, 30)

    def take(self, readings):
        for series_id, value in readings:
            self.texts[series_id % 200] = f"{value:.2f} °C"
            self.update(self.area(series_id % 200))

    def paintEvent(self, event):
        painter = QPainter(self)
        for at in range(200):
            if event.region().intersects(self.area(at)):
                painter.drawText(self.area(at), 0, self.texts[at])
        painter.end()

def follow(pause):
    store = sqlite3.connect(sys.argv[1])
    version, seq = None, store.execute("SELECT max(seq) FROM change").fetchone()[0]
    while not pause.wait(0.025):
        now = store.execute("PRAGMA data_version").fetchone()[0]
        if now == version:
            continue
        version = now
        changed = store.execute(
            "SELECT seq, series_id, to_us FROM change WHERE seq > ? AND to_us IS NOT NULL", (seq,)
        ).fetchall()
        told = []
        for seq, series_id, to_us in changed:
            told += store.execute(
                "SELECT series_id, value FROM reading WHERE series_id = ? AND time_us = ?",
                (series_id, to_us),
            ).fetchall()
        window.news.emit(told)

application = QApplication([])
window = Texts()
window.resize(1280, 800)
window.show()
threading.Thread(target=follow, args=(threading.Event(),), daemon=True).start()
application.exec()
"""


def idle_shares(
    folder: Path, environment: Mapping[str, str]
) -> dict[int, tuple[list[float], list[float]]]:
    """By readings a second that come in: the share of a core that an open desk has, and that a bare
    window has meanwhile."""
    place = folder / "idle.db"
    store = open_store(place)
    make_demo_site(store, end_us=time.time_ns() // 1000, days=7.0)
    with store.read() as connection:
        series = load_site(connection).series
    desk_words = ["-m", "rook_tally", "--store", str(place), "desk", "--no-collect"]
    desk = subprocess.Popen([sys.executable, *desk_words], env=dict(environment))
    bare = subprocess.Popen([sys.executable, "-c", _BARE, str(place)], env=dict(environment))
    found: dict[int, tuple[list[float], list[float]]] = {rate: ([], []) for rate in RATES}
    try:
        _send(store, series, 5, _SETTLE_S)
        for _ in range(_ROUNDS):
            for rate, (ours, theirs) in found.items():
                before = cpu_with_children_s(desk.pid), cpu_with_children_s(bare.pid)
                took_s = _send(store, series, rate, _FOR_S)
                ours.append((cpu_with_children_s(desk.pid) - before[0]) / took_s)
                theirs.append((cpu_with_children_s(bare.pid) - before[1]) / took_s)
    finally:
        for one in (desk, bare):
            one.send_signal(signal.SIGTERM)
            one.wait()
        store.close()
    return found


def _send(store: Store, series: tuple[Series, ...], rate: int, for_s: float) -> float:
    """Write so many readings a second, of one series after the other; how long it took, s."""
    pause, began, number = threading.Event(), time.perf_counter(), 0
    while time.perf_counter() - began < for_s:
        one = series[number % len(series)]
        with store.write() as connection:
            value = 20.0 + number % 50 / 10
            append_readings(
                connection, [NewReading(one.id, time.time_ns() // 1000, value, Quality.GOOD)]
            )
        number += 1
        pause.wait(max(0.0, began + number / rate - time.perf_counter()))
    return time.perf_counter() - began


def cpu_with_children_s(pid: int) -> float:
    """CPU time a process and its children have taken, s."""
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    own = (int(fields[11]) + int(fields[12])) / _TICKS_S
    return own + sum(cpu_with_children_s(int(child)) for child in children)

"""The Ledger of a site with 300 places and 2,100 series: its first picture, and scrolling it."""

from __future__ import annotations

import gc
import json
import subprocess
import sys
import time
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from benchmarks.desk import FRAME_S, is_past, let_until
from benchmarks.start import until_painted_ms
from rook_tally.cli.demo_site import make_demo_site
from rook_tally.clock import now_us
from rook_tally.core.series.readings import readings_from
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_history
from rook_tally.store.site import load_site
from rook_tally.store.site_file.importing import put_content

if TYPE_CHECKING:
    from PySide6.QtWidgets import QTableView

_FLOORS, _ROOMS = 10, 300
_FIELDS = (
    ("temperature", "temperature", "°C"),
    ("humidity", "humidity", "%"),
    ("co2", "co2", "ppm"),
    ("pm25", "pm25", "µg/m³"),
    ("pressure", "pressure", "hPa"),
    ("illuminance", "illuminance", "lx"),
    ("sound", "sound_level", "dB(A)"),
)
_CADENCE_S, _READINGS = 300, 288
_ROUNDS, _STEPS, _SCROLLS = 5, 240, 3
_SERIES_AT_ONCE = 300


@dataclass(frozen=True)
class ManyPlaces:
    """Times in ms: from starting the process to the first picture, of this site and of the demo;
    from making the window to it; a frame of scrolling the Ledger and a bare table as large."""

    starts: list[float]
    demo_starts: list[float]
    pictures: list[float]
    demo_pictures: list[float]
    frames: list[float]
    bare_frames: list[float]


def many_places(folder: Path, environment: Mapping[str, str]) -> ManyPlaces:
    """Everything measured, the demo and the large site in turn."""
    large, demo = folder / "large.db", folder / "demo.db"
    end_us = now_us()
    _make_large(large, end_us)
    with open_store(demo) as store:
        make_demo_site(store, end_us=end_us, days=1.0)
    starts: dict[Path, list[float]] = {large: [], demo: []}
    pictures: dict[Path, list[float]] = {large: [], demo: []}
    for at in range(_ROUNDS + 1):
        for place in (large, demo):
            words = ["-m", "rook_tally", "--store", str(place), "desk"]
            start = until_painted_ms([*words, "--no-collect", "--until-painted"], environment)
            picture = _in_a_window("picture", place, end_us, environment)
            # The first round only warms the disk's cache.
            if at:
                starts[place].append(start)
                pictures[place] += picture
    both = _in_a_window("scroll", large, end_us, environment)
    half = len(both) // 2
    return ManyPlaces(
        starts[large], starts[demo], pictures[large], pictures[demo], both[:half], both[half:]
    )


def _make_large(place: Path, end_us: int) -> None:
    lines = ["format = 1", "[site]", 'name = "Large"', 'zone = "Europe/London"']
    lines += [f'[[place]]\nname = "Floor {at}"' for at in range(_FLOORS)]
    lines += [f'[[place]]\nname = "Room {at}"\nin = "Floor {at % _FLOORS}"' for at in range(_ROOMS)]
    for at in range(_ROOMS):
        lines.append(f'[[station]]\nkey = "s{at}"\nplace = "Room {at}"\nkind = "plain"')
        lines.append(f'every = "{_CADENCE_S} s"')
        lines += [
            f'[[station.field]]\nname = "{name}"\nquantity = "{quantity}"\nunit = "{unit}"'
            for name, quantity, unit in _FIELDS
        ]
    with open_store(place) as store:
        with store.write() as connection:
            put_content(connection, site_from_toml("\n".join(lines)), who="bench", now_us=end_us)
        _tell_a_day(store, end_us)


def _tell_a_day(store: Store, end_us: int) -> None:
    with store.read() as connection:
        series = [one for one in load_site(connection).series if not one.station.is_worked_out]
    by_chance = np.random.default_rng(1)
    moments = end_us - np.arange(_READINGS, 0, -1) * _CADENCE_S * SECOND_US
    for begin in range(0, len(series), _SERIES_AT_ONCE):
        with store.write() as connection:
            for one in series[begin : begin + _SERIES_AT_ONCE]:
                low, high = one.quantity.believable
                middle = min(max(20.0, low), high)
                steps = by_chance.normal(0, 0.01, _READINGS).cumsum()
                told = readings_from(moments, np.round(middle + steps, 2))
                append_history(connection, one.id, told)


def _in_a_window(what: str, place: Path, at_us: int, environment: Mapping[str, str]) -> list[float]:
    """Times of a window in a process of its own, ms."""
    words = [sys.executable, "-m", "benchmarks.many_places", what, str(place), str(at_us)]
    done = subprocess.run(words, env=dict(environment), capture_output=True, text=True, check=True)
    found: list[float] = json.loads(done.stdout.splitlines()[-1])
    return found


def main() -> None:
    """Measure in this process what the first word says, and print the times."""
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.clock import held_clock

    what, place, at_us = sys.argv[1:]
    application = QApplication(["rook-tally"])
    store = open_store(place)
    began = time.perf_counter()
    window = DeskWindow(store, clock=held_clock(int(at_us)))
    window.resize(1280, 800)
    model, painted = window.ledger.model, list[float]()

    def on_painted(row: int, column: int) -> None:
        if not painted and model.cell(row, column) is not None:
            painted.append((time.perf_counter() - began) * 1000)

    window.ledger.table.cells.on_painted = on_painted
    window.show()
    let_until(lambda: bool(painted))
    window.ledger.table.cells.on_painted = None
    told = painted
    if what == "scroll":
        let_until(lambda: window.state.ribbons.keys() >= window.state.latest.keys())
        # As the desk does once it has settled in.
        gc.collect()
        gc.freeze()
        table = window.ledger.table
        bare = _bare_table(len(model.rows), model.column_count + 1)
        bare.resize(table.size())
        bare.verticalHeader().setDefaultSectionSize(table.rowHeight(1))
        bare.show()
        ours: list[float] = []
        beside: list[float] = []
        for _ in range(_SCROLLS):
            ours += _frames(table)
            beside += _frames(bare)
        told = ours + beside
    sys.stdout.write(json.dumps(told) + "\n")
    window.close()
    store.close()
    del application


def _bare_table(rows: int, columns: int) -> QTableView:
    """A table of as many cells, each with a figure, drawn by Qt alone."""
    from PySide6.QtGui import QStandardItem, QStandardItemModel
    from PySide6.QtWidgets import QTableView

    model = QStandardItemModel(rows, columns)
    for row in range(rows):
        for column in range(columns):
            model.setItem(row, column, QStandardItem("21.4"))
    table = QTableView()
    table.setModel(model)
    model.setParent(table)
    table.setVerticalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
    return table


def _frames(table: QTableView) -> list[float]:
    """From the first row to the last in four seconds, sixty steps a second, each until it is
    painted, ms."""
    from PySide6.QtWidgets import QApplication

    bar = table.verticalScrollBar()
    spent: list[float] = []
    due = time.perf_counter()
    for at in np.linspace(0, bar.maximum(), _STEPS).astype(int).tolist():
        let_until(partial(is_past, due))
        bar.setValue(at)
        QApplication.processEvents()
        now = time.perf_counter()
        spent.append((now - due) * 1000)
        due = max(due + FRAME_S, now)
    return spent


if __name__ == "__main__":
    main()

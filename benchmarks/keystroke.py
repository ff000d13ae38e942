"""How soon a formula's new picture is there while somebody edits it."""

from __future__ import annotations

import gc
import multiprocessing
import time
from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import Any

from benchmarks.archive import temperature_like
from benchmarks.desk import environment_of, let_until
from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, history_of
from rook_tally.store.site import add_series, add_station, load_site

_DAYS = 30
_KEYSTROKES = 40
_PATIENCE_S = 20.0


def keystroke_ms(folder: Path, environment: Mapping[str, str]) -> list[float]:
    """From a formula changed in the editor to the chart painted with it, each; over thirty days of
    two series at 10 s."""
    place = folder / "keystroke.db"
    end_us = _make(place)
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    with environment_of(environment):
        process = context.Process(target=_edit, args=(theirs, place, end_us))
        process.start()
    theirs.close()
    try:
        times: list[float] = ours.recv()
    except EOFError:
        raise RookTallyError("the window ended before it was measured") from None
    finally:
        process.join()
    return times


def _make(place: Path) -> int:
    store = open_store(place)
    end_us = 0
    with store.write() as connection:
        add_station(connection, "wall", place="Shop", kind=PLAIN, cadence_s=10.0)
        (station,) = load_site(connection).stations
        for seed, slug in enumerate(("temperature", "humidity"), start=1):
            quantity = QUANTITIES[slug]
            series = add_series(
                connection, station, field=slug, quantity=quantity, unit=quantity.base.symbol
            )
            month = temperature_like(_DAYS, 10, seed)
            end_us = int(month.time_us[-1])
            append_sealed(connection, history_of(series, month, before_us=end_us + DAY_US))
    store.close()
    return end_us


def _edit(pipe: Any, place: Path, end_us: int) -> None:
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.views import WORKINGS
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.clock import held_clock
    from rook_tally.desk.workings.rows import WorkingKind

    store = open_store(place)
    application = QApplication(["rook-tally"])
    window = DeskWindow(store, clock=held_clock(end_us))
    window.resize(1280, 800)
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and window.state.is_loaded)
    window.state.show_last(_DAYS * DAY_US)
    window.show_view(WORKINGS)
    view = window.workings
    let_until(lambda: view.model.listing is not None)
    view.offers_page.own[WorkingKind.FORMULA].click()
    gc.collect()
    gc.freeze()
    times = []
    for at in range(_KEYSTROKES + 3):
        formula = f"dew_point(temperature@shop + {at / 10:.1f} K, humidity@shop)"
        began = time.perf_counter()
        view.formula_page.edit.setPlainText(formula)
        let_until(partial(_is_drawn, view, formula))
        view.formula_page.chart.repaint()
        QApplication.processEvents()
        times.append(1000 * (time.perf_counter() - began))
    pipe.send(times[3:])
    window.close()
    store.close()
    del application


def _is_drawn(view: Any, formula: str) -> bool:
    preview = view.model.formula
    return preview is not None and preview.formula == formula and preview.envelope is not None

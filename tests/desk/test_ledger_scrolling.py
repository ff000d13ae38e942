"""Scrolling a Ledger that is longer than its window: what was moved there looks as if painted."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.store.base import Store
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk

PATIENCE_MS = 20_000
ROOMS = 60


@pytest.fixture
def window(qtbot: QtBot, store: Store, open_desk: OpenDesk) -> DeskWindow:
    for room in range(ROOMS):
        one = begin_series(store, key=f"r{room}", place=f"Room {room}")
        append(store, one, *((NOON_US - back * MINUTE_US, 20.0 + back) for back in range(3)))
    opened = open_desk(held_clock(NOON_US))
    qtbot.waitUntil(
        lambda: opened.state.ribbons.keys() >= opened.state.latest.keys(), timeout=PATIENCE_MS
    )
    return opened


def _sketches(window: DeskWindow) -> int:
    """How many of the rows in sight are."""
    table = window.ledger.table
    kept = (table.cells._kept.get(row) for row in table._visible_rows())
    return sum(one.is_sketch for one in kept if one is not None)


def test_rows_that_come_into_sight_are_finished_when_the_hand_rests(
    qtbot: QtBot, window: DeskWindow
) -> None:
    table = window.ledger.table
    bar = table.verticalScrollBar()
    assert bar.maximum() > 10 * 48
    for at in (*range(0, 900, 60), *range(900, 300, -130)):
        bar.setValue(at)
        QApplication.processEvents()
    assert _sketches(window) > 0
    qtbot.waitUntil(lambda: not table._ahead.isActive(), timeout=PATIENCE_MS)
    assert _sketches(window) == 0
    QApplication.processEvents()
    # As Qt holds it on the screen: partly moved there, partly painted at several times.
    moved = table.viewport().screen().grabWindow(window.winId()).toImage()
    table.cells.forget()
    for part in (table.viewport(), table.verticalHeader().viewport()):
        part.repaint()
    painted = table.viewport().screen().grabWindow(window.winId()).toImage()
    assert moved.size() == painted.size()
    assert moved == painted


def test_on_a_screen_of_any_height_the_inking_ends(qtbot: QtBot, window: DeskWindow) -> None:
    window.resize(1280, 2_400)
    table = window.ledger.table
    table.cells.most_rows = 3
    bar = table.verticalScrollBar()
    bar.setValue(bar.maximum() // 2)
    QApplication.processEvents()
    qtbot.waitUntil(lambda: not table._ahead.isActive(), timeout=PATIENCE_MS)
    assert _sketches(window) == 0


def test_a_row_is_finished_in_all_its_columns(window: DeskWindow) -> None:
    cells, spans = window.ledger.table.cells, ((0, 110),)
    model = window.ledger.model
    row = next(at for at in range(len(model.rows)) if model.has_cell(at, 0))
    cells.forget()
    cells.ink([(row, 48)], [0], spans, 1.0, sketches=True)
    sketch = cells._kept[row].picture.toImage()
    # Its only column is out of sight while it is finished.
    cells.ink([(row, 48)], [], spans, 1.0)
    finished = cells._kept[row].picture.toImage()
    assert finished != sketch
    cells.forget()
    cells.ink([(row, 48)], [0], spans, 1.0)
    assert cells._kept[row].picture.toImage() == finished


def test_a_jump_shows_the_figures_at_once(qtbot: QtBot, window: DeskWindow) -> None:
    table = window.ledger.table
    painted: list[tuple[int, int]] = []
    table.cells.on_painted = lambda row, column: painted.append((row, column))
    table.verticalScrollBar().setValue(table.verticalScrollBar().maximum())
    QApplication.processEvents()
    last = max(row for row in range(len(window.ledger.model.rows)) if table.cells._kept.get(row))
    assert last in {row for row, _ in painted}

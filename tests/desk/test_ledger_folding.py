"""A floor of the Ledger folds to the worst of its rooms."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow
from rook_tally.store.base import Store
from rook_tally.store.site.places import make_place, nest_place
from tests.builders import append, begin_series
from tests.desk.conftest import OpenDesk

PATIENCE_MS = 30_000


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    at = now_us() - 5 * SECOND_US
    for key, place, co2 in (("a", "Shop", 600.0), ("b", "Booth", 1500.0), ("c", "Yard", 450.0)):
        append(store, begin_series(store, "co2", key=key, place=place), (at, co2))
    with store.write() as connection:
        make_place(connection, "Ground floor")
        nest_place(connection, "Shop", "Ground floor")
        nest_place(connection, "Booth", "Ground floor")
    shown = open_desk()
    qtbot.waitUntil(lambda: bool(shown.ledger.model.columns), timeout=PATIENCE_MS)
    return shown


def _names(window: DeskWindow) -> list[str]:
    return [
        one.title if isinstance(one, GroupRow) else one.place.name
        for one in window.ledger.model.rows
        if isinstance(one, GroupRow | PlaceRow)
    ]


def test_a_floor_folds_to_its_worst_and_follows_what_comes(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    model, table = window.ledger.model, window.ledger.table
    assert _names(window) == ["Ground floor", "Shop", "Booth", "Indoors", "Yard"]
    heads = table.verticalHeader()
    middle = QPoint(20, heads.sectionViewportPosition(0) + heads.sectionSize(0) // 2)
    QTest.mouseClick(heads.viewport(), Qt.MouseButton.LeftButton, pos=middle)
    assert _names(window) == ["Ground floor", "Indoors", "Yard"]
    cell, head = model.cell(0, 0), model.head(0)
    assert cell is not None and head is not None
    assert (cell.text, head.name) == ("1\u2009500", "▸ Ground floor")
    # Another room is the worst now; both are still the floor's.
    series = next(one for one in window.state.site.series if one.station.key == "a")
    append(store, series, (now_us(), 2500.0))
    qtbot.waitUntil(lambda: "2\u2009500" in _text(window), timeout=PATIENCE_MS)
    assert {one.station.key for one in model.series_at(0, 0)} == {"a", "b"}
    window.ledger.pick(0, 0)
    QTest.keyClick(window.ledger, Qt.Key.Key_F)
    assert _names(window) == ["Ground floor", "Shop", "Booth", "Indoors", "Yard"]
    window.undo.undo()
    assert _names(window) == ["Ground floor", "Indoors", "Yard"]


def _text(window: DeskWindow) -> str:
    cell = window.ledger.model.cell(0, 0)
    return "" if cell is None else cell.text

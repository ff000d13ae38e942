"""The Ledger arranged by a person: order, hiding, moving, units, several stations a place."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.levels import Limits
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.settings import DeskSettings, LedgerOrder, ThemeChoice
from rook_tally.desk.ledger.actions import LedgerAction
from rook_tally.desk.ledger.ordering import in_given_order, moved
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow
from rook_tally.desk.ledger.table import NARROWEST_COLUMN
from rook_tally.desk.ledger.table_heads import HEAD_WIDTH, WIDEST_HEAD
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
HOT = Limits(above=(20, 25, 30, 40))


@pytest.fixture
def window(qtbot: QtBot, store: Store, open_desk: OpenDesk) -> DeskWindow:
    """Three rooms, the last one hot; two stations tell the Shop's temperature."""
    for key, place, value in (
        ("wall", "Throwing room", 19.0),
        ("till", "Shop", 21.5),
        ("shelf", "Shop", 22.5),
        ("beam", "Drying loft", 33.0),
    ):
        append(store, begin_series(store, key=key, place=place, limits=HOT), (NOON_US - 9, value))
    append(store, begin_series(store, "co2"), (NOON_US - 9, 640.0))
    opened = open_desk(held_clock(NOON_US))
    qtbot.waitUntil(lambda: opened.ledger.panel.account is not None, timeout=PATIENCE_MS)
    return opened


def places(window: DeskWindow) -> list[str]:
    return [row.place.name for row in window.ledger.model.rows if isinstance(row, PlaceRow)]


def press(window: DeskWindow, key: Qt.Key, with_keys: Qt.KeyboardModifier | None = None) -> None:
    QTest.keyClick(window.ledger.table, key, with_keys or Qt.KeyboardModifier.NoModifier)


def test_worst_first_and_back(window: DeskWindow) -> None:
    assert places(window) == ["Throwing room", "Shop", "Drying loft"]
    press(window, Qt.Key.Key_S)
    assert places(window) == ["Drying loft", "Shop", "Throwing room"]
    first = window.ledger.model.rows[0]
    assert isinstance(first, GroupRow)
    assert first.title == "Worst first"
    press(window, Qt.Key.Key_S)
    assert places(window) == ["Throwing room", "Shop", "Drying loft"]


def test_worst_first_follows_what_comes_in(qtbot: QtBot, store: Store, window: DeskWindow) -> None:
    press(window, Qt.Key.Key_S)
    wall = next(one for one in window.state.site.series if one.station.key == "wall")
    append(store, wall, (NOON_US - 1, 45.0))
    qtbot.waitUntil(lambda: places(window)[0] == "Throwing room", timeout=PATIENCE_MS)


def test_places_and_quantities_are_moved_and_hidden(window: DeskWindow) -> None:
    window.ledger.pick_place(window.state.site.places[1])
    press(window, Qt.Key.Key_Up, CONTROL)
    assert places(window) == ["Shop", "Throwing room", "Drying loft"]
    press(window, Qt.Key.Key_H)
    assert places(window) == ["Throwing room", "Drying loft"]
    assert "Shop is hidden" in window.teller.text()
    window.ledger.pick_place(window.state.site.places[0])
    press(window, Qt.Key.Key_Right, CONTROL)
    assert [one.slug for one in window.ledger.model.columns] == ["co2", "temperature"]
    press(window, Qt.Key.Key_H, SHIFT)
    assert len(window.ledger.model.columns) == 1
    press(window, Qt.Key.Key_H, CONTROL)
    assert places(window) == ["Shop", "Throwing room", "Drying loft"]
    assert len(window.ledger.model.columns) == 2


def test_the_next_station_of_a_place(window: DeskWindow) -> None:
    window.ledger.pick_place(window.state.site.places[1])
    row, column = window.ledger.table.currentIndex().row(), 0
    model = window.ledger.model
    told = model.cell(row, column)
    assert told is not None
    assert (told.text, told.others) == ("21.5", 1)
    press(window, Qt.Key.Key_X)
    told = model.cell(row, column)
    assert told is not None
    assert told.text == "22.5"
    press(window, Qt.Key.Key_X)
    assert model.series_at(row, column)[0].station.key == "till"


def test_a_unit_is_switched_in_place_everywhere_and_undone(
    qtbot: QtBot, window: DeskWindow
) -> None:
    table, model = window.ledger.table, window.ledger.model
    window.ledger.pick_place(window.state.site.places[0])
    head = window.ledger.table.quantity_head
    at = QPoint(head.sectionViewportPosition(0) + 40, head.height() - 8)
    QTest.mouseClick(head.viewport(), Qt.MouseButton.LeftButton, pos=at)
    row = table.currentIndex().row()

    def text() -> str:
        cell = model.cell(row, 0)
        return "" if cell is None else cell.text

    qtbot.waitUntil(lambda: text() == "66.2", timeout=PATIENCE_MS)
    assert model.shown_as(model.columns[0]).symbol == "°F"
    summaries = {model.summary_text(at, 0) for at in range(len(model.rows))}
    assert "91.4" in summaries
    window.open_in_strip(list(window.state.site.series[:1]))
    assert (window.strip.model.head(0).values, window.strip.model.head(0).unit) == ("66.2", "°F")
    window.undo.undo()
    assert window.strip.model.lanes == []
    window.undo.undo()
    qtbot.waitUntil(lambda: text() == "19.0", timeout=PATIENCE_MS)
    window.ledger.show_in_next_unit(1)
    qtbot.waitUntil(lambda: "CO₂" in window.teller.text(), timeout=PATIENCE_MS)


def test_hiding_moving_and_ordering_are_taken_back_in_turn(window: DeskWindow) -> None:
    before = window.ledger.model.arrangement
    press(window, Qt.Key.Key_S)
    window.ledger.pick_place(window.state.site.places[1])
    press(window, Qt.Key.Key_H)
    hidden = window.ledger.model.arrangement
    window.undo.undo()
    assert "hidden" in window.teller.text()
    assert window.ledger.model.arrangement.hidden_places == ()
    window.undo.undo()
    assert window.ledger.model.arrangement == before
    window.undo.redo()
    window.undo.redo()
    assert window.ledger.model.arrangement == hidden


def test_where_a_person_has_scrolled_to_stays_when_something_arrives(
    window: DeskWindow, qtbot: QtBot
) -> None:
    window.resize(1024, 640)
    table = window.ledger.table
    bar = table.horizontalScrollBar()
    table.setColumnWidth(0, 3000)
    qtbot.waitUntil(lambda: bar.maximum() > 0, timeout=PATIENCE_MS)
    bar.setValue(bar.maximum())
    place = bar.value()
    assert place > 0
    window.ledger._on_laid_out()
    assert bar.value() == place


def test_the_menu_acts_on_the_cell_under_the_pointer(window: DeskWindow) -> None:
    table, model = window.ledger.table, window.ledger.model
    window.ledger.pick_place(window.state.site.places[0])
    cells = [
        (row, column) for row in range(len(model.rows)) for column in range(len(model.columns))
    ]
    full = next(
        one for one in cells if model.has_cell(*one) and one[0] != table.currentIndex().row()
    )
    empty = next(one for one in cells if not model.has_cell(*one))

    def menu_at(row: int, column: int) -> list[str]:
        spot = table.visualRect(table.model().index(row, column)).center()
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, spot, table.mapToGlobal(spot))
        table.contextMenuEvent(event)
        menu = next(one for one in table.findChildren(QMenu) if one.isVisible())
        words = [one.text() for one in menu.actions()]
        menu.close()
        menu.setParent(None)
        return words

    assert len(menu_at(*full)) == len(LedgerAction)
    assert (table.currentIndex().row(), table.currentIndex().column()) == full
    assert not any("Hide" in one or "Correct" in one for one in menu_at(*empty))
    assert (table.currentIndex().row(), table.currentIndex().column()) == full


def test_the_arrangement_is_kept_with_the_settings(window: DeskWindow, open_desk: OpenDesk) -> None:
    press(window, Qt.Key.Key_S)
    window.ledger.pick_place(window.state.site.places[2])
    press(window, Qt.Key.Key_H)
    kept = window.arrangement.settings(ThemeChoice.LIGHT)
    assert kept.ledger.order is LedgerOrder.WORST_FIRST
    again = open_desk(held_clock(NOON_US))
    again.arrangement.restore(kept)
    assert places(again) == ["Shop", "Throwing room"]
    again.arrangement.restore(DeskSettings())
    assert len(places(again)) == 3


def test_given_orders() -> None:
    assert in_given_order("abcd", "abcd", ("d", "b")) == ["d", "b", "a", "c"]
    assert moved(("a", "b", "c"), "b", -1) == ("b", "a", "c")
    assert moved(("a", "b", "c"), "a", -1) == ("a", "b", "c")
    assert moved(("a", "b", "c"), "b", 9) == ("a", "c", "b")


def test_long_names_stand_whole_where_there_is_room(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    """Rooms of one beginning are told apart by its end; columns keep what they need."""
    quantities = ("temperature", "humidity", "co2", "pm25", "pressure", "illuminance")
    for shelf in (1, 2):
        place = f"The drying room behind the kiln, shelf {shelf}"
        for one in quantities:
            series = begin_series(store, one, key=f"shelf-{shelf}", place=place)
            append(store, series, (NOON_US - 9, 20.0))
    window = open_desk(held_clock(NOON_US))
    table = window.ledger.table
    heads = table.verticalHeader()
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: heads.width() == WIDEST_HEAD, timeout=PATIENCE_MS)
    assert table.columnWidth(0) >= NARROWEST_COLUMN
    window.resize(1024, 800)
    qtbot.waitUntil(lambda: heads.width() == HEAD_WIDTH, timeout=PATIENCE_MS)
    assert table.columnWidth(0) >= NARROWEST_COLUMN

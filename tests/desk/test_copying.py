"""Ctrl+C in lists and tables, and the menu that offers it."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
)
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.app.views import WATCH, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.store.alarms import save_watch
from rook_tally.store.base import Store
from rook_tally.store.workings import save_working
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS


def _copied(qtbot: QtBot, view: QAbstractItemView) -> str:
    QGuiApplication.clipboard().setText("")
    with qtbot.waitExposed(view):
        view.show()
    view.activateWindow()
    qtbot.waitUntil(view.isActiveWindow, timeout=PATIENCE_MS)
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    return str(QGuiApplication.clipboard().text())


def test_rows_of_a_table_have_their_columns_apart(qtbot: QtBot) -> None:
    table = QTableWidget(3, 2)
    qtbot.addWidget(table)
    for row in range(3):
        table.setItem(row, 0, QTableWidgetItem(f"field {row}"))
    table.setItem(1, 1, QTableWidgetItem("21.5"))
    let_copy(table)
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.selectRow(1)
    assert _copied(qtbot, table) == "field 1\t21.5"
    table.selectAll()
    assert _copied(qtbot, table) == "field 0\t\nfield 1\t21.5\nfield 2\t"
    assert table.contextMenuPolicy() is Qt.ContextMenuPolicy.ActionsContextMenu
    assert [one.text() for one in table.actions()] == ["Copy"]


def test_a_list_that_draws_itself_says_what_it_says_aloud(qtbot: QtBot) -> None:
    lines = QListWidget()
    qtbot.addWidget(lines)
    item = QListWidgetItem("rang", lines)
    item.setData(Qt.ItemDataRole.AccessibleTextRole, "Glaze dust rang at Glaze booth")
    let_copy(lines, with_menu=False)
    lines.setCurrentRow(0)
    assert _copied(qtbot, lines) == "Glaze dust rang at Glaze booth"


@pytest.fixture
def window(store: Store, open_desk: OpenDesk) -> DeskWindow:
    append(store, begin_series(store), (NOON_US, 20.0))
    scope = Scope(quantity="temperature", place="Throwing room")
    with store.write() as connection:
        save_working(
            connection, Working(slug="twice", name="Twice", formula="temperature@throwing-room")
        )
        save_watch(
            connection,
            Watch(slug="hot", name="Hot", sort=WatchKind.ABOVE, scope=scope, limit=30.0),
            now_us=NOON_US,
        )
    return open_desk()


@pytest.mark.parametrize("at", [WATCH, WORKINGS])
def test_f2_lets_a_name_be_typed_over(window: DeskWindow, qtbot: QtBot, at: int) -> None:
    window.show_view(at)
    view = window.watch if at == WATCH else window.workings
    qtbot.waitUntil(
        lambda: view.is_up_to_date and view.list.model().rowCount() > 0, timeout=PATIENCE_MS
    )
    if at == WORKINGS:
        QTest.keyClick(view.list, Qt.Key.Key_Down)
    view.list.setFocus()
    QTest.keyClick(view.list, Qt.Key.Key_F2)
    name = view.name if at == WATCH else view.formula_page.head.name
    qtbot.waitUntil(name.hasFocus, timeout=PATIENCE_MS)
    assert name.selectedText() == name.text()


def _menu_of(view: QAbstractItemView) -> dict[str, QAction]:
    """What a right click in a list offers, by its words."""
    view.customContextMenuRequested.emit(view.rect().center())
    menu = next(one for one in view.findChildren(QMenu) if one.isVisible())
    return {one.text(): one for one in menu.actions() if one.text()}


def test_a_right_click_offers_what_buttons_do_with_the_row(qtbot: QtBot) -> None:
    lines, pressed = QListWidget(), list[str]()
    qtbot.addWidget(lines)
    lines.addItems(["school", "shed"])
    alter, remove, hidden = QPushButton("Change…"), QPushButton("Delete"), QPushButton("More")
    for name, button in (("Change…", alter), ("Delete", remove), ("More", hidden)):
        button.setParent(lines)
        button.clicked.connect(lambda _=False, name=name: pressed.append(name))
    hidden.hide()
    offer_buttons(lines, alter, hidden, remove=remove)
    with qtbot.waitExposed(lines):
        lines.show()
    alter.setEnabled(False)
    offered = _menu_of(lines)
    assert {name: one.isEnabled() for name, one in offered.items()} == {
        "Change…": False,
        "Delete": True,
        "Copy": True,
    }
    offered["Delete"].trigger()
    lines.setFocus()
    QTest.keyClick(lines, Qt.Key.Key_Delete)
    remove.setEnabled(False)
    QTest.keyClick(lines, Qt.Key.Key_Delete)
    assert pressed == ["Delete", "Delete"]


def test_every_list_of_the_dialogs_has_its_menu(window: DeskWindow, qtbot: QtBot) -> None:
    dialogs = window.dialogs
    for show in (
        dialogs.show_alarms,
        dialogs.show_changes,
        dialogs.show_guidelines,
        dialogs.show_access_keys,
        dialogs.show_leaves,
        dialogs.show_in_reach,
    ):
        show()
        (dialog,) = dialogs.open
        lists = [*dialog.findChildren(QListWidget), *dialog.findChildren(QTableWidget)]
        assert lists
        for view in lists:
            assert "Copy" in _menu_of(view), dialog
        dialog.reject()
        qtbot.waitUntil(lambda: not dialogs.open, timeout=PATIENCE_MS)

"""Keys and menus of the Stations view: of the fleet, and of the picked field."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QMenu
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.desk.app.views import STATIONS, STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.dialogs.limits import LimitsDialog
from rook_tally.desk.dialogs.readings import ReadingsTable
from rook_tally.desk.stations.actions import StationsAction
from rook_tally.desk.stations.field_dialog import FieldDialog
from rook_tally.desk.stations.new_station import NewStationDialog
from rook_tally.desk.stations.notes_dialog import NotesDialog
from rook_tally.desk.stations.settings_dialog import StationSettingsDialog
from rook_tally.store.base import Store
from tests.builders import append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    at_us = now_us()
    append(store, begin_series(store), (at_us - 60_000_000, 20.0))
    append(store, begin_series(store, "humidity"), (at_us - 60_000_000, 50.0))
    made = open_desk()
    made.show_view(STATIONS)
    fields = made.stations.page.fields
    qtbot.waitUntil(lambda: fields.rowCount() == 2, timeout=PATIENCE_MS)
    fields.setCurrentCell(1, 0)
    fields.setFocus()
    return made


@pytest.mark.parametrize(
    ("key", "how", "dialog"),
    [
        (Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier, NewStationDialog),
        (Qt.Key.Key_S, Qt.KeyboardModifier.NoModifier, StationSettingsDialog),
        (Qt.Key.Key_N, Qt.KeyboardModifier.NoModifier, NotesDialog),
        (Qt.Key.Key_D, Qt.KeyboardModifier.NoModifier, FieldDialog),
        (Qt.Key.Key_L, Qt.KeyboardModifier.NoModifier, LimitsDialog),
        (Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier, ReadingsTable),
    ],
)
def test_a_key_opens_what_it_says(
    window: DeskWindow, qtbot: QtBot, key: Qt.Key, how: Qt.KeyboardModifier, dialog: type[QDialog]
) -> None:
    QTest.keyClick(window.stations.page.fields, key, how)
    shown = opened(qtbot, window, dialog)
    if dialog in (FieldDialog, LimitsDialog, ReadingsTable):
        assert any(word in shown.windowTitle() for word in ("Humidity", "humidity", "wall"))
    shown.reject()


def test_enter_shows_the_picked_field_in_the_strip(window: DeskWindow) -> None:
    QTest.keyClick(window.stations.page.fields, Qt.Key.Key_Return)
    assert window.view == STRIP
    assert [one.quantity.slug for one in window.strip.model.series] == ["humidity"]


def test_the_menu_of_a_field_acts_on_the_one_under_the_mouse(
    window: DeskWindow, qtbot: QtBot
) -> None:
    page = window.stations.page
    item = page.fields.item(0, 1)
    assert item is not None
    at = page.fields.visualItemRect(item).center()
    page.fields.customContextMenuRequested.emit(at)
    menu = next(one for one in page.findChildren(QMenu) if one.isVisible())
    assert page.picked_field == 0
    words = [one.text() for one in menu.actions()]
    assert words[:2] == ["Field… (D)", "Limits… (L)"]
    assert words[-1] == "Copy"
    menu.actions()[1].trigger()
    menu.close()
    shown = opened(qtbot, window, LimitsDialog)
    qtbot.waitUntil(shown.isEnabled, timeout=PATIENCE_MS)
    assert "Temperature" in shown.windowTitle()
    shown.discard()


def test_every_action_can_be_found(window: DeskWindow) -> None:
    words = {one.words for one in window.commands}
    assert all(one.words in words for one in StationsAction)

"""What becomes of stations, in the window: renamed, moved from a moment on, replaced, put away."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.core.series.readings import readings_from
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.stations.put_away_dialog import PutAwayDialog
from rook_tally.desk.stations.settings_dialog import StationSettingsDialog
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history
from rook_tally.store.site import Site, load_site
from tests.builders import MINUTE_US, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened, press

PATIENCE_MS = 30_000


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    series = begin_series(store)
    at = now_us()
    with store.write() as connection:
        told = readings_from([at - 90 * MINUTE_US, at - 5 * MINUTE_US], [20.0, 5.0])
        append_history(connection, series.id, told)
    shown = open_desk()
    shown.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(shown.stations.fleet.rows), timeout=PATIENCE_MS)
    return shown


def _site(store: Store) -> Site:
    with store.read() as connection:
        return load_site(connection)


def _keys(window: DeskWindow) -> list[str]:
    return [one.station.key for one in window.stations.fleet.rows]


def _back(window: DeskWindow, qtbot: QtBot) -> None:
    """The dialog is closed: keys go to the window again."""
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)


def _undo(window: DeskWindow, qtbot: QtBot) -> None:
    _back(window, qtbot)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_renamed_with_f2_and_put_back_with_ctrl_z(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    old = _keys(window)[0]
    window.stations.list.setFocus()
    QTest.keyClick(window.stations.list, Qt.Key.Key_F2)
    form = opened(qtbot, window, ValueDialog)
    form.field.setText("no key at all")
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: "cannot be a station's key" in form.problem.text(), timeout=PATIENCE_MS)
    form.field.setText("loft-node")
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: _keys(window) == ["loft-node"], timeout=PATIENCE_MS)
    assert old in _site(store).aliases
    _undo(window, qtbot)
    qtbot.waitUntil(lambda: _keys(window) == [old], timeout=PATIENCE_MS)
    assert not _site(store).aliases


def test_moved_from_an_hour_ago_on_and_back(window: DeskWindow, store: Store, qtbot: QtBot) -> None:
    key, before = _keys(window)[0], _site(store)
    QTest.mouseClick(window.stations.page.settings, Qt.MouseButton.LeftButton)
    form = opened(qtbot, window, StationSettingsDialog)
    qtbot.waitUntil(form.isEnabled, timeout=PATIENCE_MS)
    form.place.setEditText("Yard")
    form.since.setText("60 min ago")
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: bool(_site(store).retired), timeout=PATIENCE_MS)
    site = _site(store)
    assert [(one.key, one.place.name) for one in site.stations] == [(key, "Yard")]
    assert [one.place.name for one in site.retired] == [before.stations[0].place.name]
    _undo(window, qtbot)
    qtbot.waitUntil(lambda: not _site(store).retired, timeout=PATIENCE_MS)
    after = _site(store)
    assert [one.place.name for one in after.stations] == [before.stations[0].place.name]
    assert [one.id for one in after.series] == [one.id for one in before.series]


def test_out_of_use_and_removed_and_both_brought_back(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    (key,) = _keys(window)
    actions = {one.text(): one for one in window.stations.page.more.menu().actions()}
    actions["Take out of use"].trigger()
    qtbot.waitUntil(lambda: not _keys(window), timeout=PATIENCE_MS)
    actions["Stations out of use…"].trigger()
    shown = opened(qtbot, window, PutAwayDialog)
    qtbot.waitUntil(lambda: shown.list.count() == 1, timeout=PATIENCE_MS)
    assert shown.restore.text() == "Put into use"
    QTest.mouseClick(shown.restore, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: _keys(window) == [key], timeout=PATIENCE_MS)
    shown.close()
    _back(window, qtbot)
    window.stations.list.setFocus()
    QTest.keyClick(window.stations.list, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: not _keys(window), timeout=PATIENCE_MS)
    actions["Stations out of use…"].trigger()
    again = opened(qtbot, window, PutAwayDialog)
    qtbot.waitUntil(lambda: again.list.count() == 1, timeout=PATIENCE_MS)
    assert again.restore.text() == "Restore"
    QTest.mouseClick(again.restore, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: _keys(window) == [key], timeout=PATIENCE_MS)


def test_a_new_box_shows_its_access_key_this_once(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    (key,) = _keys(window)
    actions = {one.text(): one for one in window.stations.page.more.menu().actions()}
    actions["Replace by another box…"].trigger()
    form = opened(qtbot, window, ValueDialog)
    form.field.setText("node-two")
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: _keys(window) == ["node-two"], timeout=PATIENCE_MS)
    tasks = window.stations.tasks
    qtbot.waitUntil(
        lambda: tasks.sheet is not None and tasks.sheet.isVisible(), timeout=PATIENCE_MS
    )
    tasks.sheet.close()
    _undo(window, qtbot)
    qtbot.waitUntil(lambda: _keys(window) == [key], timeout=PATIENCE_MS)
    with store.read() as connection:
        assert load_site(connection).stations[0].key == key

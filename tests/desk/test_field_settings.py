"""A field of a station, settled in the window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.core.series.readings import readings_from
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.stations.field_dialog import FieldDialog
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history, read_range
from rook_tally.store.site import Series, load_site
from tests.builders import MINUTE_US, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened

PATIENCE_MS = 30_000


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    series = begin_series(store)
    at = now_us()
    with store.write() as connection:
        told = readings_from([at - 2 * MINUTE_US, at - MINUTE_US], [68.0, 68.5])
        append_history(connection, series.id, told)
    shown = open_desk()
    shown.show_view(STATIONS)
    qtbot.waitUntil(lambda: shown.stations.page.fields.rowCount() == 1, timeout=PATIENCE_MS)
    return shown


def _series(store: Store) -> Series:
    with store.read() as connection:
        (found,) = load_site(connection).series
    return found


def _kept(store: Store) -> list[float]:
    with store.read() as connection:
        return list(read_range(connection, _series(store).id, 0, 2**62).value)


def test_a_field_that_came_in_another_unit_is_put_right_and_back(
    store: Store, window: DeskWindow, qtbot: QtBot
) -> None:
    QTest.keyClick(window, Qt.Key.Key_D)
    dialog = opened(qtbot, window, FieldDialog)
    dialog.unit.setCurrentIndex(dialog.unit.findData("°F"))
    dialog.title.setText("Shelf")
    dialog.decimals.setCurrentText("2")
    dialog.colour.setCurrentText("3")
    dialog.believable.setText("warm")
    dialog.main.click()
    assert "no range" in dialog.problem.text()
    dialog.believable.setText("-20 40")
    dialog.main.click()
    qtbot.waitUntil(lambda: _series(store).unit == "°F", timeout=PATIENCE_MS)
    assert _series(store).settings == SeriesSettings(
        title="Shelf", decimals=2, colour=3, believable=(-20.0, 40.0)
    )
    assert _kept(store) == pytest.approx([20.0, 20.27778], abs=1e-5)
    fields = window.stations.page.fields
    qtbot.waitUntil(lambda: fields.item(0, 1).text() == "Shelf, °C", timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: fields.item(0, 2).text() == "20.28", timeout=PATIENCE_MS)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: _series(store).unit == "°C", timeout=PATIENCE_MS)
    assert (_series(store).settings, _kept(store)) == (SeriesSettings(), [68.0, 68.5])


def test_a_hidden_field_is_not_in_the_ledger(
    store: Store, window: DeskWindow, qtbot: QtBot
) -> None:
    assert len(window.ledger.model.columns) == 1
    window.stations.page.field.click()
    dialog = opened(qtbot, window, FieldDialog)
    dialog.hidden.setChecked(True)
    dialog.main.click()
    qtbot.waitUntil(lambda: not window.ledger.model.columns, timeout=PATIENCE_MS)
    assert "hidden" in window.stations.page.fields.item(0, 1).text()


def test_a_field_is_removed_with_its_readings_and_had_back(
    store: Store, window: DeskWindow, qtbot: QtBot
) -> None:
    before = _kept(store)
    window.stations.page.field.click()
    dialog = opened(qtbot, window, FieldDialog)
    dialog.remove.click()
    question = opened(qtbot, dialog, QMessageBox)
    next(one for one in question.buttons() if one.text() == "Remove").click()
    fields = window.stations.page.fields
    qtbot.waitUntil(lambda: fields.rowCount() == 0, timeout=PATIENCE_MS)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: fields.rowCount() == 1, timeout=PATIENCE_MS)
    assert _kept(store) == before

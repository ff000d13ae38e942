"""Places and stations arranged in the window, by keys and by the mouse, and each step undone."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.workings.definitions import Working
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.places import PlacesDialog
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.stations.settings_dialog import StationSettingsDialog
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from rook_tally.store.site.places import rename_place
from rook_tally.store.workings import save_working, workings
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, press


@pytest.fixture
def window(store: Store, open_desk: OpenDesk) -> DeskWindow:
    for key, place in (("counter", "Booth"), ("shelf", "Shop")):
        append(store, begin_series(store, "pm25", key=key, place=place), (NOON_US, 5.0))
    with store.write() as connection:
        save_working(connection, Working(slug="much", name="Much", formula="pm25@booth * 2"))
    return open_desk(held_clock(NOON_US))


def _places(store: Store) -> list[tuple[str, bool, str]]:
    with store.read() as connection:
        site = load_site(connection)
    names = {one.id: one.name for one in site.places}
    return [
        (one.name, one.indoors, "" if one.parent_id is None else names[one.parent_id])
        for one in site.places
    ]


def _dialog(window: DeskWindow, qtbot: QtBot) -> PlacesDialog:
    QTest.keyClick(window.ledger, Qt.Key.Key_F2)
    return opened(qtbot, window, PlacesDialog)


def _answer(qtbot: QtBot, dialog: PlacesDialog, text: str) -> ValueDialog:
    asked = opened(qtbot, dialog, ValueDialog)
    asked.field.selectAll()
    QTest.keyClicks(asked.field, text)
    QTest.keyClick(asked.field, Qt.Key.Key_Return)
    return asked


def test_a_place_is_renamed_by_keys_wherever_it_is_named_and_that_is_undone(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _dialog(window, qtbot)
    dialog.pick("Booth")
    QTest.keyClick(dialog.tree, Qt.Key.Key_F2)
    asked = _answer(qtbot, dialog, "shop")
    qtbot.waitUntil(lambda: "could not tell" in asked.problem.text(), timeout=PATIENCE_MS)
    # What was typed stays until it is another name.
    assert asked.value == "shop"
    _answer(qtbot, dialog, "Glaze booth")
    qtbot.waitUntil(lambda: _places(store)[0][0] == "Glaze booth", timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: dialog.picked is not None and dialog.picked.name == "Glaze booth",
        timeout=PATIENCE_MS,
    )
    with store.read() as connection:
        assert workings(connection)[0].formula == "pm25@glaze-booth * 2"
    dialog.close()
    window.undo.undo()
    qtbot.waitUntil(lambda: _places(store)[0][0] == "Booth", timeout=PATIENCE_MS)
    with store.read() as connection:
        assert workings(connection)[0].formula == "pm25@booth * 2"


def test_places_are_made_nested_ordered_and_merged(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _dialog(window, qtbot)
    QTest.keyClick(dialog.tree, Qt.Key.Key_Insert)
    _answer(qtbot, dialog, "House")
    qtbot.waitUntil(lambda: len(_places(store)) == 3, timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: dialog.picked is not None and dialog.picked.name == "House", timeout=PATIENCE_MS
    )
    QTest.keyClick(dialog.tree, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(
        lambda: [one[0] for one in _places(store)] == ["Booth", "House", "Shop"],
        timeout=PATIENCE_MS,
    )
    dialog.pick("Shop")
    QTest.mouseClick(dialog.buttons["into"], Qt.MouseButton.LeftButton)
    asked = opened(qtbot, dialog, ValueDialog)
    asked.field.setCurrentText("House")
    press(asked, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: ("Shop", True, "House") in _places(store), timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: dialog.picked is not None and dialog.picked.parent_id is not None,
        timeout=PATIENCE_MS,
    )
    QTest.mouseClick(dialog.buttons["indoors"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: ("Shop", False, "House") in _places(store), timeout=PATIENCE_MS)
    dialog.pick("Booth")
    QTest.mouseClick(dialog.buttons["merge"], Qt.MouseButton.LeftButton)
    asked = opened(qtbot, dialog, ValueDialog)
    asked.field.setCurrentText("Shop")
    press(asked, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(
        lambda: [one[0] for one in _places(store)] == ["House", "Shop"], timeout=PATIENCE_MS
    )
    # Undone while the dialog is open: both places, with what stood there.
    QTest.keyClick(dialog.tree, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: len(_places(store)) == 3, timeout=PATIENCE_MS)
    dialog.pick("Booth")
    qtbot.waitUntil(
        lambda: dialog.picked is not None and dialog.picked.name == "Booth", timeout=PATIENCE_MS
    )
    QTest.keyClick(dialog.tree, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: "is not empty: counter" in dialog.problem.text(), timeout=PATIENCE_MS)
    dialog.close()


def test_what_somebody_has_built_upon_is_not_undone(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _dialog(window, qtbot)
    dialog.pick("Booth")
    dialog.buttons["rename"].click()
    _answer(qtbot, dialog, "Glaze booth")
    qtbot.waitUntil(lambda: _places(store)[0][0] == "Glaze booth", timeout=PATIENCE_MS)
    dialog.close()
    with store.write() as connection:
        rename_place(connection, "Glaze booth", "Spray booth")
    window.undo.undo()
    qtbot.waitUntil(lambda: "Not undone" in window.teller.text(), timeout=PATIENCE_MS)
    assert _places(store)[0][0] == "Spray booth"


def test_a_station_is_moved_and_its_cadence_told(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    window.stations.pick("counter")
    qtbot.waitUntil(window.stations.page.settings.isVisible, timeout=PATIENCE_MS)
    QTest.mouseClick(window.stations.page.settings, Qt.MouseButton.LeftButton)
    form = opened(qtbot, window, StationSettingsDialog)
    qtbot.waitUntil(form.isEnabled, timeout=PATIENCE_MS)
    assert (form.place.currentText(), form.cadence.text()) == ("Booth", "60 s")
    form.cadence.setText("soon")
    press(form, QDialogButtonBox.StandardButton.Save)
    assert "is no length of time" in form.problem.text()
    form.cadence.setText("10 min")
    form.place.setEditText("Shop")
    press(form, QDialogButtonBox.StandardButton.Save)

    def station() -> tuple[str, float]:
        with store.read() as connection:
            found = load_site(connection).station("counter")
        assert found is not None
        return found.place.name, found.cadence_s

    qtbot.waitUntil(lambda: station() == ("Shop", 600.0), timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: station() == ("Booth", 60.0), timeout=PATIENCE_MS)


def test_of_two_people_who_rename_a_place_the_second_is_told(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _dialog(window, qtbot)
    dialog.pick("Booth")
    QTest.keyClick(dialog.tree, Qt.Key.Key_F2)
    opened(qtbot, dialog, ValueDialog)
    with store.write() as connection:
        rename_place(connection, "Booth", "Kiln room")
    asked = _answer(qtbot, dialog, "Glaze booth")
    qtbot.waitUntil(lambda: "Booth" in asked.problem.text(), timeout=PATIENCE_MS)
    # What was typed stays, what the other one did too.
    assert asked.value == "Glaze booth"
    assert {name for name, _, _ in _places(store)} == {"Kiln room", "Shop"}

"""What was changed, in the window: by whom, found by a word, taken back by a press."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.site_commands import RenamePlace
from rook_tally.desk.dialogs.changes import ChangesDialog
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from rook_tally.store.site.change_history import noting_changes
from rook_tally.store.site.places import make_place
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, press


def test_changes_of_everybody_are_listed_found_and_taken_back(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    append(store, begin_series(store, place="Shop"), (NOON_US, 21.0))
    with store.write() as connection, noting_changes(connection, who="finch", now_us=NOON_US):
        make_place(connection, "Attic")
    window = open_desk(held_clock(NOON_US))

    def names() -> list[str]:
        with store.read() as connection:
            return [one.name for one in load_site(connection).places]

    window.client.write(RenamePlace("Shop", "Showroom"))
    qtbot.waitUntil(lambda: names() == ["Showroom", "Attic"], timeout=PATIENCE_MS)
    window.dialogs.show_changes()
    dialog = opened(qtbot, window, ChangesDialog)
    qtbot.waitUntil(lambda: dialog.list.count() == 2, timeout=PATIENCE_MS)
    newest = dialog.list.item(0)
    assert newest is not None
    assert "name Shop → Showroom" in newest.text()
    QTest.keyClicks(dialog.filter, "finch attic")
    assert dialog.list.count() == 1
    QTest.mouseClick(dialog.undo, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: names() == ["Showroom"], timeout=PATIENCE_MS)
    # That is a step of this window too.
    dialog.close()
    window.undo.undo()
    qtbot.waitUntil(lambda: names() == ["Showroom", "Attic"], timeout=PATIENCE_MS)


def test_units_of_a_country_are_picked_at_once_and_undone(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    append(store, begin_series(store, place="Shop"), (NOON_US, 21.0))
    window = open_desk(held_clock(NOON_US))

    def symbol() -> str:
        return window.state.site.series[0].shown.symbol

    window.dialogs.choose_units()
    dialog = opened(qtbot, window, ValueDialog)
    QTest.keyClick(dialog.field, Qt.Key.Key_Down)
    press(dialog, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: symbol() == "°F", timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: symbol() == "°C", timeout=PATIENCE_MS)

"""What leaves this machine, in the window: nothing at first, each way with its switch."""

from __future__ import annotations

from pytestqt.qtbot import QtBot

from rook_tally.core.forwards.definitions import Forward, ForwardKind
from rook_tally.desk.dialogs.leaves import LeavesDialog
from rook_tally.store.base import Store
from rook_tally.store.site.forwards import forwards, save_forward
from rook_tally.store.site.read_keys import ReadScope, add_read_key, read_keys
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


def test_nothing_leaves_an_untouched_store(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> None:
    window = open_desk()
    window.dialogs.show_leaves()
    dialog = opened(qtbot, window, LeavesDialog)
    qtbot.waitUntil(
        lambda: dialog.said.text() == "Nothing leaves this machine.", timeout=PATIENCE_MS
    )
    assert not dialog.switch.isEnabled()


def test_each_way_is_switched_off_and_comes_back_by_undo(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    told = Forward(slug="parish", kind=ForwardKind.HTTP, address="http://127.0.0.1:9/in")
    with store.write() as connection:
        save_forward(connection, told, who="wren", now_us=1)
        add_read_key(connection, "the school", ReadScope(), who="lark", now_us=2)
    window = open_desk()
    window.dialogs.show_leaves()
    dialog = opened(qtbot, window, LeavesDialog)
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 2, timeout=PATIENCE_MS)
    assert dialog.said.text() == "2 ways out are open."

    def are_on() -> list[bool]:
        with store.read() as connection:
            return [one.is_on for one, _ in forwards(connection)]

    def keys() -> list[str]:
        with store.read() as connection:
            return [one.name for one in read_keys(connection)]

    dialog.table.selectRow(0)
    dialog.switch.click()
    qtbot.waitUntil(lambda: are_on() == [False], timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: dialog.said.text().startswith("One way out"), timeout=PATIENCE_MS)
    assert dialog.switch.text() == "Switch on"
    window.undo.undo()
    qtbot.waitUntil(lambda: are_on() == [True], timeout=PATIENCE_MS)
    dialog.table.selectRow(1)
    assert dialog.switch.text() == "Revoke"
    dialog.switch.click()
    qtbot.waitUntil(lambda: keys() == [], timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: keys() == ["the school"], timeout=PATIENCE_MS)

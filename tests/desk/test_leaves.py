"""What leaves this machine, in the window: nothing at first, each way with its switch."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.forwards.definitions import Forward, ForwardKind
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.dialogs.forward import ForwardDialog
from rook_tally.desk.dialogs.keys import KeysDialog
from rook_tally.desk.dialogs.leaves import LeavesDialog
from rook_tally.store.base import Store, access_hash
from rook_tally.store.site.forwards import ForwardState, forwards, save_forward
from rook_tally.store.site.read_keys import ReadScope, add_read_key, read_key_of, read_keys
from rook_tally.store.site.trust import is_access_key
from tests.builders import begin_series
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


def test_a_forward_is_made_altered_and_deleted_by_hand(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    begin_series(store, "co2")
    window = open_desk()
    window.dialogs.show_leaves()
    leaves = opened(qtbot, window, LeavesDialog)
    QTest.mouseClick(leaves.new, Qt.MouseButton.LeftButton)
    form = opened(qtbot, leaves, ForwardDialog)
    assert form.kind.currentText() == "Another Rook Tally"
    QTest.keyClicks(form.name, "The parish")
    QTest.keyClicks(form.address, "parish")
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)
    assert "is no address to forward to" in form.problem.text()
    form.address.setText("https://parish.example:4711")
    QTest.keyClicks(form.secret, "hidden")
    tick = form.quantities.item(0)
    tick.setCheckState(Qt.CheckState.Checked)
    assert form.said.text() == ("From now on CO₂ leaves this machine for parish.example:4711.")
    form.from_when.setCurrentIndex(2)
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)

    def told() -> list[tuple[Forward, ForwardState]]:
        with store.read() as connection:
            return forwards(connection)

    qtbot.waitUntil(lambda: len(told()) == 1, timeout=PATIENCE_MS)
    ((made, state),) = told()
    assert made == Forward(
        slug="the-parish",
        kind=ForwardKind.ROOK_TALLY,
        address="https://parish.example:4711",
        quantities=("co2",),
        secret="hidden",
    )
    assert state.at_us is not None
    assert (state.allowed_us - state.at_us) == 365 * DAY_US
    # Altered it goes on where it is, with the key it has.
    qtbot.waitUntil(lambda: leaves.table.rowCount() == 1, timeout=PATIENCE_MS)
    QTest.mouseClick(leaves.alter, Qt.MouseButton.LeftButton)
    form = opened(qtbot, leaves, ForwardDialog)
    assert not form.from_when.isVisibleTo(form)
    form.every.setCurrentIndex(form.every.findText("means of 5 minutes"))
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: told()[0][0].every_s == 300.0, timeout=PATIENCE_MS)
    assert (told()[0][0].secret, told()[0][1].at_us) == ("hidden", state.at_us)
    QTest.mouseClick(leaves.remove, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not told(), timeout=PATIENCE_MS)
    # The steps are taken back one by one: deleted, altered, made.
    window.undo.undo()
    qtbot.waitUntil(lambda: [one.every_s for one, _ in told()] == [300.0], timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: [one.every_s for one, _ in told()] == [None], timeout=PATIENCE_MS)
    assert told()[0][1] == state
    window.undo.undo()
    qtbot.waitUntil(lambda: not told(), timeout=PATIENCE_MS)


def test_keys_are_made_shown_once_and_revoked_by_hand(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    begin_series(store, "co2", place="Shop")
    window = open_desk()
    window.dialogs.show_access_keys()
    dialog = opened(qtbot, window, KeysDialog)
    QTest.keyClicks(dialog.name, "the school")
    dialog.may.setCurrentText("may read Shop")
    QTest.keyClick(dialog.name, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(dialog.key.text()), timeout=PATIENCE_MS)
    with store.read() as connection:
        made = read_key_of(connection, dialog.key.text())
    assert made is not None
    assert (made.name, made.scope) == ("the school", ReadScope(("Shop",)))
    QTest.keyClicks(dialog.name, "Shed")
    dialog.may.setCurrentIndex(dialog.may.count() - 1)
    QTest.mouseClick(dialog.make, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "shed" in dialog.said.text(), timeout=PATIENCE_MS)
    with store.read() as connection:
        assert is_access_key(connection, access_hash(dialog.key.text()))
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 2, timeout=PATIENCE_MS)
    dialog.table.selectRow(0)
    QTest.mouseClick(dialog.revoke, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 1, timeout=PATIENCE_MS)
    dialog.table.selectRow(0)
    QTest.mouseClick(dialog.revoke, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 0, timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 1, timeout=PATIENCE_MS)
    QTest.keyClicks(dialog.name, "shed")
    dialog.may.setCurrentIndex(dialog.may.count() - 1)
    QTest.mouseClick(dialog.make, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "has a key already" in dialog.problem.text(), timeout=PATIENCE_MS)

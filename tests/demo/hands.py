"""A person at the window: every step here is a key, a click or words typed into a field."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QPushButton,
    QWidget,
)
from pytestqt.qtbot import QtBot
from shiboken6 import isValid

from rook_tally.core.site_file.content import SiteContent
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.store.base import Store
from rook_tally.store.site_file.exporting import content_of
from tests.desk.driving import PATIENCE_MS, Dialog, opened, press

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
PLAIN = Qt.KeyboardModifier.NoModifier


class Hands:
    """Hands on a window; what they made is looked up in the store."""

    def __init__(self, window: DeskWindow, qtbot: QtBot, store: Store) -> None:
        self.window, self._qtbot, self._store = window, qtbot, store
        self._looking = sqlite3.connect(store.address)
        self._seen: tuple[int, SiteContent] | None = None

    def made(self) -> SiteContent:
        """What the store holds by now; read anew only when anything was written."""
        version = int(self._looking.execute("PRAGMA data_version").fetchone()[0])
        if self._seen is None or self._seen[0] != version:
            with self._store.read() as connection:
                self._seen = version, content_of(connection)
        return self._seen[1]

    def close(self) -> None:
        """Look no longer."""
        self._looking.close()

    def until(self, is_so: Callable[[], object]) -> None:
        """Wait until something is so."""
        self._qtbot.waitUntil(lambda: bool(is_so()), timeout=PATIENCE_MS)

    def to_front(self, widget: QWidget) -> None:
        """Have the widget's window in front, as the window manager would."""
        front = widget.window()
        if not front.isActiveWindow():
            front.activateWindow()
            self.until(front.isActiveWindow)

    def key(self, widget: QWidget, key: Qt.Key, how: Qt.KeyboardModifier = PLAIN) -> None:
        """Press a key in a window that stands in front."""
        self.to_front(widget)
        QTest.keyClick(widget, key, how)

    def click(self, button: QPushButton) -> None:
        """Click a button that can be clicked."""
        # Laid out only once events were seen to: before that it lies elsewhere.
        QApplication.processEvents()
        self.until(lambda: button.isEnabled() and not button.visibleRegion().isEmpty())
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def write(self, field: QLineEdit, text: str) -> None:
        """Type over what stands in a field."""
        self.to_front(field)
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text) if text else QTest.keyClick(field, Qt.Key.Key_Delete)

    def choose(self, box: QComboBox, words: str) -> None:
        """Pick an entry of a list by its words, or type it where that can be done."""
        if box.isEditable():
            line = box.lineEdit()
            assert line is not None
            self.write(line, words)
            return
        at = box.findText(words)
        assert at >= 0, (words, [box.itemText(at) for at in range(box.count())])
        box.setFocus()
        step = Qt.Key.Key_Down if at > box.currentIndex() else Qt.Key.Key_Up
        for _ in range(abs(at - box.currentIndex())):
            QTest.keyClick(box, step)
        assert box.currentText() == words
        box.activated.emit(at)

    def opened(self, kind: type[Dialog], parent: QWidget | None = None) -> Dialog:
        """The dialog of a kind that is open."""
        return opened(self._qtbot, parent or self.window, kind)

    def gone(self, dialog: QDialog) -> None:
        """Wait until a dialog has closed."""
        self.until(lambda: not isValid(dialog) or not dialog.isVisible())

    def answer(self, parent: QWidget, text: str) -> None:
        """Type an answer to the question that is open, and save it."""
        asked = self.opened(ValueDialog, parent)
        if isinstance(asked.field, QLineEdit):
            self.write(asked.field, text)
        else:
            self.choose(asked.field, text)
        press(asked, QDialogButtonBox.StandardButton.Save)

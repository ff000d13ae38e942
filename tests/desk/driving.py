"""Driving a real window: typing into the dialog that is open, waiting for what comes of it."""

from __future__ import annotations

from typing import TypeVar

from PySide6.QtCore import QPoint
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtWidgets import QApplication, QDialog, QDialogButtonBox, QMenu, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.views import STRIP
from rook_tally.desk.app.window import DeskWindow

PATIENCE_MS = 20_000
Dialog = TypeVar("Dialog", bound=QDialog)


def to_strip(qtbot: QtBot, window: DeskWindow) -> None:
    """Turn to the Strip and wait until it shows what it should."""
    window.show_view(STRIP)
    until_shown(qtbot, window)


def until_shown(qtbot: QtBot, window: DeskWindow) -> None:
    """Wait until every lane is read and inked."""
    qtbot.waitUntil(lambda: window.strip.is_up_to_date, timeout=PATIENCE_MS)


def opened(qtbot: QtBot, parent: QWidget, sort: type[Dialog]) -> Dialog:
    """The dialog of a sort that is open."""

    def found() -> list[Dialog]:
        return [one for one in parent.findChildren(sort) if one.isVisible()]

    qtbot.waitUntil(lambda: bool(found()), timeout=PATIENCE_MS)
    return found()[-1]


def press(dialog: QDialog, button: QDialogButtonBox.StandardButton) -> None:
    """Press one of a dialog's ordinary buttons; the main one where it is named otherwise."""
    box = dialog.findChildren(QDialogButtonBox)[0]
    found = box.button(button)
    if found is None:
        role = QDialogButtonBox.ButtonRole.AcceptRole
        found = next(one for one in box.buttons() if box.buttonRole(one) == role)
    found.click()


def menu_at(window: DeskWindow, widget: QWidget, spot: QPoint) -> list[str]:
    """What the menu offers that a right click at a spot of a widget opens; nothing without one. It
    is closed again."""
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, spot, widget.mapToGlobal(spot))
    QApplication.sendEvent(widget, event)
    menu = next((one for one in window.findChildren(QMenu) if one.isVisible()), None)
    if menu is None:
        return []
    words = [one.text().partition("\t")[0] for one in menu.actions()]
    menu.close()
    return words


def answer(qtbot: QtBot, parent: QWidget, words: str) -> None:
    """Answer the question that is open with the button of these words."""
    question = opened(qtbot, parent, QMessageBox)
    next(one for one in question.buttons() if one.text() == words).click()

"""Asks whether recording goes on when the window closes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from rook_tally.desk.app.texts import tr


def ask_about_recording(
    parent: QWidget, *, go_on: Callable[[], None], end: Callable[[], None]
) -> QMessageBox:
    """Open the question whether readings are recorded without the window; Cancel calls nothing."""
    question = QMessageBox(
        QMessageBox.Icon.NoIcon,
        tr("Close the window"),
        tr(
            "Readings are recorded, and alarms ring, as long as this window is open. "
            "Shall that go on without it?"
        ),
        QMessageBox.StandardButton.Cancel,
        parent,
    )
    question.setTextFormat(Qt.TextFormat.PlainText)
    keep = question.addButton(tr("Keep recording"), QMessageBox.ButtonRole.AcceptRole)
    stop = question.addButton(tr("Stop recording"), QMessageBox.ButtonRole.DestructiveRole)
    question.setDefaultButton(keep)
    keep.clicked.connect(lambda: go_on())
    stop.clicked.connect(lambda: end())
    question.open()
    return question

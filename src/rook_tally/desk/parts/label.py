"""Texts shown as they are: names and messages come from anywhere, and are no markup."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget


class Label(QLabel):
    """A label that shows its text as it is, whatever stands in it."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def plain_tip(text: str) -> str:
    """A text for a tool tip, which Qt would take for markup where it looks like it."""
    if "<" not in text and "&" not in text:
        return text
    return f"<span style='white-space: pre-wrap'>{html.escape(text)}</span>"

"""Side panels: paper beside the sheet, pages that scroll, and labels in a role's colour."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLabel, QScrollArea, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import colour

PANEL_WIDTH = 286


class SidePaper(QWidget):
    """Paper of a panel's width, with a rule towards what stands left of it."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setFixedWidth(PANEL_WIDTH)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw the paper and its rule."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.paper))
        painter.setPen(QPen(colour(self._theme.strong_rule), 1))
        painter.drawLine(0, 0, 0, self.height())


def scrolling(page: QWidget) -> QScrollArea:
    """A page that scrolls up and down where it has too little room; the ground shows through."""
    area = QScrollArea()
    area.setWidget(page)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
    return area


def tint(label: QLabel, name: str) -> None:
    """Write a label in this colour."""
    palette = label.palette()
    palette.setColor(label.foregroundRole(), colour(name))
    label.setPalette(palette)


def list_style(theme: Theme) -> str:
    """The style of lists in dialogs: paper, the picked line marked at its left."""
    return (
        f"QListWidget {{ background: {theme.paper}; border: 1px solid {theme.rule}; }}"
        f"QListWidget::item {{ padding: 7px 8px; color: {theme.ink}; }}"
        f"QListWidget::item:selected {{ background: {theme.sheet}; color: {theme.ink};"
        f" border-left: 4px solid {theme.sheen}; }}"
    )

"""The lines of a list at the left: a title with its figure, and below it where that is."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face

_INDENT, _TEXT = 16, 18


@dataclass(frozen=True, slots=True)
class TwoLines:
    """What a line says; the title is bold, and the figure in colour where it calls for a click."""

    title: str
    where: str
    figure: str
    is_bold: bool = True
    calls: bool = False


def draw_heading(painter: QPainter, area: QRectF, theme: Theme, text: str) -> None:
    """Draw a heading over the lines below it."""
    painter.setFont(face(10, BOLD))
    painter.setPen(colour(theme.dim))
    painter.drawText(area.adjusted(_INDENT, 5, 0, -1), Qt.AlignmentFlag.AlignVCenter, text.upper())


def draw_two_lines(
    painter: QPainter, area: QRectF, theme: Theme, state: QStyle.StateFlag, told: TwoLines
) -> None:
    """Draw a line with its ground and rule; a title that the figure leaves no room for is cut."""
    if state & QStyle.StateFlag.State_Selected:
        painter.fillRect(area, colour(theme.sheet))
        painter.fillRect(QRectF(area.left(), area.top(), 4, area.height()), colour(theme.sheen))
    if state & QStyle.StateFlag.State_HasFocus:
        painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
        painter.drawRect(area.adjusted(6.5, 1.5, -1.5, -1.5))
    painter.setPen(QPen(colour(theme.rule), 1))
    painter.drawLine(area.bottomLeft(), area.bottomRight())
    top = area.top() + area.height() / 2 - _TEXT + 1
    room = QRectF(area.left() + _INDENT, top, area.width() - 30, _TEXT)
    painter.setFont(face(13, MEDIUM))
    painter.setPen(colour(theme.sheen if told.calls else theme.ink))
    right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
    painter.drawText(room, right, told.figure)
    taken = painter.fontMetrics().horizontalAdvance(told.figure) + 10
    for text, font, ink, place in (
        (
            told.title,
            face(13, BOLD if told.is_bold else MEDIUM),
            theme.ink,
            room.adjusted(0, 0, -taken, 0),
        ),
        (told.where, face(12), theme.dim, room.translated(0, _TEXT)),
    ):
        painter.setFont(font)
        painter.setPen(colour(ink))
        shown = painter.fontMetrics().elidedText(
            text, Qt.TextElideMode.ElideRight, int(place.width())
        )
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, shown)


def plain_list(view: QListView, theme: Theme) -> None:
    """Take a list's frame and sideways scrolling away and give it the paper's ground."""
    view.setFrameShape(QListView.Shape.NoFrame)
    view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    view.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
    view.setStyleSheet(f"QListView {{ background: {theme.paper}; outline: none; }}")

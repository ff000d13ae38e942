"""The head left of a lane, and the time axis below all lanes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QWidget

from rook_tally.core.theme import Theme
from rook_tally.core.ticks import TimeTick
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face
from rook_tally.desk.parts.series_drag import carried_series, carry
from rook_tally.desk.strip.model import LaneHead
from rook_tally.desk.strip.texts import tr
from rook_tally.store.site import Series

HEAD_WIDTH = 196
AXIS_HEIGHT = 26


class LaneHeadWidget(QWidget):
    """Name, place, values and unit of a lane; a click on the cross removes the lane. It can be
    dragged to another place, or into a lane of the same quantity."""

    removed = Signal()
    picked = Signal()
    dropped = Signal(list)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._head = LaneHead("", "", "", "")
        self._is_picked = False
        self._pressed_at: QPointF | None = None
        self.series: Sequence[Series] = ()
        self.setAcceptDrops(True)
        self.setFixedWidth(HEAD_WIDTH)
        self.setMouseTracking(True)

    def show_head(self, head: LaneHead, *, is_picked: bool = False) -> None:
        """Show this."""
        if (head, is_picked) == (self._head, self._is_picked):
            return
        self._head, self._is_picked = head, is_picked
        self.setAccessibleName(f"{head.where}, {head.name} {head.values} {head.unit}")
        self.update()

    def _cross(self) -> QRectF:
        return QRectF(HEAD_WIDTH - 30, self.height() - 24, 16, 16)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme, head = self._theme, self._head
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(theme.paper))
        inner = QRectF(16, 6, HEAD_WIDTH - 31, 20)
        painter.setFont(face(15, MEDIUM))
        if painter.fontMetrics().horizontalAdvance(head.values) > 96:
            painter.setFont(face(12, MEDIUM))
        painter.setPen(colour(theme.ink))
        painter.drawText(inner, _RIGHT, head.values)
        room = inner.width() - painter.fontMetrics().horizontalAdvance(head.values) - 8
        painter.setFont(face(13, MEDIUM))
        words = painter.fontMetrics()
        elide = Qt.TextElideMode.ElideRight
        painter.drawText(inner, _LEFT, words.elidedText(head.name, elide, int(room)))
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        below = inner.translated(0, 19)
        painter.drawText(below, _RIGHT, head.unit)
        words = painter.fontMetrics()
        room = below.width() - words.horizontalAdvance(head.unit) - 8
        painter.drawText(below, _LEFT, words.elidedText(head.where, elide, int(room)))
        if self._is_picked:
            painter.fillRect(0, 0, 4, self.height(), colour(theme.sheen))
        if self.underMouse():
            cross = self._cross().adjusted(4, 4, -4, -4)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(colour(theme.dim), 1.4))
            painter.drawLine(cross.topLeft(), cross.bottomRight())
            painter.drawLine(cross.topRight(), cross.bottomLeft())
        painter.setPen(QPen(colour(theme.strong_rule), 1))
        painter.drawLine(QLineF(self.width() - 0.5, 0, self.width() - 0.5, self.height()))

    def enterEvent(self, event: object) -> None:
        """Show the cross."""
        self.setToolTip(tr("The cross removes this lane"))
        self.update()

    def leaveEvent(self, event: object) -> None:
        """Hide the cross."""
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Remove the lane when the cross is hit; else pick it, and be ready to be dragged."""
        if event.button() is not Qt.MouseButton.LeftButton:
            event.ignore()
        elif self._cross().contains(event.position()):
            self.removed.emit()
        else:
            self._pressed_at = event.position()
            self.picked.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Be carried elsewhere."""
        if self._pressed_at is None:
            return
        moved = (event.position() - self._pressed_at).manhattanLength()
        if moved >= QApplication.startDragDistance():
            self._pressed_at = None
            carry(self, self.series)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        self._pressed_at = None

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Series may be dropped here."""
        if carried_series(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Series were dropped."""
        self.dropped.emit(carried_series(event.mimeData()))
        event.acceptProposedAction()


class TimeAxis(QWidget):
    """Marks of the shared time axis, and the moment at the cursor."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._ticks: list[TimeTick] = []
        self._window = (0, 1)
        self._cursor: tuple[int, str] | None = None
        self.setFixedHeight(AXIS_HEIGHT)

    def show_axis(
        self, window: tuple[int, int], ticks: list[TimeTick], cursor: tuple[int, str] | None
    ) -> None:
        """Show these marks; `cursor` is a moment and how it is written."""
        self._window, self._ticks, self._cursor = window, ticks, cursor
        self.update()

    def _x_of(self, time_us: int) -> float:
        start_us, end_us = self._window
        return (time_us - start_us) / (end_us - start_us) * self.width()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme = self._theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(theme.sheet))
        painter.setFont(face(12))
        words = painter.fontMetrics()
        for tick in self._ticks:
            x = self._x_of(tick.time_us)
            width = words.horizontalAdvance(tick.label)
            if x + 4 + width > self.width():
                continue
            painter.setPen(QPen(colour(theme.rule), 1))
            painter.drawLine(QLineF(round(x) + 0.5, 0, round(x) + 0.5, 5))
            painter.setPen(colour(theme.dim))
            painter.drawText(QRectF(x + 4, 3, width + 2, 18), _LEFT, tick.label)
        if self._cursor is not None:
            time_us, text = self._cursor
            painter.setFont(face(12, MEDIUM))
            width = painter.fontMetrics().horizontalAdvance(text) + 16
            left = min(max(self._x_of(time_us) - width / 2, 0), self.width() - width)
            box = QRectF(left, 2, width, 20)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setBrush(colour(theme.sheen))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(colour(theme.on_sheen))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter

"""The heads of the Ledger's table: places at its left, quantities above, and the corner between."""

from __future__ import annotations

from typing import TypeAlias

from PySide6.QtCore import QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QHeaderView, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.ledger.cell_painter import ALSO_LEFT, draw_rule
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.row_head import RowHead
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, SummaryRow
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.drawing import draw_heard
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face

HEAD_WIDTH, WIDEST_HEAD = 170, 320

HEAD_HEIGHT = 40

MOST_HEADS = 60

_Says: TypeAlias = tuple[RowHead | None, QSize, float, str, str]


class PlaceHeader(QHeaderView):
    """Row heads: place, age, the strip of expected reports. `band_clicked` carries the row of a
    floor whose head was pressed."""

    band_clicked = Signal(int)

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Vertical, parent)
        self._model = model
        self._theme = theme
        self._pictures: dict[int, tuple[_Says, QPixmap]] = {}
        self.most_pictures = MOST_HEADS
        self.setFixedWidth(HEAD_WIDTH)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the heads, over the ground that nobody else paints."""
        painter = QPainter(self.viewport())
        painter.fillRect(event.rect().adjusted(-1, -1, 1, 1), colour(self._theme.sheet))
        painter.end()
        super().paintEvent(event)

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        """Draw one head."""
        if isinstance(self._model.rows[section], PlaceRow):
            painter.drawPixmap(rect.topLeft(), self._picture(section, rect.size()))
        else:
            self._paint(painter, rect, section)

    def ink(self, section: int) -> None:
        """Paint the head of a place before it comes into sight."""
        self._picture(section, QSize(self.width(), self.sectionSize(section)))

    def _picture(self, section: int, size: QSize) -> QPixmap:
        """The head of a place as a picture: painted once for as long as it says the same."""
        theme, ratio = self._theme, self.devicePixelRatioF()
        says = (self._model.head_drawn(section), size, ratio, theme.sheet, theme.ink)
        kept = self._pictures.pop(section, None)
        if kept is None or kept[0][0] is not says[0] or kept[0][1:] != says[1:]:
            picture = QPixmap(size * ratio)
            picture.setDevicePixelRatio(ratio)
            painter = QPainter(picture)
            self._paint(painter, QRect(0, 0, size.width(), size.height()), section)
            painter.end()
            kept = (says, picture)
        # The one looked at last stands last, and goes last.
        self._pictures[section] = kept
        if len(self._pictures) > self.most_pictures:
            del self._pictures[next(iter(self._pictures))]
        return kept[1]

    def _paint(self, painter: QPainter, rect: QRect, section: int) -> None:
        theme = self._theme
        row = self._model.rows[section]
        painter.save()
        # The clip Qt sets leaves no room for the margin lines at the right.
        painter.fillRect(rect, colour(theme.paper if isinstance(row, GroupRow) else theme.sheet))
        match row:
            case GroupRow():
                painter.setFont(face(11, BOLD))
                painter.setPen(colour(theme.dim))
                sign = "▾ " if row.floor else ""
                words = row.floor or tr(row.title)
                painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, sign + words.upper())
                draw_rule(painter, theme, rect)
            case SummaryRow():
                painter.setFont(face(11))
                painter.setPen(colour(theme.dim))
                painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, tr(row.title))
                painter.drawText(rect.adjusted(0, 0, -14, 0), RIGHT_MIDDLE, tr(row.summary.value))
            case PlaceRow():
                self._paint_place(painter, rect, section)
                draw_rule(painter, theme, rect)
        painter.setPen(QPen(colour(theme.margin), 1))
        for x in (rect.right() - 4, rect.right() - 1):
            painter.drawLine(x, rect.top(), x, rect.bottom())
        painter.restore()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A floor is folded, or unfolded, by its head."""
        row = self.logicalIndexAt(event.position().toPoint())
        if self._model.is_band(row):
            self.band_clicked.emit(row)
        else:
            super().mousePressEvent(event)

    def _paint_place(self, painter: QPainter, rect: QRect, section: int) -> None:
        theme = self._theme
        head = self._model.head_drawn(section)
        if head is None:
            return
        silent = not head.freshness.is_telling
        late = head.freshness.is_overdue
        line = rect.adjusted(16, 9, -14, 9 - rect.height() + 20)
        painter.setFont(face(11, BOLD if late else face(11).weight()))
        painter.setPen(colour(theme.level(Level.HIGH) if late else theme.dim))
        painter.drawText(line, RIGHT_MIDDLE, head.age)
        room = line.width() - painter.fontMetrics().horizontalAdvance(head.age) - 6
        painter.setFont(face(14, MEDIUM))
        painter.setPen(colour(theme.dim if silent else theme.ink))
        name = painter.fontMetrics().elidedText(head.name, Qt.TextElideMode.ElideMiddle, room)
        painter.drawText(line, _LEFT_MIDDLE, name)
        ticks = QRectF(rect.left() + 16, rect.top() + 35, 96, 8)
        draw_heard(painter, theme, head.heard, ticks, colour(theme.heard))


class QuantityHeader(QHeaderView):
    """Column heads: quantity and unit. A click on the unit asks for the next one."""

    unit_clicked = Signal(int)

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self._model = model
        self._theme = theme
        self.setFixedHeight(HEAD_HEIGHT)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setToolTip(tr("A click on the unit shows another (U)"))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Ask for another unit where one was clicked."""
        at = event.position().toPoint()
        if event.button() is Qt.MouseButton.LeftButton and at.y() > HEAD_HEIGHT // 2:
            section = self.logicalIndexAt(at)
            if section >= 0:
                self.unit_clicked.emit(section)
        super().mouseReleaseEvent(event)

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        """Draw one head."""
        theme = self._theme
        if self._model.is_also(section):
            self._paint_also(painter, rect)
            return
        quantity = self._model.columns[section]
        painter.save()
        painter.fillRect(rect, colour(theme.sheet))
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        area = rect.adjusted(4, 6, -10, 0)
        words = painter.fontMetrics()
        name = words.elidedText(tr(quantity.heading), Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, name)
        painter.setFont(face(10))
        painter.setPen(colour(theme.dim))
        painter.drawText(
            rect.adjusted(4, 0, -10, -6),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
            self._model.shown_as(quantity).symbol or "state",
        )
        draw_rule(painter, theme, rect)
        painter.restore()

    def _paint_also(self, painter: QPainter, rect: QRect) -> None:
        """The head over the last cells."""
        painter.save()
        painter.fillRect(rect, colour(self._theme.sheet))
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(self._theme.ink))
        area = rect.adjusted(ALSO_LEFT, 6, -10, 0)
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, tr("Also"))
        draw_rule(painter, self._theme, rect)
        painter.restore()


class HeadCorner(QWidget):
    """The corner over the row heads."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme, rect = self._theme, self.rect()
        painter = QPainter(self)
        painter.fillRect(rect, colour(theme.sheet))
        painter.setFont(face(13, MEDIUM))
        painter.setPen(colour(theme.ink))
        painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, tr("Place"))
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        painter.drawText(rect.adjusted(0, 0, -14, 0), RIGHT_MIDDLE, tr("heard"))
        painter.setPen(QPen(colour(theme.margin), 1))
        for x in (rect.right() - 4, rect.right() - 1):
            painter.drawLine(x, 0, x, rect.bottom())
        draw_rule(painter, theme, rect)


RIGHT_MIDDLE = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

_LEFT_MIDDLE = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter

"""The Ledger's cells, drawn: value, strokes, the last day as a ribbon; bands and summary lines."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import (
    QLineF,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSizeF,
    Qt,
)
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from rook_tally.core.envelope import Envelope
from rook_tally.core.freshness import Freshness
from rook_tally.core.levels import Level
from rook_tally.desk.ledger.model import Cell, GroupRow, LedgerModel, PlaceRow, SummaryRow
from rook_tally.desk.parts.drawing import draw_ribbon, draw_strokes
from rook_tally.desk.parts.ink import MEDIUM, colour, face
from rook_tally.desk.shell.theme import Theme

# So far a ribbon's strokes may reach over its area.
_OVER = 8
_MOST_RIBBONS = 400
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

_Index = QModelIndex | QPersistentModelIndex


class CellDelegate(QStyledItemDelegate):
    """Draws cells, group bands and summary lines. `on_painted` hears of every cell drawn."""

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model
        self._theme = theme
        self.on_painted: Callable[[int, int], None] | None = None
        self._ribbons: dict[tuple[object, ...], tuple[Envelope, QPixmap]] = {}

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        """Draw one cell."""
        rect = _rect_of(option)
        row = self._model.rows[index.row()]
        painter.save()
        match row:
            case GroupRow():
                painter.fillRect(rect, colour(self._theme.paper))
                draw_rule(painter, self._theme, rect)
            case SummaryRow():
                self._paint_summary(painter, rect, row, index)
            case PlaceRow():
                cell = self._model.cell(index.row(), index.column())
                if cell is not None:
                    focused = _is_current(option, index)
                    self._paint_cell(painter, rect, cell, is_current=focused)
                else:
                    draw_rule(painter, self._theme, rect)
        painter.restore()
        if self.on_painted is not None:
            self.on_painted(index.row(), index.column())

    def _paint_summary(
        self, painter: QPainter, rect: QRect, row: SummaryRow, index: _Index
    ) -> None:
        strong = row.summary.value == "mean"
        painter.setFont(face(11, MEDIUM if strong else face(11).weight()))
        painter.setPen(colour(self._theme.ink if strong else self._theme.dim))
        text = self._model.summary_text(index.row(), index.column())
        painter.drawText(rect.adjusted(0, 0, -10, 0), _RIGHT, text)

    def _paint_cell(self, painter: QPainter, rect: QRect, cell: Cell, *, is_current: bool) -> None:
        theme = self._theme
        silent = cell.freshness is Freshness.SILENT
        level = Level.SETTLED if cell.is_suspect else cell.level
        if level >= Level.RAISED:
            painter.fillRect(rect.adjusted(1, 0, -2, -1), colour(theme.tint(level)))
        draw_rule(painter, theme, rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_strokes(painter, theme, level, rect.left() + 10, rect.top() + 10, 14)
        painter.setFont(face(20, MEDIUM))
        painter.setPen(colour(theme.faint if silent or cell.is_suspect else theme.ink))
        # The figure stays inside the cell whatever its length.
        text = cell.text if not cell.is_suspect else f"({cell.text})"
        if painter.fontMetrics().horizontalAdvance(text) > rect.width() - 30:
            painter.setFont(face(16, MEDIUM))
        painter.drawText(rect.adjusted(0, 4, -10, 4 - rect.height() + 26), _RIGHT, text)
        if cell.others:
            painter.setFont(face(10))
            painter.setPen(colour(theme.faint))
            painter.drawText(
                rect.adjusted(20, 8, -rect.width() + 44, 8 - rect.height() + 18),
                Qt.AlignmentFlag.AlignLeft, f"+{cell.others}",
            )  # fmt: skip
        if cell.ribbon is not None and not cell.ribbon.is_empty:
            name = theme.level(level) if level else theme.ribbon
            area = QRectF(rect.left() + 10, rect.top() + 35, rect.width() - 20, rect.height() - 43)
            self._draw_ribbon(painter, cell, area, colour(name, 0.55 if silent else 1.0))
        if is_current:
            painter.setPen(QPen(colour(theme.sheen), 2))
            painter.drawRect(QRectF(rect).adjusted(1, 1, -2, -2))

    def _draw_ribbon(self, painter: QPainter, cell: Cell, area: QRectF, pen: QColor) -> None:
        """A ribbon drawn once for as long as it stays the same: its hundred points cost more than
        all the rest of a cell."""
        assert cell.ribbon is not None
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        size = QSizeF(area.width() + 2 * _OVER, area.height() + 2 * _OVER)
        key = (id(cell.ribbon), size.toTuple(), cell.value_range, cell.limit, pen.rgba(), ratio)
        kept = self._ribbons.get(key)
        # The envelope is held beside its picture, so that its id stays its own.
        if kept is None:
            if len(self._ribbons) >= _MOST_RIBBONS:
                self._ribbons.clear()
            picture = QPixmap((size * ratio).toSize())
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            drawing = QPainter(picture)
            drawing.setRenderHint(QPainter.RenderHint.Antialiasing)
            draw_ribbon(
                drawing, self._theme, cell.ribbon,
                QRectF(_OVER, _OVER, area.width(), area.height()),
                value_range=cell.value_range, pen_colour=pen, limit=cell.limit,
            )  # fmt: skip
            drawing.end()
            kept = self._ribbons[key] = (cell.ribbon, picture)
        painter.drawPixmap(QPointF(area.left() - _OVER, area.top() - _OVER), kept[1])


def draw_rule(painter: QPainter, theme: Theme, rect: QRect) -> None:
    """The hairline under a row."""
    painter.setPen(QPen(colour(theme.rule), 1))
    y = rect.bottom() + 0.5
    painter.drawLine(QLineF(rect.left(), y, rect.right() + 1, y))


def _rect_of(option: QStyleOptionViewItem) -> QRect:
    rect: QRect = option.rect
    return rect


def _is_current(option: QStyleOptionViewItem, index: _Index) -> bool:
    view = option.widget
    return isinstance(view, QAbstractItemView) and view.currentIndex() == index

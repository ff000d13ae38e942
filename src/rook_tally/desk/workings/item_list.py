"""The list on the left: scores, formulas, groups."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.rows import WorkingKind, WorkingRow
from rook_tally.desk.workings.texts import tr

LIST_WIDTH = 262
_ROW_HEIGHT, _HEAD_HEIGHT = 42, 26
_Index = QModelIndex | QPersistentModelIndex


class ItemListModel(QAbstractListModel):
    """The model's rows for Qt."""

    def __init__(self, model: WorkingsModel) -> None:
        super().__init__()
        self._model = model
        self.rows: list[WorkingRow] = []

    def refresh(self) -> None:
        """Bring the rows up to date; the picked one stays picked."""
        rows = self._model.rows()
        if [(one.sort, one.key) for one in rows] == [(one.sort, one.key) for one in self.rows]:
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def begins_sort(self, at: int) -> bool:
        """True if a row is the first of its sort."""
        return at == 0 or self.rows[at - 1].sort is not self.rows[at].sort

    def rowCount(self, _parent: _Index | None = None) -> int:
        """Number of rows."""
        return len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Words for those who hear the list, and for finding by letters."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.title}, {row.where}, {row.value}"
        return None


class _Line(QStyledItemDelegate):
    def __init__(self, model: ItemListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model
        self._theme = theme

    def sizeHint(self, _option: QStyleOptionViewItem, index: _Index) -> QSize:
        """The first of a sort is taller by its name."""
        more = _HEAD_HEIGHT if self._model.begins_sort(index.row()) else 0
        return QSize(LIST_WIDTH, _ROW_HEIGHT + more)

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        """Draw one line."""
        theme, row = self._theme, self._model.rows[index.row()]
        area = QRectF(option.rect)
        if self._model.begins_sort(index.row()):
            painter.setFont(face(10, BOLD))
            painter.setPen(colour(theme.dim))
            head = QRectF(area.left() + 16, area.top() + 4, area.width(), _HEAD_HEIGHT - 4)
            painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, tr(row.sort.value).upper())
            area.setTop(area.top() + _HEAD_HEIGHT)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, colour(theme.sheet))
            painter.fillRect(QRectF(area.left(), area.top(), 4, area.height()), colour(theme.sheen))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
            painter.drawRect(area.adjusted(6.5, 1.5, -1.5, -1.5))
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.setFont(face(13, MEDIUM))
        painter.setPen(colour(theme.ink))
        value_width = painter.fontMetrics().horizontalAdvance(row.value)
        room = QRectF(area.left() + 16, area.top() + 4, area.width() - 30, 18)
        painter.drawText(room, right, row.value)
        room.setWidth(room.width() - value_width - 10)
        for text, font, role, top in (
            (row.title, face(13, BOLD), theme.ink, 4),
            (row.where, face(12), theme.dim, 22),
        ):
            painter.setFont(font)
            painter.setPen(colour(role))
            if top > 4:
                room.setWidth(area.width() - 30)
            room.moveTop(area.top() + top)
            shown = painter.fontMetrics().elidedText(
                text, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)


class ItemList(QListView):
    """The list itself: arrow keys and letters pick."""

    def __init__(self, model: ItemListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_Line(model, theme, self))
        self.setAccessibleName(tr("workings"))
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setStyleSheet(f"QListView {{ background: {theme.paper}; outline: none; }}")


def sort_and_key(row: WorkingRow) -> tuple[WorkingKind, str]:
    """The working that a row picks."""
    return row.sort, row.key

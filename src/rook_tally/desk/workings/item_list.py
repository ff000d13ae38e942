"""The list on the left: scores, formulas, groups."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QListView, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.two_lines import TwoLines, draw_heading, draw_two_lines, plain_list
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
            head = QRectF(area).adjusted(0, 0, 0, -_ROW_HEIGHT)
            draw_heading(painter, head, theme, tr(row.sort.value))
            area.setTop(area.top() + _HEAD_HEIGHT)
        told = TwoLines(row.title, row.where, row.value)
        draw_two_lines(painter, area, theme, option.state, told)


class ItemList(QListView):
    """The list itself: arrow keys and letters pick."""

    def __init__(self, model: ItemListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_Line(model, theme, self))
        self.setAccessibleName(tr("workings"))
        plain_list(self, theme)


def sort_and_key(row: WorkingRow) -> tuple[WorkingKind, str]:
    """The working that a row picks."""
    return row.sort, row.key

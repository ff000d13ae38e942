"""Widgets of the Reports view: its list, and the contents beside the pages."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListView,
    QPushButton,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.two_lines import TwoLines, draw_heading, draw_two_lines, plain_list
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.reports.model import ReportRow, ReportsModel
from rook_tally.desk.reports.texts import tr

LIST_WIDTH = 250
_ROW, _HEAD = 44, 30
_Index = QModelIndex | QPersistentModelIndex


class ReportListModel(QAbstractListModel):
    """The model's rows for Qt."""

    def __init__(self, model: ReportsModel) -> None:
        super().__init__()
        self._model = model
        self.rows: list[ReportRow] = []

    def refresh(self) -> None:
        """Bring the rows up to date; what is picked stays picked where it is still there."""
        rows = self._model.rows()
        before = [(one.slug, one.written and one.written.id) for one in self.rows]
        if [(one.slug, one.written and one.written.id) for one in rows] == before:
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def begins_heading(self, at: int) -> bool:
        """True if a row is the first under its heading."""
        return at == 0 or self.rows[at - 1].heading != self.rows[at].heading

    def rowCount(self, _parent: _Index | None = None) -> int:
        """Number of rows."""
        return len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Words for those who hear the list, and for finding by letters."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.heading}: {row.title}, {row.where}, {row.figure}"
        return None


class _Line(QStyledItemDelegate):
    def __init__(self, model: ReportListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme

    def sizeHint(self, _option: object, index: _Index) -> QSize:
        """The first under a heading is taller by it."""
        return QSize(LIST_WIDTH, _ROW + (_HEAD if self._model.begins_heading(index.row()) else 0))

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        """Draw one line."""
        row, area = self._model.rows[index.row()], QRectF(option.rect)
        if self._model.begins_heading(index.row()):
            heading = QRectF(area).adjusted(0, 0, 0, -_ROW)
            draw_heading(painter, heading, self._theme, row.heading)
            area.setTop(area.top() + _HEAD)
        told = TwoLines(row.title, row.where, row.figure, is_bold=row.written is None)
        draw_two_lines(painter, area, self._theme, option.state, told)


class ReportList(QListView):
    """The list at the left: arrow keys and letters pick."""

    def __init__(self, items: ReportListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(items)
        self.setItemDelegate(_Line(items, theme, self))
        self.setAccessibleName(tr("reports"))
        plain_list(self, theme)


class Contents(QWidget):
    """The parts of a report. `page_wanted` bears the page on which one begins."""

    page_wanted = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._lines: list[_ContentsLine] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)

    def show_parts(self, parts: list[tuple[str, int]]) -> None:
        """Show these, each with its page."""
        while len(self._lines) > len(parts):
            gone = self._lines.pop()
            self._column.removeWidget(gone)
            gone.deleteLater()
        while len(self._lines) < len(parts):
            line = _ContentsLine(self._theme)
            line.clicked.connect(lambda _checked=False, one=line: self.page_wanted.emit(one.page))
            self._lines.append(line)
            self._column.addWidget(line)
        for line, (words, page) in zip(self._lines, parts, strict=True):
            line.show_part(words, page)


class _ContentsLine(QPushButton):
    """A part with the page on which it begins."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.page = 1
        self.setObjectName("contents")
        self.setStyleSheet(
            f"QPushButton#contents {{ border: none; border-bottom: 1px solid {theme.rule};"
            f" background: transparent; color: {theme.ink}; text-align: left; padding: 6px 0; }}"
            f" QPushButton#contents:focus {{ border-bottom: 1px solid {theme.sheen}; }}"
        )
        self._number = Label()
        tint(self._number, theme.dim)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 2, 0)
        row.addStretch(1)
        row.addWidget(self._number)

    def show_part(self, words: str, page: int) -> None:
        """Show a part and its page."""
        self.page = page
        self.setText(words)
        self.setAccessibleName(tr("{0}, page {1}", words, page))
        self._number.setText(str(page))

"""The watches on the left, the journal on the right."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QLineF,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
)
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from rook_tally.core.alarms.journal import Entry
from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.parts.drawing import draw_strokes
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.watch.model import WatchModel, WatchRow
from rook_tally.desk.watch.texts import tr

LIST_WIDTH, JOURNAL_WIDTH = 262, 272
_ROW, _LINE = 58, 42
_Index = QModelIndex | QPersistentModelIndex


def entry_words(one: Entry) -> str:
    """The second line of a journal entry."""
    return ", ".join(part for part in (tr(one.sort.value), one.words, one.who) if part)


class WatchListModel(QAbstractListModel):
    """The model's rows for Qt."""

    def __init__(self, model: WatchModel) -> None:
        super().__init__()
        self._model = model
        self.rows: list[WatchRow] = []

    def refresh(self) -> None:
        """Bring the rows up to date; the picked one stays picked."""
        rows = self._model.rows()
        if [one.slug for one in rows] == [one.slug for one in self.rows]:
            if rows != self.rows:
                self.rows = rows
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, _parent: _Index | None = None) -> int:
        """Number of watches."""
        return len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Words for those who hear the list, and for finding by letters."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.name
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.name}, {row.state}, {row.words}"
        return None


class JournalModel(QAbstractListModel):
    """The journal's lines for Qt."""

    def __init__(self, model: WatchModel) -> None:
        super().__init__()
        self._model = model
        self.lines: tuple[Entry, ...] = ()

    def refresh(self) -> None:
        """Bring the lines up to date."""
        if self._model.lines != self.lines:
            self.beginResetModel()
            self.lines = self._model.lines
            self.endResetModel()

    def rowCount(self, _parent: _Index | None = None) -> int:
        """Number of entries."""
        return len(self.lines)

    def clock(self, at: int) -> str:
        """When: the hour, and before today the day."""
        state = self._model.state
        time_us = self.lines[at].time_us
        moment = datetime_from_time_us(time_us).astimezone(state.zone)
        now = datetime_from_time_us(state.clock()).astimezone(state.zone)
        if moment.date() == now.date():
            return clock_words(moment)
        is_near = state.clock() - time_us < 6 * DAY_US
        return f"{moment:%a} {clock_words(moment)}" if is_near else day_words(moment)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Words."""
        one = self.lines[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{self.clock(index.row())} {one.name}, {entry_words(one)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{one.place}: {entry_words(one)}" if one.place else entry_words(one)
        return None


def _elided(painter: QPainter, text: str, room: QRectF) -> None:
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)


class _WatchRow(QStyledItemDelegate):
    def __init__(self, model: WatchListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme

    def sizeHint(self, _option: QStyleOptionViewItem, _index: _Index) -> QSize:
        return QSize(LIST_WIDTH, _ROW)

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        theme, row = self._theme, self._model.rows[index.row()]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, colour(theme.sheet))
            painter.fillRect(QRectF(area.left(), area.top(), 4, area.height()), colour(theme.sheen))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
            painter.drawRect(area.adjusted(6.5, 1.5, -1.5, -1.5))
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        draw_strokes(painter, theme, row.level, area.left() + 19, area.top() + 13, 14)
        painter.setFont(face(12))
        painter.setPen(colour(theme.level(row.level) if row.is_standing else theme.dim))
        width = painter.fontMetrics().horizontalAdvance(row.state)
        head = QRectF(area.left() + 44, area.top() + 9, area.width() - 56, 20)
        painter.drawText(
            head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.state
        )
        painter.setFont(face(13, BOLD))
        painter.setPen(colour(theme.ink))
        _elided(painter, row.name, head.adjusted(0, 0, -width - 8, 0))
        painter.setFont(face(12))
        painter.setPen(colour(theme.dim))
        _elided(painter, row.words, head.translated(0, 21))


class _JournalRow(QStyledItemDelegate):
    def __init__(self, model: JournalModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme

    def sizeHint(self, _option: QStyleOptionViewItem, _index: _Index) -> QSize:
        return QSize(JOURNAL_WIDTH, _LINE)

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        theme, one = self._theme, self._model.lines[index.row()]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
            painter.drawRect(area.adjusted(6.5, 1.5, -6.5, -1.5))
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(QLineF(area.left() + 16, area.bottom(), area.right() - 12, area.bottom()))
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        painter.drawText(
            QRectF(area.left() + 16, area.top() + 5, 58, 16),
            Qt.AlignmentFlag.AlignVCenter,
            self._model.clock(index.row()),
        )
        draw_strokes(painter, theme, one.level, area.left() + 76, area.top() + 7, 12)
        room = QRectF(area.left() + 98, area.top() + 4, area.width() - 110, 18)
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        _elided(painter, one.name, room)
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        _elided(painter, entry_words(one), room.translated(0, 17))


def _list(view: QListView, theme: Theme, name: str) -> None:
    view.setAccessibleName(name)
    view.setFrameShape(QListView.Shape.NoFrame)
    view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    view.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
    view.setStyleSheet(f"QListView {{ background: {theme.paper}; outline: none; }}")


class WatchList(QListView):
    """The watches: arrow keys and letters pick."""

    def __init__(self, model: WatchListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_WatchRow(model, theme, self))
        _list(self, theme, tr("watches"))


class JournalList(QListView):
    """The journal, newest first."""

    def __init__(self, model: JournalModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_JournalRow(model, theme, self))
        _list(self, theme, tr("journal"))

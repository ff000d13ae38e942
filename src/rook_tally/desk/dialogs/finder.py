"""The line one types a few letters into to get anywhere: `/`."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import (
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.desk.data.actions import Action
from rook_tally.desk.data.finding import FoundItem, found
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face

_ROW_HEIGHT = 26
_WIDTH, _ROWS = 560, 12
_ROLE = Qt.ItemDataRole.UserRole


class _Lines(QStyledItemDelegate):
    """Draws what was found: its sort, its words, its keys."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def sizeHint(
        self, _option: QStyleOptionViewItem, _index: QModelIndex | QPersistentModelIndex
    ) -> QSize:
        return QSize(_WIDTH - 20, _ROW_HEIGHT)

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        theme, one = self._theme, index.data(_ROLE)
        rect: QRect = option.rect
        state: QStyle.StateFlag = option.state
        is_current = bool(state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.fillRect(rect, colour(theme.sheen if is_current else theme.sheet))
        strong = colour(theme.on_sheen if is_current else theme.ink)
        dim = colour(theme.on_sheen if is_current else theme.dim)
        line = rect.adjusted(12, 0, -12, 0)
        painter.setFont(face(11))
        painter.setPen(dim)
        painter.drawText(line, _LEFT, tr(one.sort.value))
        painter.drawText(line, _RIGHT, one.keys)
        line = line.adjusted(74, 0, -90, 0)
        painter.setFont(face(13, MEDIUM))
        words = painter.fontMetrics()
        text = words.elidedText(one.words, Qt.TextElideMode.ElideRight, line.width())
        painter.setPen(strong)
        painter.drawText(line, _LEFT, text)
        line = line.adjusted(words.horizontalAdvance(text) + 10, 0, 0, 0)
        painter.setFont(face(11))
        painter.setPen(dim)
        painter.drawText(line, _LEFT, one.detail)
        painter.restore()


class Finder(QDialog):
    """Lists what fits the letters typed. `chosen` carries the target."""

    chosen = Signal(object)

    def __init__(
        self, theme: Theme, state: SiteState, commands: Sequence[Action], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._state, self._commands = state, commands
        self.setWindowTitle(tr("Find"))
        self.setFixedWidth(_WIDTH)
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(tr("A place, station, series, remark or something to do"))
        self.typed.setAccessibleName(tr("Find"))
        self.list = QListWidget()
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setItemDelegate(_Lines(theme, self.list))
        self.list.setUniformItemSizes(True)
        self.list.setFixedHeight(_ROWS * _ROW_HEIGHT + 4)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName(tr("Found"))
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addWidget(self.typed)
        column.addWidget(self.list)
        self.typed.textChanged.connect(self._list_found)
        self.typed.installEventFilter(self)
        self.list.itemClicked.connect(self._choose)
        self._list_found("")
        self.typed.setFocus()

    def _list_found(self, letters: str) -> None:
        self.list.clear()
        for one in found(letters, self._state, self._commands):
            item = QListWidgetItem(one.words)
            item.setData(_ROLE, one)
            keys = f", {one.keys}" if one.keys else ""
            told = f"{one.sort.value} {one.words}, {one.detail}{keys}"
            item.setData(Qt.ItemDataRole.AccessibleTextRole, told)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up and Down move in the list while letters are typed; Enter takes what is picked."""
        if event.type() is QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
            if event.key() in steps and self.list.count():
                row = self.list.currentRow() + steps[Qt.Key(event.key())]
                self.list.setCurrentRow(row % self.list.count())
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        one: FoundItem = item.data(_ROLE)
        self.accept()
        self.chosen.emit(one.target)


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

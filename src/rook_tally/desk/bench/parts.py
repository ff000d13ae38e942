"""Widgets of the Bench: its list, the picture, the sentence, the list below, the side."""

from __future__ import annotations

import html
from typing import Any

import msgspec
from PySide6.QtCore import (
    QAbstractListModel,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QAccessible, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHeaderView,
    QLabel,
    QListView,
    QPushButton,
    QSizePolicy,
    QStyledItemDelegate,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.bench.wording import Sentence
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.model import BenchModel
from rook_tally.desk.bench.plot_painter import draw_picture
from rook_tally.desk.bench.plots import Picture
from rook_tally.desk.bench.rows import BenchRow
from rook_tally.desk.bench.sheet import Sheet, SideNotes, ordered
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.desk.parts.two_lines import TwoLines, draw_heading, draw_two_lines, plain_list
from rook_tally.desk.parts.widgets import PANEL_WIDTH, tint

LIST_WIDTH = 250
_ROW, _HEAD = 44, 30
_Index = QModelIndex | QPersistentModelIndex


class BenchListModel(QAbstractListModel):
    """The model's rows for Qt."""

    def __init__(self, model: BenchModel) -> None:
        super().__init__()
        self._model = model
        self.rows: list[BenchRow] = []

    def refresh(self) -> None:
        """Bring the rows up to date; what is picked stays picked where it is still there."""
        rows = self._model.rows()
        if [(one.item, one.heading) for one in rows] == [
            (one.item, one.heading) for one in self.rows
        ]:
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
            kept = tr("kept") if row.is_kept else tr("offered")
            return f"{row.heading}: {row.title}, {row.where}, {row.figure}, {kept}"
        return None


class _Line(QStyledItemDelegate):
    def __init__(self, model: BenchListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme

    def sizeHint(self, _option: object, index: _Index) -> QSize:
        """The first under a heading is taller by it."""
        more = _HEAD if self._model.begins_heading(index.row()) else 0
        return QSize(LIST_WIDTH, _ROW + more)

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        """Draw one line: what is kept in full ink, what is only offered dimmer."""
        theme, row = self._theme, self._model.rows[index.row()]
        area = QRectF(option.rect)
        if self._model.begins_heading(index.row()):
            draw_heading(painter, QRectF(area).adjusted(0, 0, 0, -_ROW), theme, row.heading)
            area.setTop(area.top() + _HEAD)
        told = TwoLines(
            row.title, row.where, row.figure, is_bold=row.is_kept, calls=row.item is None
        )
        draw_two_lines(painter, area, theme, option.state, told)


class BenchList(QListView):
    """The list at the left: arrow keys and letters pick."""

    def __init__(self, model: BenchListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_Line(model, theme, self))
        self.setAccessibleName(tr("on the Bench"))
        plain_list(self, theme)


class SentenceLabel(QLabel):
    """The answer in one sentence, its main words in colour."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._sentence = Sentence("")
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setWordWrap(True)
        self.setFont(face(20))
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def say(self, sentence: Sentence) -> None:
        """Show a sentence."""
        if sentence == self._sentence:
            return
        self._sentence = sentence
        told = html.escape(sentence.text)
        for part in sentence.strong:
            shown = html.escape(part)
            ink = self._theme.level(Level.HIGH)
            told = told.replace(shown, f"<b style='color: {ink}'>{shown}</b>", 1)
        self.setText(told)
        self.setAccessibleName(sentence.text)


class PictureView(QWidget):
    """Draws the picture of a page."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.Chart)
        self._theme = theme
        self.picture: Picture = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_picture(self, picture: Picture) -> None:
        """Draw this from now on."""
        self.picture = picture
        words = ", ".join(one.spoken or one.title for row in picture for one in row)
        self.setAccessibleName(words or tr("no picture"))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        draw_picture(painter, self._theme, self.picture, QRectF(self.rect()).adjusted(0, 2, -1, -2))


class SheetLines(QTableWidget):
    """The list below the picture. `line_picked` and `line_opened` carry the key of a line."""

    line_picked = Signal(int)
    line_opened = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: tuple[object, ...] = ()
        self._sheet: Sheet | None = None
        self._by: tuple[int, bool] | None = None
        self.horizontalHeader().sectionClicked.connect(self._on_head)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(24)
        self.setFrameShape(QTableWidget.Shape.NoFrame)
        self.setStyleSheet(
            f"QTableWidget {{ background: {theme.sheet}; }}"
            f"QTableWidget::item {{ border-bottom: 1px solid {theme.rule}; padding: 2px 6px; }}"
            f"QTableWidget::item:selected {{ background: {theme.paper}; color: {theme.ink}; }}"
            f"QHeaderView::section {{ background: {theme.sheet}; color: {theme.dim};"
            f" border: none; border-bottom: 1px solid {theme.strong_rule};"
            f" padding: 3px 9px; }}"
        )
        self.itemSelectionChanged.connect(self._on_picked)
        self.itemActivated.connect(lambda item: self.line_opened.emit(self._key_of(item)))

    def show_lines(self, sheet: Sheet) -> None:
        """Show the lines of a page; nothing where it has none."""
        self.setVisible(bool(sheet.lines))
        if self._sheet is None or sheet.heads != self._sheet.heads:
            self._by = None
        self._sheet = sheet
        if self._by is not None:
            lines = ordered(sheet.lines, self._by[0], falling=self._by[1])
            sheet = msgspec.structs.replace(sheet, lines=lines)
        if (sheet.heads, sheet.lines) == self._shown:
            return
        self._shown = sheet.heads, sheet.lines
        self.setAccessibleName(sheet.lines_title)
        self.blockSignals(True)
        mode = QAbstractItemView.SelectionMode
        self.setSelectionMode(
            mode.ExtendedSelection if sheet.picks_several else mode.SingleSelection
        )
        kept = self.picked_keys
        self.clear()
        self.setColumnCount(len(sheet.heads))
        self.setHorizontalHeaderLabels(list(sheet.heads))
        self.setRowCount(len(sheet.lines))
        for row, line in enumerate(sheet.lines):
            for column, words in enumerate(line.cells):
                item = QTableWidgetItem(words)
                item.setToolTip(plain_tip(words))
                item.setData(Qt.ItemDataRole.UserRole, line.key)
                item.setForeground(colour(self._theme.dim if line.is_quiet else self._theme.ink))
                self.setItem(row, column, item)
            if line.key in kept:
                chosen = QItemSelectionModel.SelectionFlag.Select
                whole = QItemSelectionModel.SelectionFlag.Rows
                self.selectionModel().select(self.model().index(row, 0), chosen | whole)
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(len(sheet.heads)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        if sheet.heads:
            # The column that says most has what room there is, and is cut where there is none.
            most = [
                max((len(one.cells[column]) for one in sheet.lines), default=0)
                for column in range(len(sheet.heads))
            ]
            longest = most.index(max(most))
            header.setSectionResizeMode(longest, QHeaderView.ResizeMode.Stretch)
        self.blockSignals(False)

    def _on_head(self, column: int) -> None:
        """Order by a column, the most first; once more the other way round."""
        if self._sheet is not None:
            falling = self._by is None or self._by[0] != column or not self._by[1]
            self._by = column, falling
            self.show_lines(self._sheet)

    @property
    def picked_key(self) -> int | None:
        """The key of the picked line."""
        keys = self.picked_keys
        return keys[0] if keys else None

    @property
    def picked_keys(self) -> list[int]:
        """The keys of the picked lines, from above."""
        items = sorted(self.selectedItems(), key=lambda one: one.row())
        return list(dict.fromkeys(self._key_of(one) for one in items))

    @staticmethod
    def _key_of(item: QTableWidgetItem) -> int:
        return int(item.data(Qt.ItemDataRole.UserRole))

    def _on_picked(self) -> None:
        key = self.picked_key
        if key is not None:
            self.line_picked.emit(key)


class BenchSide(QWidget):
    """What stands beside the picture. `wanted` carries what one of its buttons is for."""

    wanted = Signal(BenchAction)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._side = SideNotes()
        self.over, self.title, self.words, self.notes = Label(), Label(), Label(), Label()
        self.big = QLabel()
        self.plot = PictureView(theme)
        self.plot.setFixedHeight(98)
        self.buttons = QVBoxLayout()
        self.buttons.setSpacing(6)
        self.facts = QGridLayout()
        self.facts.setVerticalSpacing(5)
        self.facts.setColumnStretch(0, 1)
        self.setFixedWidth(PANEL_WIDTH - 18)
        self.big.setTextFormat(Qt.TextFormat.RichText)
        self.title.setFont(face(14, BOLD))
        for label in (self.over, self.words, self.notes):
            label.setFont(face(12))
            tint(label, theme.dim)
        self.big.setWordWrap(True)
        for label in (self.title, self.words, self.notes):
            label.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 12, 12)
        column.setSpacing(6)
        for widget in (self.over, self.title, self.big, self.words, self.plot):
            column.addWidget(widget)
        column.addLayout(self.buttons)
        column.addSpacing(6)
        column.addLayout(self.facts)
        column.addSpacing(6)
        column.addWidget(self.notes)
        column.addStretch(1)

    def show_side(self, side: SideNotes, *, offered: tuple[BenchAction, str] | None) -> None:
        """Show this; `offered` is a button besides, for what is not kept yet."""
        self._side = side
        theme = self._theme
        for label, words in (
            (self.over, side.over),
            (self.title, side.title),
            (self.words, side.words),
            (self.notes, "\n\n".join(side.notes)),
        ):
            label.setText(words)
            label.setVisible(bool(words))
        ink = theme.level(Level.HIGH)
        self.big.setText(
            f"<span style='font-size: 28px; font-weight: 600; color: {ink}'>"
            f"{html.escape(side.big)}</span>"
            f"<span style='font-size: 14px; color: {theme.dim}'>&nbsp; "
            f"{html.escape(side.after_big)}</span>"
        )
        self.big.setVisible(bool(side.big))
        self.plot.show_picture(() if side.plot is None else ((side.plot,),))
        self.plot.setVisible(side.plot is not None)
        self._fill_buttons((*side.buttons, *((offered,) if offered else ())))
        self._fill_facts(side)

    def _fill_buttons(self, several: tuple[tuple[BenchAction, str], ...]) -> None:
        there = [self._button(at) for at in range(self.buttons.count())]
        if [(one.property("action"), one.text()) for one in there if one] == list(several):
            return
        for one in there:
            if one is not None:
                one.hide()
                one.deleteLater()
        while self.buttons.count():
            self.buttons.takeAt(0)
        for number, (action, words) in enumerate(several):
            button = QPushButton(words)
            button.setProperty("action", action)
            button.setObjectName("main" if number == 0 and action is BenchAction.TAKE else "small")
            button.clicked.connect(lambda _checked=False, action=action: self.wanted.emit(action))
            self.buttons.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)

    def _button(self, at: int) -> QPushButton | None:
        item = self.buttons.itemAt(at)
        widget = None if item is None else item.widget()
        return widget if isinstance(widget, QPushButton) else None

    def _fill_facts(self, side: SideNotes) -> None:
        while self.facts.count():
            item = self.facts.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for row, (name, told) in enumerate(side.facts):
            what, how = Label(name), Label(told)
            what.setFont(face(12))
            tint(what, self._theme.dim)
            how.setFont(face(12, BOLD))
            self.facts.addWidget(what, row, 0)
            self.facts.addWidget(how, row, 1, Qt.AlignmentFlag.AlignRight)

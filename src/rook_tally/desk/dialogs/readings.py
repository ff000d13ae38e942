"""The table of readings: opened on a series and the window, follows changes made in it."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, QTimer
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.number_format import figure
from rook_tally.core.series.readings import Quality
from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.readings_model import (
    COLUMNS,
    ReadingsAnswer,
    ReadingsModel,
    ReadingsQuery,
)
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.login import login_name

_Index = QModelIndex | QPersistentModelIndex
_WIDTHS = (190, 90, 90, 110)
_MOST_COPIED = 100_000
_COPIED_AT_ONCE = 200
_COPY_BUDGET_S = 0.006


class _Lines(QAbstractTableModel):
    """The model as Qt wants it: a line is made into text only when it is seen."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.model: ReadingsModel | None = None

    def take(self, model: ReadingsModel | None) -> None:
        self.beginResetModel()
        self.model = model
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() or self.model is None else len(self.model)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(COLUMNS)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.model is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.model.texts(index.row())[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() in (1, 2):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and index.column() in (1, 2):
            is_good = self.model.texts(index.row())[3] == tr(Quality.GOOD.wording)
            return colour(self._theme.ink if is_good else self._theme.faint)
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation is Qt.Orientation.Horizontal:
            return tr(COLUMNS[section])
        return None


class ReadingsTable(StoreDialog):
    """The readings of a series over a window."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: ClientScope,
        question: ReadingsQuery,
        parent: QWidget,
    ) -> None:
        super().__init__(client, parent)
        self._state, self._question = state, question
        one = question.series
        self.setWindowTitle(tr("Readings: {0} {1}", one.station.place.name, one.quantity.name))
        self.resize(720, 520)
        self.words = Label(tr("Reading …"))
        self.words.setFont(face(13, BOLD))
        tint(self.words, theme.ink)
        self.only_suspect = QCheckBox(tr("Only &suspect ones"))
        self.lines = _Lines(theme)
        self.table = QTableView()
        self.table.setModel(self.lines)
        self.table.setFont(face(12))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName(tr("readings"))
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.horizontalHeader().setStretchLastSection(True)
        for at, width in enumerate(_WIDTHS):
            self.table.setColumnWidth(at, width)
        self.table.setStyleSheet(
            f"QTableView::item:selected {{ background: {theme.rule}; color: {theme.ink}; }}"
        )
        self.good, self.suspect = (
            QPushButton(tr("Count as good")),
            QPushButton(tr("Count as suspect")),
        )
        self.copy, self.delete = QPushButton(tr("Copy")), QPushButton(tr("Delete"))
        self.delete.setObjectName("small")
        self.delete.setEnabled(False)
        self.delete.setToolTip(tr("Delete; Ctrl+Z, or for a month the command, brings them back"))
        for button, keys in ((self.good, "Ctrl+G"), (self.suspect, "Ctrl+X"), (self.copy, "")):
            button.setObjectName("small")
            button.setEnabled(False)
            if keys:
                button.setShortcut(keys)
                button.setToolTip(keys)
        self.copy.setToolTip("Ctrl+C")
        self._copying: _Copying | None = None
        self._copy_timer = QTimer(self, interval=0)
        self._copy_timer.timeout.connect(self._copy_some)
        self._lay_out()
        QShortcut(QKeySequence.StandardKey.Copy, self.table).activated.connect(self._copy)
        self.only_suspect.toggled.connect(self._filter)
        self.good.clicked.connect(lambda: self._overrule(Quality.GOOD))
        self.suspect.clicked.connect(lambda: self._overrule(Quality.SET_ASIDE))
        self.copy.clicked.connect(self._on_copy)
        self.delete.clicked.connect(self._delete)
        gone = QShortcut(QKeySequence.StandardKey.Delete, self.table)
        gone.setContext(Qt.ShortcutContext.WidgetShortcut)
        gone.activated.connect(self._delete)
        self.table.selectionModel().selectionChanged.connect(self._on_selected)
        self.read_again()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self.words, 1)
        head.addWidget(self.only_suspect)
        foot = QHBoxLayout()
        foot.addWidget(self.good)
        foot.addWidget(self.suspect)
        foot.addWidget(self.delete)
        foot.addStretch(1)
        foot.addWidget(self.copy)
        column = QVBoxLayout(self)
        column.addLayout(head)
        column.addWidget(self.table, 1)
        column.addLayout(foot)

    def read_again(self) -> None:
        """Read the readings."""
        self._client.read(self._question, self._show, self.words.setText)

    def _show(self, answer: ReadingsAnswer) -> None:
        model = ReadingsModel(answer, self._state.zone)
        model.show_only_suspect(self.only_suspect.isChecked())
        self.lines.take(model)
        self.words.setText(model.words())

    def _chosen(self) -> list[int]:
        rows: set[int] = set()
        # By its places: Qt's list of stretches cannot be walked through in Python's typing.
        chosen = self.table.selectionModel().selection()
        for at in range(chosen.count()):
            part = chosen.at(at)
            rows.update(range(part.top(), part.bottom() + 1))
        return sorted(rows)

    def _on_selected(self) -> None:
        is_any = self.table.selectionModel().hasSelection()
        for button in (self.good, self.suspect, self.delete, self.copy):
            button.setEnabled(is_any)

    def _filter(self, only: bool) -> None:
        model = self.lines.model
        if model is not None:
            model.show_only_suspect(only)
            self.lines.take(model)

    def _overrule(self, quality: Quality) -> None:
        if self.lines.model is None:
            return
        change = self.lines.model.overrule(
            self._chosen(), quality, who=login_name(), why=tr("looked at in the table of readings")
        )
        if change is not None:
            self._client.write(change, lambda _done: self.read_again())

    def _delete(self) -> None:
        if self.lines.model is None:
            return
        change = self.lines.model.delete(
            self._chosen(), who=login_name(), now_us=self._state.clock()
        )
        if change is not None:
            self._client.write(change, lambda _done: self.read_again(), self.words.setText)

    def _copy(self) -> None:
        model, chosen = self.lines.model, self._chosen()
        if model is None or self._copying is not None:
            return
        # Made in pieces: a hundred thousand lines must not hold the window up.
        self._copying = _Copying(model, chosen[:_MOST_COPIED], len(chosen))
        self.copy.setText(tr("Cancel copying"))
        self._copy_timer.start()

    def _on_copy(self) -> None:
        if self._copying is None:
            self._copy()
        else:
            self._end_copying(tr("Nothing was copied."))

    def _copy_some(self) -> None:
        copying = self._copying
        if copying is None:
            return
        copying.go_on()
        done, whole = copying.done, len(copying.lines)
        if not copying.is_finished:
            self.words.setText(tr("{0} of {1} lines copied …", figure(done, 0), figure(whole, 0)))
            return
        QGuiApplication.clipboard().setText(copying.text())
        words = tr_count(whole, "1 line copied.", "{1} lines copied.", figure(whole, 0))
        if copying.chosen > whole:
            words = tr(
                "{0} of the {1} chosen lines copied, the most there is room for; "
                "export the series for all of them.",
                figure(whole, 0),
                figure(copying.chosen, 0),
            )
        self._end_copying(words)

    def _end_copying(self, words: str) -> None:
        self._copying = None
        self._copy_timer.stop()
        self.copy.setText(tr("Copy"))
        self.words.setText(words)


class _Copying:
    """Lines on their way to the clipboard, some at a time."""

    def __init__(self, model: ReadingsModel, lines: Sequence[int], chosen: int) -> None:
        self._model, self.lines, self.chosen = model, lines, chosen
        self.done = 0
        self._parts = [model.heading()]

    @property
    def is_finished(self) -> bool:
        """True once every line is there."""
        return self.done >= len(self.lines)

    def go_on(self) -> None:
        """Write the next ones."""
        until = time.perf_counter() + _COPY_BUDGET_S
        while not self.is_finished and time.perf_counter() < until:
            part = self.lines[self.done : self.done + _COPIED_AT_ONCE]
            self._parts.append(self._model.lines_as_text(part))
            self.done += len(part)

    def text(self) -> str:
        """All of them under their names."""
        return "\n".join(self._parts)

"""The dialog of what was changed: when, who, what was and is; any of it can be taken back."""

from __future__ import annotations

from datetime import tzinfo

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.change_commands import ChangesQuery, UndoChange
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.login import login_name
from rook_tally.store.site.change_history import ConfigurationChange


def change_line(one: ConfigurationChange, zone: tzinfo) -> str:
    """A change in a line."""
    at = moment_words(datetime_from_time_us(one.time_us).astimezone(zone), year=True)
    told = f"{at}   {one.who}   {one.words}"
    return told if one.undone_by is None else f"{told}   " + tr("(taken back)")


class ChangesDialog(StoreDialog):
    """Lists the changes, finds those that have a word, and takes back the one that is picked."""

    def __init__(
        self, theme: Theme, state: SiteState, client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._state = state
        self._all: tuple[ConfigurationChange, ...] = ()
        self.setWindowTitle(tr("What was changed"))
        self.resize(820, 480)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Find: a name, a place, who"))
        self.filter.setAccessibleName(tr("find changes"))
        self.filter.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("changes"))
        self.list.setFont(face(12))
        self.list.setWordWrap(True)
        self.list.setStyleSheet(list_style(theme))
        self.nothing, self.problem = Label(tr("Nothing was changed yet.")), Label()
        tint(self.nothing, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.undo, close = QPushButton(tr("Take back")), QPushButton(tr("Close"))
        row = QHBoxLayout()
        row.addWidget(self.undo)
        row.addStretch(1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        for widget in (self.filter, self.nothing, self.list, self.problem):
            column.addWidget(widget, 1 if widget is self.list else 0)
        column.addLayout(row)
        self.filter.textChanged.connect(lambda _text: self._fill())
        self.list.currentItemChanged.connect(lambda *_: self._refresh())
        offer_buttons(self.list, self.undo)
        self.undo.clicked.connect(self._on_undo)
        close.clicked.connect(self.close)
        self.read_again()

    def read_again(self) -> None:
        """Read what was changed by now."""
        self._client.read(ChangesQuery(), self._show)

    @property
    def picked(self) -> ConfigurationChange | None:
        """The change that is picked."""
        item = self.list.currentItem()
        found = None if item is None else item.data(Qt.ItemDataRole.UserRole)
        return found if isinstance(found, ConfigurationChange) else None

    def _show(self, changes: tuple[ConfigurationChange, ...]) -> None:
        self._all = changes
        self._fill()

    def _fill(self) -> None:
        picked = None if self.picked is None else self.picked.id
        wanted = self.filter.text().casefold().split()
        self.list.clear()
        for one in self._all:
            line = change_line(one, self._state.zone)
            if all(word in line.casefold() for word in wanted):
                item = QListWidgetItem(line)
                item.setData(Qt.ItemDataRole.UserRole, one)
                self.list.addItem(item)
                if one.id == picked:
                    self.list.setCurrentItem(item)
        if self.list.currentRow() < 0 and self.list.count():
            self.list.setCurrentRow(0)
        self.nothing.setVisible(not self._all)
        self._refresh()

    def _refresh(self) -> None:
        self.undo.setEnabled(self.picked is not None and self.picked.undone_by is None)

    def _on_undo(self) -> None:
        if self.picked is None:
            return
        self._say("")
        self.undo.setEnabled(False)
        command = UndoChange(self.picked.id, login_name(), self._state.clock())
        self._client.write(command, self._on_undone, self._on_not_undone)

    def _on_undone(self, _done: UndoableResult) -> None:
        self.read_again()

    def _on_not_undone(self, why: str) -> None:
        self._say(why)
        self._refresh()

    def _say(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

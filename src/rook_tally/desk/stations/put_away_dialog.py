"""The stations that are out of use or were removed, and how to have them back."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.clock import now_us
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.stations.life_commands import ChangeLife, LifeStep, PutAway, PutAwayQuery
from rook_tally.desk.stations.texts import tr


class PutAwayDialog(QDialog):
    """Lists them, and puts the picked one into use again."""

    def __init__(self, theme: Theme, client: StoreClient, parent: QWidget) -> None:
        super().__init__(parent)
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Stations out of use"))
        self.resize(560, 320)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("stations out of use"))
        self.list.setStyleSheet(list_style(theme))
        self.list.setFont(face(13))
        self.nothing = Label(tr("Every station is in use, and none was removed lately."))
        tint(self.nothing, theme.dim)
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.restore, close = QPushButton(tr("Put into use")), QPushButton(tr("Close"))
        row = QHBoxLayout()
        row.addWidget(self.restore)
        row.addStretch(1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        for widget in (self.nothing, self.list, self.problem):
            column.addWidget(widget, 1 if widget is self.list else 0)
        column.addLayout(row)
        self.list.currentItemChanged.connect(lambda *_: self._refresh())
        self.list.itemActivated.connect(lambda *_: self._on_restore())
        offer_buttons(self.list, self.restore)
        self.restore.clicked.connect(self._on_restore)
        close.clicked.connect(self.close)
        self.problem.hide()
        self._read()

    def _read(self) -> None:
        self._client.read(PutAwayQuery(), self._show, self._say)

    def _show(self, found: tuple[PutAway, ...]) -> None:
        self.list.clear()
        for one in found:
            item = QListWidgetItem(f"{one.key}   {one.words}")
            item.setData(Qt.ItemDataRole.UserRole, one)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.nothing.setVisible(not found)
        self.list.setVisible(bool(found))
        self._refresh()

    @property
    def picked(self) -> PutAway | None:
        """The station that is picked."""
        item = self.list.currentItem()
        found = None if item is None else item.data(Qt.ItemDataRole.UserRole)
        return found if isinstance(found, PutAway) else None

    def _refresh(self) -> None:
        one = self.picked
        self.restore.setEnabled(one is not None)
        restores = one is not None and one.is_removed
        self.restore.setText(tr("Restore") if restores else tr("Put into use"))

    def _on_restore(self) -> None:
        one = self.picked
        if one is None:
            return
        self.problem.hide()
        step = LifeStep.RESTORE if one.is_removed else LifeStep.USE
        self._client.write(ChangeLife(step, one.key, now_us()), self._on_done, self._say)

    def _on_done(self, _done: UndoableResult) -> None:
        self._read()

    def _say(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.show()

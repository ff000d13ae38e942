"""The Ledger view: table and side panel."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QStackedLayout, QVBoxLayout, QWidget

from rook_tally.desk.ledger.account import Account, AccountQuestion
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.side_panel import SidePanel
from rook_tally.desk.ledger.table import LedgerTable
from rook_tally.desk.parts.ink import MEDIUM, face
from rook_tally.desk.shell.reader import Reader, Reply
from rook_tally.desk.shell.state import SiteState
from rook_tally.desk.shell.theme import Theme
from rook_tally.store import Series

_ACCOUNT_PAUSE_MS = 250


class LedgerView(QWidget):
    """Places down, quantities across. `series_opened` asks for series to be shown in the Strip."""

    series_opened = Signal(list)

    def __init__(self, theme: Theme, state: SiteState, reader: Reader) -> None:
        super().__init__()
        self._state = state
        self._reader = reader
        self._picked: Series | None = None
        self.model = LedgerModel(state)
        self.table = LedgerTable(self.model, theme, self)
        self.panel = SidePanel(theme, state, self)
        # Readings come faster than an account is worth reading again.
        self._account_timer = QTimer(self, singleShot=True, interval=_ACCOUNT_PAUSE_MS)
        self._account_timer.timeout.connect(self._ask_for_account)
        self._stack = QStackedLayout()
        sheet = QWidget()
        beside = QHBoxLayout(sheet)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.table, 1)
        beside.addWidget(self.panel)
        self._stack.addWidget(sheet)
        self._stack.addWidget(_empty_sheet())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._stack)
        self.panel.open_in_strip.connect(self._open_picked)
        self.table.doubleClicked.connect(self._open_picked)
        self.model.laid_out.append(self._on_laid_out)
        self.model.cells_changed.append(self._on_cells_changed)
        self._watch_selection()

    def _watch_selection(self) -> None:
        self.table.selectionModel().currentChanged.connect(self._on_current_changed)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter opens the picked cell in the Strip."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open_picked()
        else:
            super().keyPressEvent(event)

    def pick(self, row: int, column: int) -> None:
        """Pick a cell, as the mouse or the arrow keys do."""
        self.table.setCurrentIndex(self.table.model().index(row, column))

    def take_reply(self, reply: Reply) -> None:
        """Show an account that was asked for, if it is still the one wanted."""
        answer = reply.answer
        if isinstance(answer, Account) and answer.series == self._picked:
            self.panel.show_account(answer)

    def _open_picked(self, *_: object) -> None:
        if self._picked is not None:
            self.series_opened.emit([self._picked])

    def _on_laid_out(self) -> None:
        is_empty = not self.model.columns
        self._stack.setCurrentIndex(1 if is_empty and self._state.is_loaded else 0)
        if is_empty:
            return
        where = self._position_of_picked() or self.model.worst_cell()
        if where is not None:
            self.pick(*where)

    def _position_of_picked(self) -> tuple[int, int] | None:
        if self._picked is None:
            return None
        for row in range(len(self.model.rows)):
            for column in range(len(self.model.columns)):
                if any(one.id == self._picked.id for one in self.model.series_at(row, column)):
                    return row, column
        return None

    def _on_current_changed(self, current: QModelIndex, _previous: QModelIndex) -> None:
        several = self.model.series_at(current.row(), current.column())
        self._picked = several[0] if several else None
        if self._picked is None or self._picked.id not in self._state.latest:
            self.panel.show_account(None)
            return
        self._ask_for_account()

    def _on_cells_changed(self, cells: set[tuple[int, int]]) -> None:
        current = self.table.currentIndex()
        if (current.row(), current.column()) in cells and not self._account_timer.isActive():
            self._account_timer.start()

    def _ask_for_account(self) -> None:
        if self._picked is None or self._picked.id not in self._state.latest:
            return
        newest = self._state.latest[self._picked.id]
        self._reader.ask(
            AccountQuestion(self._picked, newest, self._state.now_us, self._state.zone)
        )


def _empty_sheet() -> QWidget:
    """What stands here before anything was ever heard."""
    sheet = QWidget()
    column = QVBoxLayout(sheet)
    column.addStretch(1)
    for text, font in (
        ("Nothing has been heard yet", face(19, MEDIUM)),
        (
            "Look at the demo:   rook-tally demo\n"
            'Connect a station:   rook-tally station add kiln-1 --place "Kiln room"\n'
            "and let it send to the doors that  rook-tally collect  opens.",
            face(13),
        ),
    ):
        label = QLabel(text)
        label.setFont(font)
        label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(label)
        column.addSpacing(8)
    column.addStretch(1)
    return sheet

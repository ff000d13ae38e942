"""The dialog of what leaves this machine: every way out, each with its switch."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.core.ways_out import WayOutSort
from rook_tally.desk.data.leaving_commands import (
    RemoveForward,
    RevokeReadKey,
    SwitchForward,
    SwitchPages,
    SwitchWay,
    WaysOutQuery,
)
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope, Command
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.leaving.ways_out import SWITCHED_APART, WayOut, summary

_HEADS = ("What", "Name", "To whom", "What of", "Last", "How much", "Allowed")
_ELSEWHERE = {
    WayOutSort.MAIL: "Channels are altered and deleted in the Watch view.",
    WayOutSort.WEBHOOK: "Channels are altered and deleted in the Watch view.",
    WayOutSort.MESSAGE: "Channels are altered and deleted in the Watch view.",
    WayOutSort.DOOR: "Switched off, it is open to this machine only; a broker of others is left.",
}


class LeavesDialog(StoreDialog):
    """Lists every way out and switches the picked one. `forward_wanted` says that the form of a
    forward is wanted, by its name, or of a new one."""

    forward_wanted = Signal(str)
    keys_wanted = Signal()

    def __init__(
        self, theme: Theme, state: SiteState, client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._state = theme, state
        self.ways: tuple[WayOut, ...] = ()
        self.setWindowTitle(tr("What leaves this machine"))
        self.resize(900, 420)
        self.said, self.note, self.problem = Label(), Label(), Label()
        self.said.setFont(face(15, BOLD))
        self.note.setWordWrap(True)
        self.problem.setWordWrap(True)
        tint(self.note, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.hide()
        self.table = RowTable(theme, [tr(one) for one in _HEADS], tr("ways out"))
        self.switch, close = QPushButton(tr("Switch off")), QPushButton(tr("Close"))
        self.new, self.keys = QPushButton(tr("New forward…")), QPushButton(tr("Keys…"))
        self.alter, self.remove = QPushButton(tr("Change…")), QPushButton(tr("Delete"))
        row = QHBoxLayout()
        for button in (self.new, self.keys, self.alter, self.remove, self.switch):
            row.addWidget(button)
        row.addWidget(self.note, 1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(self.said)
        column.addWidget(self.table, 1)
        column.addWidget(self.problem)
        column.addLayout(row)
        self.table.itemSelectionChanged.connect(self._refresh)
        offer_buttons(self.table, self.switch, self.alter, remove=self.remove)
        self.switch.clicked.connect(self._on_switch)
        self.new.clicked.connect(lambda: self.forward_wanted.emit(""))
        self.alter.clicked.connect(self._alter)
        self.table.doubleClicked.connect(self._alter)
        self.remove.clicked.connect(self._on_remove)
        self.keys.clicked.connect(self.keys_wanted)
        close.clicked.connect(self.close)
        self.read_again()

    def read_again(self) -> None:
        """Read what there is by now."""
        self._client.read(WaysOutQuery(self._state.clock()), self._show)

    @property
    def picked(self) -> WayOut | None:
        """The way that is picked."""
        at = self.table.currentRow()
        return self.ways[at] if 0 <= at < len(self.ways) else None

    def _show(self, ways: tuple[WayOut, ...]) -> None:
        at = max(0, self.table.currentRow())
        self.ways = ways
        self.said.setText(summary(list(ways)))
        off = {row for row, one in enumerate(ways) if not one.is_on}
        self.table.fill([self._cells(one) for one in ways], faint=off)
        if ways:
            self.table.selectRow(min(at, len(ways) - 1))
        self._refresh()

    def _cells(self, one: WayOut) -> tuple[str, ...]:
        much = "" if one.count is None else f"{one.count:,}"
        if one.sent_bytes is not None:
            much = f"{much} · {one.sent_bytes / 1000:,.0f} kB"
        allowed = " ".join(told for told in (one.allowed_by, self._moment(one.allowed_us)) if told)
        last = tr("off") if not one.is_on else self._moment(one.last_us) or tr("never")
        return tr(one.sort.value), one.name, one.whom, one.what, last, much, allowed

    def _moment(self, time_us: int | None) -> str:
        if not time_us:
            return ""
        return moment_words(datetime_from_time_us(time_us).astimezone(self._state.zone))

    def _refresh(self) -> None:
        one = self.picked
        command = None if one is None else self._command(one)
        self.switch.setEnabled(command is not None)
        is_forward = one is not None and one.sort is WayOutSort.FORWARD
        for button in (self.alter, self.remove):
            button.setVisible(is_forward)
        is_key = one is not None and one.sort is WayOutSort.READ_KEY
        words = tr("Revoke") if is_key else tr("Switch off")
        self.switch.setText(words if one is None or one.is_on else tr("Switch on"))
        self.note.setText("" if one is None else one.trouble or tr(_ELSEWHERE.get(one.sort, "")))

    def _command(self, one: WayOut) -> Command[UndoableResult] | None:
        match one.sort:
            case WayOutSort.FORWARD:
                return SwitchForward(one.name, not one.is_on, self._state.clock())
            case WayOutSort.PAGE:
                return SwitchPages(not one.is_on)
            case WayOutSort.READ_KEY:
                return RevokeReadKey(one.name)
            case _ if one.sort in SWITCHED_APART:
                return SwitchWay(one.sort, one.name, not one.is_on)
            case _:
                return None

    def _on_switch(self) -> None:
        command = None if self.picked is None else self._command(self.picked)
        if command is not None:
            self.problem.hide()
            self._client.write(command, lambda _done: self.read_again(), self._on_not_done)

    def _alter(self) -> None:
        if self.picked is not None and self.picked.sort is WayOutSort.FORWARD:
            self.forward_wanted.emit(self.picked.name)

    def _on_remove(self) -> None:
        if self.picked is not None and self.picked.sort is WayOutSort.FORWARD:
            command = RemoveForward(self.picked.name)
            self._client.write(command, lambda _done: self.read_again(), self._on_not_done)

    def _on_not_done(self, why: str) -> None:
        self.problem.setText(why)
        self.problem.show()

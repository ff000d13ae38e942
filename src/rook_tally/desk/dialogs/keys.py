"""The dialog of keys: programs that read, and gateways that send for several stations."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.key_commands import (
    AddGatewayKey,
    AddReadKey,
    Keys,
    KeysQuery,
    RevokeGatewayKey,
)
from rook_tally.desk.data.leaving_commands import RevokeReadKey
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import SavedResult
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site.read_keys import ReadScope

_HEADS = ("Name", "What it may", "Made", "Used")
_GATEWAY, _ALL = "gateway", "all"


class KeysDialog(StoreDialog):
    """Lists keys, makes new ones, which are shown this once, and revokes the picked one."""

    def __init__(
        self, theme: Theme, state: SiteState, client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._state = state
        self.setWindowTitle(tr("Keys"))
        self.resize(820, 400)
        self._rows: list[tuple[str, bool]] = []
        self.table = RowTable(theme, [tr(one) for one in _HEADS], tr("keys"))
        self.name, self.may = QLineEdit(), QComboBox()
        self.name.setPlaceholderText(tr("whose: the school, shed"))
        self.name.setAccessibleName(tr("whose key"))
        self.may.setAccessibleName(tr("what it may"))
        self.may.addItem(tr("may read everything"), _ALL)
        for place in state.site.places:
            self.may.addItem(tr("may read {0}", place.name), place.name)
        self.may.addItem(tr("is a gateway: may send for stations of its own"), (_GATEWAY,))
        self.make, self.revoke = QPushButton(tr("Make a key")), QPushButton(tr("Revoke"))
        self.key, self.copy = Label(), QPushButton(tr("Copy"))
        self.key.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.key.setAccessibleName(tr("the key, shown this once"))
        self.said, self.problem = Label(), Label()
        for label in (self.said, self.problem):
            label.setWordWrap(True)
        tint(self.said, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self._lay_out()
        self.table.itemSelectionChanged.connect(self._refresh)
        self.name.textChanged.connect(self._refresh)
        offer_buttons(self.table, remove=self.revoke)
        self.make.clicked.connect(self._on_make)
        self.name.returnPressed.connect(self._on_make)
        self.revoke.clicked.connect(self._on_revoke)
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.key.text()))
        self._show_key("", "")
        self.read_again()

    def _lay_out(self) -> None:
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.close)
        for button in (self.make, self.revoke, close):
            # Enter makes the key, and nothing else.
            button.setAutoDefault(False)
        new, shown, foot = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        new.addWidget(self.name, 1)
        new.addWidget(self.may, 1)
        new.addWidget(self.make)
        shown.addWidget(self.key)
        shown.addWidget(self.copy)
        shown.addStretch(1)
        foot.addWidget(self.revoke)
        foot.addStretch(1)
        foot.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(self.table, 1)
        column.addLayout(new)
        column.addWidget(self.said)
        column.addLayout(shown)
        column.addWidget(self.problem)
        column.addLayout(foot)

    def read_again(self) -> None:
        """Read what there is by now."""
        self._client.read(KeysQuery(), self._show)

    def _show(self, keys: Keys) -> None:
        lines: list[tuple[bool, tuple[str, ...]]] = []
        for one in keys.reading:
            what = ", ".join((*one.scope.places, *one.scope.groups)) or tr("everything")
            used = tr("never") if one.used_us is None else self._moment(one.used_us)
            if one.requests:
                used = f"{used} · {tr_count(one.requests, '1 time', '{0} times')}"
            made = f"{one.who} {self._moment(one.made_us)}"
            lines.append((False, (one.name, tr("read {0}", what), made, used)))
        for gateway in keys.gateways:
            behind = [
                one.key
                for one in self._state.site.stations
                if one.key.startswith(f"{gateway.name}.")
            ]
            made = f"{gateway.who} {self._moment(gateway.made_us)}"
            used = ", ".join(behind) or tr("no station taken in yet")
            what = tr("send, as {0}.STATION", gateway.name)
            lines.append((True, (gateway.name, what, made, used)))
        self._rows = [(cells[0], is_gateway) for is_gateway, cells in lines]
        self.table.fill([cells for _, cells in lines])
        self._refresh()

    def _moment(self, time_us: int) -> str:
        return moment_words(datetime_from_time_us(time_us).astimezone(self._state.zone))

    def _refresh(self) -> None:
        self.revoke.setEnabled(0 <= self.table.currentRow() < len(self._rows))
        self.make.setEnabled(bool(self.name.text().strip()))

    def _on_make(self) -> None:
        name, chosen = self.name.text().strip(), self.may.currentData()
        if not name:
            return
        self.problem.setText("")
        now_us = self._state.clock()
        if not isinstance(chosen, str):
            self._client.write(
                AddGatewayKey(slug_of(name), now_us),
                lambda done: self._on_made(slug_of(name), done),
                self.problem.setText,
            )
            return
        scope = ReadScope() if chosen == _ALL else ReadScope((chosen,))
        self._client.write(
            AddReadKey(name, scope, now_us),
            lambda done: self._on_made(name, done),
            self.problem.setText,
        )

    def _on_made(self, name: str, done: SavedResult[str]) -> None:
        self.name.clear()
        self._show_key(tr("The key of {0}, shown this once:", name), done.saved)
        self.read_again()

    def _show_key(self, words: str, key: str) -> None:
        self.said.setText(words)
        self.key.setText(key)
        for one in (self.said, self.key, self.copy):
            one.setVisible(bool(key))

    def _on_revoke(self) -> None:
        name, is_gateway = self._rows[self.table.currentRow()]
        command = RevokeGatewayKey(name) if is_gateway else RevokeReadKey(name)
        self.problem.setText("")
        self._client.write(command, lambda _done: self.read_again(), self.problem.setText)

"""Files that were read: what each brought, and taking one back."""

from __future__ import annotations

from datetime import tzinfo

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.import_undo import ImportsQuery, TakeBackImport
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.exchange.imports import Import

_HEADS = ("read on", "file", "readings it brought")


class ImportsDialog(StoreDialog):
    """Lists the imports that can be taken back, and takes back the picked one."""

    def __init__(self, theme: Theme, zone: tzinfo, client: ClientScope, parent: QWidget) -> None:
        super().__init__(client, parent)
        self._zone = zone
        self._imports: tuple[Import, ...] = ()
        self.setWindowTitle(tr("Files that were read"))
        self.resize(620, 360)
        self.table = RowTable(theme, [tr(one) for one in _HEADS], tr("files that were read"))
        self.said = Label()
        self.said.setWordWrap(True)
        self._plain, self._wrong = theme.dim, theme.level(Level.HIGH)
        self.undo, close = QPushButton(tr("Take back")), QPushButton(tr("Close"))
        row = QHBoxLayout()
        row.addWidget(self.undo)
        row.addStretch(1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(self.table, 1)
        column.addWidget(self.said)
        column.addLayout(row)
        offer_buttons(self.table, remove=self.undo)
        self.table.itemSelectionChanged.connect(self._refresh)
        self.undo.clicked.connect(self._on_undo)
        close.clicked.connect(self.close)
        self._say(
            tr(
                "Its readings are taken out, but for those that were changed since; read the file "
                "again to have them back."
            )
        )
        self.read_again()

    def read_again(self) -> None:
        """Read which files were read by now."""
        self._client.read(ImportsQuery(), self._show, self._complain)

    def _show(self, found: tuple[Import, ...]) -> None:
        self._imports = found
        self.table.fill(
            [
                (
                    moment_words(
                        datetime_from_time_us(one.made_us).astimezone(self._zone), year=True
                    ),
                    one.name,
                    figure(one.readings, 0),
                )
                for one in found
            ]
        )
        if found:
            self.table.selectRow(0)
        self._refresh()

    def _refresh(self) -> None:
        self.undo.setEnabled(0 <= self.table.currentRow() < len(self._imports))

    def _on_undo(self) -> None:
        self.undo.setEnabled(False)
        picked = self._imports[self.table.currentRow()]
        self._client.write(TakeBackImport(picked.id), self._on_undone, self._complain)

    def _on_undone(self, done: UndoableResult) -> None:
        self._say(done.words)
        self.read_again()

    def _complain(self, why: str) -> None:
        self._say(why, is_wrong=True)
        self._refresh()

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        tint(self.said, self._wrong if is_wrong else self._plain)
        self.said.setText(words)

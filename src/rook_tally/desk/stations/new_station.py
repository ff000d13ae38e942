"""A station added before it has said anything: its key, its place, what sort it is."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.commands import AddStation, Choices
from rook_tally.desk.stations.texts import tr


class NewStationDialog(SavingDialog):
    """Adds a station. `added` carries its key and its access key, which is told this once."""

    added = Signal(str, str)

    def __init__(self, theme: Theme, client: StoreClient, parent: QWidget) -> None:
        super().__init__(theme, parent, main_words=tr("Add"))
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self.setWindowTitle(tr("Connect a station"))
        self.setMinimumWidth(460)
        told = Label(
            tr(
                "Give it a name to send by. What it measures is known from what it sends; "
                "you get the address, its key and programs that send, ready to run."
            )
        )
        told.setWordWrap(True)
        tint(told, theme.dim)
        self.key = QLineEdit()
        self.key.setPlaceholderText(tr("such as kiln-1"))
        self.place, self.kind = QComboBox(), QComboBox()
        self.place.setEditable(True)
        self.indoors = QCheckBox(tr("indoors, if the place is new"))
        self.indoors.setChecked(True)
        form = QFormLayout()
        form.addRow(tr("Station ID"), self.key)
        form.addRow(tr("Place"), self.place)
        form.addRow("", self.indoors)
        form.addRow(tr("Kind"), self.kind)
        self.add = self.main
        column = QVBoxLayout(self)
        column.addWidget(told)
        column.addLayout(form)
        column.addWidget(self.problem)
        column.addWidget(self.buttons)
        self.buttons.accepted.connect(self.save)

    def offer(self, choices: Choices) -> None:
        """Offer the places and kinds there are; what was typed meanwhile stays."""
        was_touched = self.is_touched
        typed = self.place.currentText()
        if not self.place.count():
            self.place.addItems(choices.places)
            self.place.setEditText(typed or next(iter(choices.places), ""))
        for slug, name in choices.kinds.items():
            self.kind.addItem(name, slug)
        self.kind.setCurrentIndex(max(0, self.kind.findData("plain")))
        if not was_touched:
            self.ask_about(self.main)

    def save(self) -> None:
        """Have it added."""
        wanted = self.wanted
        if not wanted.key or not wanted.place:
            self.say(tr("A station needs an ID and a place."))
            (self.key if not wanted.key else self.place).setFocus()
            return
        self.begin_saving()
        self._client.write(wanted, partial(self._on_added, wanted.key), self.not_saved)

    def _on_added(self, key: str, access_key: str) -> None:
        self.added.emit(key, access_key)
        self.saved()

    @property
    def wanted(self) -> AddStation:
        """The command that adds the station."""
        return AddStation(
            self.key.text().strip(),
            self.place.currentText().strip(),
            self.kind.currentData() or "plain",
            self.indoors.isChecked(),
        )

"""Where a station hangs, in words and as a photograph."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.file_dialog import file_to_read
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.picture_file import picture_of_file
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.plan.commands import SayWhere
from rook_tally.desk.plan.texts import tr
from rook_tally.store.site import Station

PICTURES = "(*.png *.jpg *.jpeg *.svg)"


class WhereDialog(SavingDialog):
    """Asks where a station hangs."""

    def __init__(
        self, theme: Theme, client: StoreClient, station: Station, now_us: int, parent: QWidget
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._client, self._station, self._now_us = client.scope(), station, now_us
        self.finished.connect(self._client.close)
        self._photograph: bytes | None = None
        self._number = station.photograph_id
        self.setWindowTitle(tr("Where {0} hangs", station.key))
        self.setMinimumWidth(480)
        self.words = QLineEdit(station.hangs)
        self.words.setAccessibleName(tr("where it hangs"))
        self.words.setPlaceholderText(tr("such as: on the left wall, 1.6 m up"))
        self.choose, self.drop = QPushButton(tr("Choose…")), QPushButton(tr("Remove"))
        self.told = Label(tr("There is one.") if self._number is not None else tr("None yet."))
        tint(self.told, theme.dim)
        row = QHBoxLayout()
        row.addWidget(self.told, 1)
        for button in (self.choose, self.drop):
            button.setObjectName("small")
            row.addWidget(button)
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        form.addRow(tr("It hangs"), self.words)
        form.addRow(tr("Photograph"), row)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        self.choose.clicked.connect(self._on_choose)
        self.drop.clicked.connect(self._on_drop)
        self.buttons.accepted.connect(self._save)

    def _on_choose(self) -> None:
        dialog = file_to_read(self, FilePurpose.PLAN, tr("Choose a photograph"), PICTURES)
        dialog.fileSelected.connect(self.take)
        dialog.open()

    def take(self, path: str) -> None:
        """Take a photograph from a file."""
        try:
            self._photograph = picture_of_file(Path(path))
        except UsageError as error:
            self.say(str(error))
            return
        self.say("")
        self.told.setText(Path(path).name)

    def _on_drop(self) -> None:
        self._photograph = self._number = None
        self.told.setText(tr("None."))

    def _save(self) -> None:
        self.begin_saving()
        station = self._station
        wanted = SayWhere(
            station.id, station.key, self.words.text(), self._number, self._photograph, self._now_us
        )
        self._client.write(wanted, self.saved, self.not_saved)

"""A CSV file read into a station's series: a rehearsal first, then for good."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import RookTallyError
from rook_tally.core.i18n import said
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_importer import FileImporter
from rook_tally.desk.data.site_state import SiteState


class ImportDialog(QDialog):
    """Asks for the file and the station; says what would be kept before anything is."""

    told = Signal(str, bool)

    def __init__(
        self, theme: Theme, state: SiteState, importer: FileImporter, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._importer = importer
        self._thread: threading.Thread | None = None
        self.setWindowTitle(said("Read a CSV file"))
        self.setMinimumWidth(560)
        self.file, self.zone = QLineEdit(), QLineEdit(state.site.zone)
        self.file.setAccessibleName(said("file"))
        self.zone.setAccessibleName(said("time zone of its times"))
        self.station = QComboBox()
        self.station.setEditable(True)
        self.station.setAccessibleName(said("station"))
        self.station.addItems([one.key for one in state.site.stations])
        self.columns = QLineEdit()
        self.columns.setPlaceholderText(said("as their names say, or temp=temperature:°F …"))
        self.columns.setAccessibleName(said("what its columns mean"))
        self.dates = QComboBox()
        self.dates.setAccessibleName(said("what stands first in its dates"))
        for label, order in (
            (said("found out from the file"), ""),
            (said("the day: 11/05 is in May"), "day-first"),
            (said("the month: 11/05 is in November"), "month-first"),
        ):
            self.dates.addItem(label, order)
        self.said = QPlainTextEdit()
        self.said.setReadOnly(True)
        self.said.setAccessibleName(said("what the file holds"))
        self.said.setPlaceholderText(
            said(
                "Choose a file and the station it belongs to. "
                "A station is added in the Stations view."
            )
        )
        self.choose = QPushButton(said("Choose …"))
        self.rehearse, self.read = (
            QPushButton(said("What would it bring?")),
            QPushButton(said("Read it")),
        )
        self.choose.setObjectName("small")
        self.read.setObjectName("main")
        self.read.setEnabled(False)
        row = QHBoxLayout()
        row.addWidget(self.file, 1)
        row.addWidget(self.choose)
        form = QFormLayout()
        form.addRow(said("File"), row)
        form.addRow(said("Station"), self.station)
        form.addRow(said("Time zone"), self.zone)
        form.addRow(said("Columns"), self.columns)
        form.addRow(said("Dates begin with"), self.dates)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.rehearse)
        foot.addWidget(self.read)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.said, 1)
        column.addLayout(foot)
        self.choose.clicked.connect(self._on_choose)
        self.rehearse.clicked.connect(lambda: self._begin(dry_run=True))
        self.read.clicked.connect(lambda: self._begin(dry_run=False))
        self.told.connect(self._on_told)
        for changed in (
            self.file.textChanged,
            self.station.editTextChanged,
            self.zone.textChanged,
            self.columns.textChanged,
            self.dates.currentTextChanged,
        ):
            changed.connect(lambda _: self.read.setEnabled(False))

    def _on_choose(self) -> None:
        dialog = QFileDialog(self, said("Choose a file"), "", "CSV (*.csv *.txt);;All (*)")
        dialog.fileSelected.connect(self.file.setText)
        dialog.open()

    def _begin(self, *, dry_run: bool) -> None:
        if self._thread is not None:
            return
        for button in (self.rehearse, self.read):
            button.setEnabled(False)
        self.said.setPlainText(said("Reading …"))
        self._thread = threading.Thread(
            target=self._run,
            daemon=True,
            name="importing",
            args=(
                Path(self.file.text()),
                self.station.currentText(),
                self.zone.text(),
                dry_run,
                self.columns.text(),
                str(self.dates.currentData()),
            ),
        )
        self._thread.start()

    def _run(
        self, file: Path, station: str, zone: str, dry_run: bool, columns: str, dates: str
    ) -> None:
        try:
            told = self._importer(
                file, station, zone, dry_run=dry_run, columns=columns, dates=dates
            )
            self.told.emit(told, dry_run)
        except RookTallyError as error:
            self.told.emit(str(error), False)

    def _on_told(self, text: str, can_be_read: bool) -> None:
        if self._thread is not None:
            self._thread.join()
        self._thread = None
        self.said.setPlainText(text)
        self.rehearse.setEnabled(True)
        self.read.setEnabled(can_be_read)

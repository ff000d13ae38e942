"""A CSV file read into a station's series: a preview first, then for good."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import CancelledError, RookTallyError, UsageError
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_importer import (
    ColumnLook,
    ColumnRole,
    FileImporter,
    FileLooker,
    FileToImport,
    lines_above,
)
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.file_dialog import file_to_read

_LOOK_MS = 150
_TABLE_HEIGHT = 190


class ColumnTable(QTableWidget):
    """The columns of a file, its first cells, and what each is taken for. `changed` tells of a
    choice."""

    changed = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__(0, 4)
        self.setAccessibleName(tr("columns of the file"))
        self.setHorizontalHeaderLabels(
            [tr("column"), tr("first cells"), tr("measures"), tr("unit")]
        )
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column, width in ((0, 130), (2, 190), (3, 90)):
            self.setColumnWidth(column, width)
        self.setStyleSheet(f"QTableWidget::item {{ border-bottom: 1px solid {theme.rule}; }}")
        self.setMinimumHeight(_TABLE_HEIGHT)
        self._names: list[str] = []

    def show_columns(self, columns: Sequence[ColumnLook]) -> None:
        """Show the columns of a file with what is proposed for each."""
        self._names = [one.name for one in columns]
        self.setRowCount(len(columns))
        for at, one in enumerate(columns):
            self.setItem(at, 0, QTableWidgetItem(one.name))
            self.setItem(at, 1, QTableWidgetItem(" · ".join(one.cells)))
            quantity, unit = QComboBox(), QComboBox()
            quantity.addItem(tr("not read"), "")
            quantity.addItem(tr("says when"), ColumnRole.TIME)
            quantity.addItem(tr("says which station"), ColumnRole.STATION)
            quantity.insertSeparator(quantity.count())
            for known in sorted(QUANTITIES.values(), key=lambda known: tr(known.name)):
                quantity.addItem(tr(known.name), known.slug)
            is_read = one.role is ColumnRole.READINGS
            meant = one.quantity if is_read else one.role
            quantity.setCurrentIndex(max(0, quantity.findData(meant)))
            quantity.setAccessibleName(tr("what {0} measures", one.name))
            unit.setAccessibleName(tr("unit of {0}", one.name))
            self.setCellWidget(at, 2, quantity)
            self.setCellWidget(at, 3, unit)
            self._offer_units(at, one.unit)
            quantity.currentIndexChanged.connect(lambda _, at=at: self._on_quantity(at))
            unit.currentIndexChanged.connect(lambda _: self.changed.emit())

    def _on_quantity(self, at: int) -> None:
        meant = self.choices(at)[0].currentData()
        if isinstance(meant, ColumnRole):
            # One column says it.
            for other in range(self.rowCount()):
                quantity, _ = self.choices(other)
                if other != at and quantity.currentData() is meant:
                    quantity.setCurrentIndex(0)
        self._offer_units(at, "")
        self.changed.emit()

    def _offer_units(self, at: int, picked: str) -> None:
        quantity, unit = self.choices(at)
        meant = quantity.currentData()
        known = QUANTITIES.get(meant) if isinstance(meant, str) else None
        unit.clear()
        for one in () if known is None else known.units:
            unit.addItem(one.symbol or tr("no unit"), one.symbol)
        unit.setCurrentIndex(max(0, unit.findData(picked)))
        unit.setEnabled(unit.count() > 1)

    def choices(self, at: int) -> tuple[QComboBox, QComboBox]:
        """What is chosen for a column: its quantity and its unit."""
        quantity, unit = self.cellWidget(at, 2), self.cellWidget(at, 3)
        assert isinstance(quantity, QComboBox)
        assert isinstance(unit, QComboBox)
        return quantity, unit

    def meant(self) -> tuple[tuple[str, str, str], ...]:
        """Column, quantity and unit of those that are read."""
        chosen = [(name, *self.choices(at)) for at, name in enumerate(self._names)]
        return tuple(
            (name, str(quantity.currentData()), str(unit.currentData()))
            for name, quantity, unit in chosen
            if isinstance(quantity.currentData(), str) and quantity.currentData()
        )

    def column_of(self, role: ColumnRole) -> str:
        """The column that is for that; empty where none is."""
        for at, name in enumerate(self._names):
            if self.choices(at)[0].currentData() is role:
                return name
        return ""


class ImportDialog(QDialog):
    """Asks for the file and the station; says what would be kept before anything is."""

    told = Signal(str, bool, int)
    advanced = Signal(float)
    imported = Signal(str, int)
    looked = Signal(object, str)
    earlier_wanted = Signal()

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        importer: FileImporter,
        parent: QWidget,
        looker: FileLooker | None = None,
    ) -> None:
        super().__init__(parent)
        self._importer, self._looker = importer, looker
        self.mapping = ColumnTable(theme)
        self.mapping.hide()
        self.looked.connect(self._on_looked)
        self._look_soon = QTimer(self, singleShot=True, interval=_LOOK_MS)
        self._look_soon.timeout.connect(self._look)
        self._thread: threading.Thread | None = None
        self._begun: FileToImport | None = None
        self._closes_then = False
        self._cancelled = threading.Event()
        self.setWindowTitle(tr("Read a CSV file"))
        self.setMinimumWidth(640)
        self.file, self.zone = QLineEdit(), QLineEdit(state.site.zone)
        self.file.setAccessibleName(tr("file"))
        self.zone.setAccessibleName(tr("time zone of its times"))
        self.station = QComboBox()
        self.station.setEditable(True)
        self.station.setAccessibleName(tr("station"))
        self.station.addItems([one.key for one in state.site.stations])
        self.columns = QLineEdit()
        self.columns.setPlaceholderText(tr("as their names say, or temp=temperature:°F …"))
        self.columns.setAccessibleName(tr("what its columns mean"))
        self.dates = QComboBox()
        self.dates.setAccessibleName(tr("what stands first in its dates"))
        for label, order in (
            (tr("found out from the file"), ""),
            (tr("the day: 11/05 is in May"), "day-first"),
            (tr("the month: 11/05 is in November"), "month-first"),
        ):
            self.dates.addItem(label, order)
        self.numbers = QComboBox()
        self.numbers.setAccessibleName(tr("how its numbers are written"))
        for label, style in (
            (tr("found out from the file"), ""),
            (tr("1,234.5: a point before the decimals"), "1,234.5"),
            (tr("1.234,5: a comma before the decimals"), "1.234,5"),
        ):
            self.numbers.addItem(label, style)
        self.skip = QLineEdit()
        self.skip.setAccessibleName(tr("lines above its header"))
        self.skip.setPlaceholderText(tr("found out from the file"))
        self.said = QPlainTextEdit()
        self.said.setReadOnly(True)
        self.said.setAccessibleName(tr("what the file holds"))
        self.said.setPlaceholderText(
            tr(
                "Choose a file and the station it belongs to. "
                "A station is added in the Stations view."
            )
        )
        self.choose = QPushButton(tr("Choose…"))
        self.preview, self.read = (QPushButton(tr("Preview")), QPushButton(tr("Import")))
        self.earlier = QPushButton(tr("Files read before…"))
        self.earlier.clicked.connect(self.earlier_wanted)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.clicked.connect(self._cancel)
        self.bar = QProgressBar()
        self.bar.setAccessibleName(tr("how far it is"))
        self.bar.setTextVisible(False)
        self.bar.setMaximum(1000)
        self._show_under_way(False)
        self.choose.setObjectName("small")
        self.read.setObjectName("main")
        self.read.setEnabled(False)
        row = QHBoxLayout()
        row.addWidget(self.file, 1)
        row.addWidget(self.choose)
        form = QFormLayout()
        form.addRow(tr("File"), row)
        form.addRow(tr("Station"), self.station)
        form.addRow(tr("Time zone"), self.zone)
        form.addRow(tr("Lines above its header"), self.skip)
        form.addRow(tr("Columns"), self.columns)
        form.addRow(self.mapping)
        form.addRow(tr("Dates begin with"), self.dates)
        form.addRow(tr("Numbers"), self.numbers)
        self._form = form
        foot = QHBoxLayout()
        foot.addWidget(self.earlier)
        foot.addWidget(self.bar, 1)
        foot.addStretch(1)
        foot.addWidget(self.cancel)
        foot.addWidget(self.preview)
        foot.addWidget(self.read)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.said, 1)
        column.addLayout(foot)
        self.choose.clicked.connect(self._on_choose)
        self.preview.clicked.connect(lambda: self._begin(dry_run=True))
        self.read.clicked.connect(lambda: self._begin(dry_run=False))
        self.told.connect(self._on_told)
        self.advanced.connect(lambda share: self.bar.setValue(round(1000 * share)))
        for changed in (
            self.file.textChanged,
            self.station.editTextChanged,
            self.zone.textChanged,
            self.columns.textChanged,
            self.dates.currentTextChanged,
            self.numbers.currentTextChanged,
            self.mapping.changed,
            self.skip.textChanged,
        ):
            changed.connect(lambda *_: self.read.setEnabled(False))
        for told in (self.file, self.skip):
            told.textChanged.connect(lambda _: self._look_soon.start())
        self.mapping.changed.connect(self._show_whose)

    def _on_choose(self) -> None:
        dialog = file_to_read(
            self, FilePurpose.IMPORT, tr("Choose a file"), "CSV (*.csv *.txt);;All (*)"
        )
        dialog.fileSelected.connect(self.file.setText)
        dialog.open()

    def _begin(self, *, dry_run: bool) -> None:
        if self._thread is not None:
            return
        for button in (self.preview, self.read):
            button.setEnabled(False)
        try:
            self._begun = self._typed()
        except UsageError as error:
            self.said.setPlainText(str(error))
            self.preview.setEnabled(True)
            return
        self.said.setPlainText(tr("Reading …"))
        self._cancelled.clear()
        self._show_under_way(True)
        self._thread = threading.Thread(
            target=self._run, daemon=True, name="importing", args=(self._begun, dry_run)
        )
        self._thread.start()

    def _show_under_way(self, is_under_way: bool) -> None:
        self.bar.setValue(0)
        self.bar.setVisible(is_under_way)
        self.cancel.setVisible(is_under_way)
        self.cancel.setEnabled(is_under_way)

    def _typed(self) -> FileToImport:
        """What is to be read, as it is typed now.

        Raises
        ------
        UsageError
            When the lines above the header are no whole number.
        """
        mapping = self.mapping if self.mapping.isVisible() else None
        station_column = "" if mapping is None else mapping.column_of(ColumnRole.STATION)
        return FileToImport(
            Path(self.file.text()),
            "" if station_column else self.station.currentText(),
            self.zone.text(),
            self.columns.text(),
            str(self.dates.currentData()),
            () if mapping is None else mapping.meant(),
            str(self.numbers.currentData()),
            "" if mapping is None else mapping.column_of(ColumnRole.TIME),
            station_column,
            lines_above(self.skip.text()),
        )

    def _show_whose(self) -> None:
        """Ask for the station only where no column says it."""
        is_told = self.mapping.isVisible() and bool(self.mapping.column_of(ColumnRole.STATION))
        self.station.setEnabled(not is_told)
        self.station.setToolTip(tr("Each row of the file says it.") if is_told else "")

    def _look(self) -> None:
        """Look at the first rows, in a thread: the file may lie on a slow disk."""
        path, looker = Path(self.file.text()), self._looker
        if looker is None or not path.is_file():
            return
        try:
            skip = lines_above(self.skip.text())
        except UsageError as error:
            self.said.setPlainText(str(error))
            return

        def look() -> None:
            try:
                self.looked.emit(looker(path, skip), str(path))
            except RookTallyError as error:
                self.looked.emit((), str(path))
                self.told.emit(str(error), False, 0)

        threading.Thread(target=look, daemon=True, name="looking").start()

    def _on_looked(self, columns: tuple[ColumnLook, ...], path: str) -> None:
        if path != self.file.text():
            return
        self.mapping.show_columns(columns)
        self.mapping.setVisible(bool(columns))
        # One way to say it at a time.
        self._form.setRowVisible(self.columns, not columns)
        self._show_whose()

    def reject(self) -> None:
        """Cancel what is under way, and close it once that is taken back; else close it."""
        if self._thread is not None:
            self._cancel()
            self._closes_then = True
            return
        super().reject()

    def _cancel(self) -> None:
        self._cancelled.set()
        self.cancel.setEnabled(False)
        self.said.setPlainText(tr("Cancelling: nothing of it will be kept…"))

    def _run(self, asked: FileToImport, dry_run: bool) -> None:
        try:
            answer = self._importer(asked, dry_run=dry_run, progress=self._advance)
            self.told.emit(answer.words, dry_run, answer.number)
        except RookTallyError as error:
            self.told.emit(str(error), False, 0)
        except Exception as error:  # noqa: BLE001 - the thread's end must be told however it ends
            self.told.emit(tr("a fault of ours: {0}; nothing was written", repr(error)), False, 0)

    def _advance(self, share: float) -> None:
        """Say how far it is, in the thread that works."""
        if self._cancelled.is_set():
            raise CancelledError(tr("it was cancelled"), kept=tr("nothing of it is kept"))
        self.advanced.emit(share)

    def _on_told(self, text: str, can_be_read: bool, number: int) -> None:
        if self._thread is not None:
            self._thread.join()
        self._thread = None
        self.said.setPlainText(text)
        self._show_under_way(False)
        self.preview.setEnabled(True)
        # Only what was looked at is read: not a file, or station, typed since.
        self.read.setEnabled(can_be_read and self._begun == self._typed())
        if number and self._begun is not None:
            self.imported.emit(self._begun.file.name, number)
        if self._closes_then:
            super().reject()

"""Readings saved as CSV in a thread of their own, with progress, and given up at a word."""

from __future__ import annotations

import csv
import threading
from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.errors import RookTallyError
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.desk.parts.label import Label
from rook_tally.export.files import export_file
from rook_tally.export.pieces import ExportForm, ExportWish
from rook_tally.store.base import Store
from rook_tally.store.exchange.csv_rows import HEADER, days_of_rows, whole_file
from rook_tally.store.site import Series


class GivenUpError(Exception):
    """The person did not want it any more."""


def write_csv(
    store: Store,
    series: Sequence[Series],
    start_us: int,
    end_us: int,
    path: Path,
    *,
    went_on: Callable[[float], bool],
) -> int:
    """Write the readings of [start, end) as they are shown: corrected, in the units shown.

    `went_on` hears the share that is done, and says whether to go on. Returns how many rows were
    written.

    Raises
    ------
    RookTallyError
        When the file cannot be written.
    GivenUpError
        When `went_on` said no; the file is left as it was.
    """
    days = max(1, -(-(end_us - start_us) // DAY_US))
    written = 0
    with whole_file(path) as target:
        writer = csv.writer(target)
        writer.writerow(HEADER)
        rows = days_of_rows(store.read, series, start_us, end_us, as_shown=True)
        for done, part in enumerate(rows, start=1):
            writer.writerows(part)
            written += len(part)
            if not went_on(min(1.0, done / days)):
                raise GivenUpError
    return written


_FORMS = {f".{form}": form for form in ExportForm if form is not ExportForm.CSV}


def write_form(
    store: Store, wish: ExportWish, path: Path, *, went_on: Callable[[float], bool]
) -> int:
    """Write readings in an open form, with its manifest beside it; as `write_csv` else."""

    def heard(share: float) -> None:
        if not went_on(share):
            raise GivenUpError

    told = export_file(store.read, wish, path, progress=heard)
    return int(told["readings"])


class CsvExport(QDialog):
    """Shows how far a file is."""

    went_on = Signal(float)
    ended = Signal(str)

    def __init__(
        self,
        store: Store,
        series: Sequence[Series],
        start_us: int,
        end_us: int,
        path: str,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Saving readings"))
        self._gives_up = threading.Event()
        self.told = Label(tr("Writing {0} …", path))
        self.told.setWordWrap(True)
        self.bar = QProgressBar()
        self.stop = QPushButton(tr("Cancel"))
        self.stop.clicked.connect(self._on_button)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.stop)
        column = QVBoxLayout(self)
        column.addWidget(self.told)
        column.addWidget(self.bar)
        column.addLayout(foot)
        self.setMinimumWidth(420)
        self.went_on.connect(lambda share: self.bar.setValue(round(100 * share)))
        self.ended.connect(self._on_ended)
        self._thread = threading.Thread(
            target=self._run,
            args=(store, series, start_us, end_us, Path(path)),
            daemon=True,
            name="saving",
        )
        self._thread.start()

    def _run(
        self, store: Store, series: Sequence[Series], start_us: int, end_us: int, path: Path
    ) -> None:
        def heard(share: float) -> bool:
            self.went_on.emit(share)
            return not self._gives_up.is_set()

        try:
            form = _FORMS.get(path.suffix)
            if form is None:
                rows = write_csv(store, series, start_us, end_us, path, went_on=heard)
            else:
                wish = ExportWish(tuple(series), form, start_us, end_us)
                rows = write_form(store, wish, path, went_on=heard)
            self.ended.emit(
                tr_count(rows, "1 reading is in {1}.", "{0} readings are in {1}.", path)
            )
        except GivenUpError:
            self.ended.emit(tr("Given up; nothing was written."))
        except RookTallyError as error:
            self.ended.emit(str(error))

    def _on_ended(self, told: str) -> None:
        self._thread.join()
        self.told.setText(told)
        self.stop.setText(tr("Close"))

    def _on_button(self) -> None:
        if self._thread.is_alive():
            self._gives_up.set()
        else:
            self.accept()

    def reject(self) -> None:
        """Closed while it writes: give up."""
        self._gives_up.set()
        self._thread.join()
        super().reject()

"""Notes of a station, and where it stands."""

from __future__ import annotations

from PySide6.QtWidgets import QFormLayout, QLineEdit, QPlainTextEdit, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.stations.commands import Describe, StationNotes, StationNotesQuery, notes_of
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Station


class NotesDialog(SavingDialog):
    """Notes of a station and where it stands."""

    def __init__(
        self, theme: Theme, client: StoreClient, station: Station, parent: QWidget
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self.station, self._base = station, notes_of(station)
        self.setWindowTitle(tr("Notes on {0}", station.key))
        self.setMinimumWidth(460)
        self.text = QPlainTextEdit(station.notes)
        self.text.setAccessibleName(tr("notes"))
        self.text.setTabChangesFocus(True)
        self.latitude, self.longitude = QLineEdit(), QLineEdit()
        for edit, value in ((self.latitude, station.latitude), (self.longitude, station.longitude)):
            edit.setText("" if value is None else number_text(value))
            edit.textChanged.connect(self._check)
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        form.addRow(tr("Notes"), self.text)
        form.addRow(tr("Latitude, °"), self.latitude)
        form.addRow(tr("Longitude, °"), self.longitude)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        self.buttons.accepted.connect(self.save)

    @property
    def position(self) -> tuple[float | None, float | None]:
        """Where it stands, as written; None for an empty one."""
        latitude, longitude = (
            typed_number(edit.text()) if edit.text().strip() else None
            for edit in (self.latitude, self.longitude)
        )
        return latitude, longitude

    def _check(self) -> None:
        """Say at once what cannot be a position."""
        try:
            latitude, longitude = self.position
        except UsageError as error:
            wrong = str(error)
        else:
            wrong = _wrong_position(latitude, longitude)
        self.say(wrong)
        self.main.setEnabled(not wrong)

    def save(self) -> None:
        """Have them written down."""
        latitude, longitude = self.position
        self.begin_saving()
        self._client.write(
            Describe(
                self.station, StationNotes(self.text.toPlainText(), latitude, longitude), self._base
            ),
            self.saved,
            self.not_saved,
        )

    def not_saved(self, why: str) -> None:
        """Say why, and read the notes in the store: whoever saw the difference may save over it."""
        super().not_saved(why)
        self._client.read(StationNotesQuery(self.station), self._take_base)

    def _take_base(self, found: StationNotes | None) -> None:
        if found is not None:
            self._base = found


def _wrong_position(latitude: float | None, longitude: float | None) -> str:
    """Why these cannot be a position; empty when they can."""
    if latitude is None or longitude is None:
        return "" if latitude is longitude else tr("Give both, or neither.")
    if abs(latitude) > 90 or abs(longitude) > 180:
        return tr("A latitude lies from −90 to 90 degrees, a longitude from −180 to 180.")
    return ""

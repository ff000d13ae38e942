"""What a person settles of a station: its place, its kind, how often it reports."""

from __future__ import annotations

from collections.abc import Callable
from datetime import tzinfo

from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from rook_tally.core.alarms.edits import typed_seconds
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_time
from rook_tally.desk.data.site_commands import SettleStation
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.commands import Choices, ChoicesQuery
from rook_tally.desk.stations.life_commands import MoveStation
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Station


class StationSettingsDialog(SavingDialog):
    """Moves a station, gives it another kind, or says how often it reports."""

    def __init__(
        self,
        theme: Theme,
        client: StoreClient,
        station: Station,
        now: Callable[[], tuple[int, tzinfo]],
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self.station, self._now = station, now
        self.setWindowTitle(tr("Settings of {0}", station.key))
        self.setMinimumWidth(480)
        self.place, self.kind, self.cadence = QComboBox(), QComboBox(), QLineEdit()
        self.place.setEditable(True)
        self.place.setAccessibleName(tr("place"))
        self.kind.setAccessibleName(tr("kind"))
        self.cadence.setAccessibleName(tr("how often it reports"))
        self.cadence.setText(cadence_text(station.cadence_s))
        self.since = QLineEdit()
        self.since.setAccessibleName(tr("since when it stands there"))
        self.since.setPlaceholderText(tr("always: all its past moves with it"))
        moved = Label(
            tr("With a time, such as “yesterday 14:00”, earlier readings stay at the old place.")
        )
        moved.setFont(face(12))
        moved.setWordWrap(True)
        tint(moved, theme.dim)
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        form.addRow(tr("Place"), self.place)
        form.addRow(tr("Since"), self.since)
        form.addRow("", moved)
        form.addRow(tr("Kind"), self.kind)
        form.addRow(tr("Reports every"), self.cadence)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        self.buttons.accepted.connect(self.save)
        self.setEnabled(False)
        self._client.read(ChoicesQuery(), self._offer, self.say)

    def _offer(self, choices: Choices) -> None:
        self.place.addItems(choices.places)
        self.place.setEditText(self.station.place.name)
        for slug, name in choices.kinds.items():
            self.kind.addItem(name, slug)
        self.kind.setCurrentIndex(max(0, self.kind.findData(self.station.kind.slug)))
        self.setEnabled(True)
        self.place.setFocus()
        self.ask_about(self.main)

    def save(self) -> None:
        """Have what was changed written down."""
        try:
            wanted = self.wanted
        except UsageError as error:
            self.say(str(error))
            return
        self.begin_saving()
        self._client.write(wanted, self.saved, self.not_saved)

    @property
    def wanted(self) -> Command[UndoableResult]:
        """The command; only what the person changed is in it.

        Raises
        ------
        UsageError
            When a field holds nothing that can be.
        """
        place, kind = self.place.currentText().strip(), self.kind.currentData()
        if not place:
            raise UsageError(tr("A station stands at a place."))
        station, cadence_s = self.station, typed_seconds(self.cadence.text())
        is_same = self.cadence.text() == cadence_text(station.cadence_s)
        if self.since.text().strip():
            now_us, zone = self._now()
            since = typed_time(self.since.text(), now_us=now_us, zone=zone)
            if not is_same or kind != station.kind.slug:
                raise UsageError(
                    tr("Save its kind and cadence first, then move it from a moment on.")
                )
            return MoveStation(station.key, place, since.start_us, now_us)
        return SettleStation(
            station.key,
            None if place == station.place.name else place,
            None if kind == station.kind.slug else str(kind),
            None if is_same else cadence_s,
        )


def cadence_text(cadence_s: float) -> str:
    """A cadence to be typed over."""
    return f"{number_text(round(cadence_s, 3))} s"

"""Actions of the Stations view: controls, strays, keys, notes; each written off the
interface thread and answered when the store, or the collector, has done it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import Reachable
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_trial import RegistersReader, SampleReader
from rook_tally.desk.data.recording import Recorder
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.stations.commands import (
    AskProposal,
    Choices,
    ChoicesQuery,
    DismissStrays,
    FirmwareKeyQuery,
    RenewKey,
    RequestControl,
    RequestQuery,
    RequestTakeIn,
    WithdrawRequest,
)
from rook_tally.desk.stations.connection_sheet_dialog import ConnectionSheetDialog
from rook_tally.desk.stations.field_dialog import FieldDialog
from rook_tally.desk.stations.life_actions import LifeActions
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.new_station import NewStationDialog
from rook_tally.desk.stations.notes_dialog import NotesDialog
from rook_tally.desk.stations.settings_dialog import StationSettingsDialog
from rook_tally.desk.stations.take_in_dialog import TakeInDialog
from rook_tally.desk.stations.take_in_state import TakeInState, TakeInStep
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Request

if TYPE_CHECKING:
    from rook_tally.desk.stations.kinds_dialog import KindsDialog


class StationActions:
    """Dialogs of the view, and what they ask the store."""

    def __init__(
        self, theme: Theme, model: StationsModel, client: StoreClient, parent: QWidget
    ) -> None:
        self._theme = theme
        self._model = model
        self._client = client
        self._parent = parent
        # Keys made in this window: the one place where they can still be read.
        self._keys: dict[str, str] = {}
        self._to_show = ""
        # Opens the doors to the network; None where that is not ours to do.
        self.recorder: Recorder | None = None
        # Asks Modbus devices; None where that is not ours to do.
        self.registers_reader: RegistersReader | None = None
        # Reads sample messages; None where that is not ours to do.
        self.sample_reader: SampleReader | None = None
        self.taking_in: TakeInDialog | None = None
        self.sheet: ConnectionSheetDialog | None = None
        self.notes: NotesDialog | None = None
        self.adding: NewStationDialog | None = None
        self.lives = LifeActions(
            theme, model, client, parent, say_not_done=self._say_not_done, show_key=self._on_added
        )

    def ask_control(self, key: str, name: str, value: str) -> None:
        """Have a control of a station set."""
        station = self._model.station(key)
        if station is not None and self._model.is_live:
            self._client.write(
                RequestControl(station, name, value, self._model.now_us),
                on_error=self._say_not_done,
            )

    def take_in(self, key: str) -> None:
        """Begin to take in a stray sender."""
        dialog = TakeInDialog(self._theme, TakeInState(key), self._parent)
        self.taking_in = dialog
        dialog.decided.connect(self._request_take_in)
        dialog.finished.connect(lambda _result: self._on_left(dialog))
        self._client.read(ChoicesQuery(), self._on_choices)
        self._client.write(
            AskProposal(key, self._model.now_us),
            partial(self._on_requested, dialog),
            self._say_not_done,
        )
        dialog.open()

    def _request_take_in(self) -> None:
        assert self.taking_in is not None
        one = self.taking_in.taken
        try:
            terms = one.terms()
        except UsageError as error:
            one.said = str(error)
            self.taking_in.refresh()
            return
        one.step, one.said, one.request = TakeInStep.ASKED, tr("Taking it in …"), None
        self._client.write(
            RequestTakeIn(one.key, terms, self._model.now_us),
            partial(self._on_requested, self.taking_in),
            self._say_not_done,
        )
        self.taking_in.refresh()

    def dismiss(self, key: str | None) -> None:
        """Take out what a sender has sent astray."""
        self._client.write(DismissStrays(key))

    def _on_left(self, dialog: TakeInDialog) -> None:
        """Closed before it was done: nobody is to do it tomorrow, when a collector runs."""
        request = dialog.taken.request
        if request is not None and dialog.taken.is_waiting:
            self._client.write(WithdrawRequest(request, self._model.now_us))
        if self.taking_in is dialog:
            self.taking_in = None

    def add_station(self) -> None:
        """Let the person add a station before it has said anything."""
        self.adding = NewStationDialog(self._theme, self._client, self._parent)
        self.adding.added.connect(self._on_added)
        self._client.read(ChoicesQuery(), self._on_choices)
        self.adding.open()

    def show_sheet(self) -> None:
        """Show how the picked station is connected."""
        if self._model.picked is not None:
            self._client.read(FirmwareKeyQuery(), self._open_sheet)

    def _open_sheet(self, firmware_key: str) -> None:
        sheet = self._model.sheet(firmware_key)
        if sheet is None:
            return
        access_key = self._keys.get(sheet.station)
        self.sheet = ConnectionSheetDialog(
            self._theme,
            sheet,
            access_key,
            self._parent,
            is_reachable=self._model.is_reachable,
            coap_secret="" if access_key is None else self._model.coap_secret(access_key),
        )
        self.sheet.open_doors_wanted.connect(self.open_doors)
        self.sheet.show_steps(self._model.contact())
        self.sheet.open()

    def open_doors(self) -> None:
        """Open the doors of this window's collector to the network."""
        if self.recorder is not None and self.recorder.is_running:
            self.recorder.set_open(True)
        else:
            self._say_not_done(
                tr(
                    "The collector here was not started by this window. Open its doors where it is "
                    "started: rook-tally collect --http 0.0.0.0:4711"
                )
            )

    def renew_key(self) -> None:
        """Give the picked station another key, if the person means it."""
        station = self._model.picked
        if station is None:
            return
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("New key for {0}", station.key),
            tr(
                "{0} gets a new access key. Where it has the old one it is turned away "
                "until you give it the new one; what it has sent stays.",
                station.key,
            ),
            QMessageBox.StandardButton.Cancel,
            self._parent,
        )
        question.setTextFormat(Qt.TextFormat.PlainText)
        button = question.addButton(tr("Make a new key"), QMessageBox.ButtonRole.AcceptRole)
        button.clicked.connect(
            lambda: self._client.write(
                RenewKey(station), partial(self._on_renewed, station.key), self._say_not_done
            )
        )
        question.open()

    def edit_notes(self) -> None:
        """Let the person write down what is to be known of the picked station."""
        station = self._model.picked
        if station is None:
            return
        self.notes = NotesDialog(self._theme, self._client, station, self._parent)
        self.notes.open()

    def edit_settings(self) -> None:
        """Let the person settle place, kind and cadence of the picked station."""
        station = self._model.picked
        if station is not None:
            StationSettingsDialog(
                self._theme, self._client, station, self._model.moment, self._parent
            ).open()

    def edit_kinds(self) -> None:
        """Let kinds of stations be edited, that of the picked one first."""
        station = self._model.picked
        slug = "" if station is None else station.kind.slug
        self._kinds_dialog(slug).open()

    def describe_sensor(self, sensor: Reachable) -> None:
        """Begin a kind for a sensor that is heard by Bluetooth."""
        dialog = self._kinds_dialog("")
        dialog.describe(sensor)
        dialog.open()

    def _kinds_dialog(self, slug: str) -> KindsDialog:
        # Loaded late: most people never make a kind.
        from rook_tally.desk.stations.kinds_dialog import KindsDialog

        readers = self.registers_reader, self.sample_reader
        return KindsDialog(self._theme, self._client, slug, self._parent, *readers)

    def show_firmware(self) -> None:
        """Show the firmware of the picked station's kind, and let it be given out."""
        # Loaded late: most people never give out any.
        from rook_tally.desk.stations.firmware_dialog import FirmwareDialog

        station = self._model.picked
        kind = "" if station is None else station.kind.slug
        FirmwareDialog(self._theme, self._model, self._client, kind, self._parent).open()

    def edit_field(self, row: int) -> None:
        """Let the person settle a field of the picked station."""
        series = self._model.field_series(row)
        if series is not None:
            FieldDialog(self._theme, self._client, series, self._model.now_us, self._parent).open()

    def look_again(self) -> None:
        """Something may have been answered."""
        if self.taking_in is None:
            return
        self.taking_in.show_waiting(is_heard=self._model.is_collected)
        self._show_first(self.taking_in)
        if self.taking_in.taken.is_waiting and self.taking_in.taken.request is not None:
            self._client.read(
                RequestQuery(self.taking_in.taken.request),
                partial(self._on_request, self.taking_in),
            )

    def refresh(self) -> None:
        """Show how far a first contact has come; and the sheet of a station just added."""
        if self._to_show and self._model.has(self._to_show):
            # Picking tells of a change, which comes back here.
            key, self._to_show = self._to_show, ""
            self._model.pick(key)
            self.show_sheet()
        if self.taking_in is not None:
            self._show_first(self.taking_in)
        if self.sheet is not None and self.sheet.isVisible():
            self.sheet.show_steps(self._model.contact())

    def _on_choices(self, choices: Choices) -> None:
        if self.adding is not None:
            self.adding.offer(choices)
        if self.taking_in is not None:
            self.taking_in.take_choices(choices)

    def _on_requested(self, dialog: TakeInDialog, request: int) -> None:
        dialog.taken.request = request
        self.look_again()
        dialog.refresh()

    def _on_request(self, dialog: TakeInDialog, request: Request | None) -> None:
        one = dialog.taken
        if request is not None:
            one.take_request(request)
        if one.step is TakeInStep.DONE and one.access_key:
            self._keys[one.key] = one.access_key
        dialog.refresh()
        self._show_first(dialog)

    def _show_first(self, dialog: TakeInDialog) -> None:
        """Show the first reading of what became a station, as soon as it is there."""
        words = self._model.newest_words(dialog.taken.key)
        dialog.show_first(words, self._model.now_us)

    def _on_added(self, key: str, access_key: str) -> None:
        self._keys[key] = access_key
        # The sheet follows once the fleet has been read with the station in it.
        self._to_show = key

    def _on_renewed(self, key: str, access_key: str) -> None:
        self._keys[key] = access_key
        self.show_sheet()

    def _say_not_done(self, why: str) -> None:
        told = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("Not done"),
            why,
            QMessageBox.StandardButton.Ok,
            self._parent,
        )
        told.setTextFormat(Qt.TextFormat.PlainText)
        told.open()

"""Opens the dialogs of a window: finding, keys, readings, corrections, remarks, files."""

from __future__ import annotations

import platform
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, qVersion
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QMessageBox

from rook_tally import __version__
from rook_tally.core.quantities.unit_systems import UnitSystem
from rook_tally.core.remarks import Remark, next_shade
from rook_tally.core.timestamps import DAY_US, MINUTE_US, SECOND_US
from rook_tally.desk.app.texts import tr
from rook_tally.desk.data.actions import Action
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.finding import FindTarget
from rook_tally.desk.data.site_commands import ShowInSystem
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.file_dialog import file_to_save
from rook_tally.desk.plan.site_tasks import SiteTask
from rook_tally.login import login_name
from rook_tally.store.site import Place, Series, Station

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.dialogs.leaves import LeavesDialog
    from rook_tally.desk.dialogs.store_dialog import StoreDialog

_AROUND_PIN_US = 30 * MINUTE_US
_AROUND_SPAN = 0.25


_FORMS = (
    "CSV (*.csv);;JSON Lines (*.jsonl);;SenML (*.senml);;SenML, CBOR (*.senml-cbor);;"
    "Parquet (*.parquet)"
)


class Dialogs:
    """Opens dialogs of a window, and knows which are open."""

    def __init__(self, window: DeskWindow) -> None:
        self._window = window
        self.open: list[QDialog] = []

    def _show(self, dialog: QDialog) -> None:
        self.open.append(dialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _: self.open.remove(dialog))
        dialog.open()

    def _show_of_store(self, dialog: StoreDialog) -> None:
        end = self._window.undo.moved.subscribe(lambda _done: dialog.read_again())
        dialog.finished.connect(lambda _: end())
        self._show(dialog)

    def show_alarms(self) -> None:
        """Show what stands, to be acknowledged or shelved."""
        from rook_tally.desk.dialogs.alarms import AlarmDialog

        window = self._window
        dialog = AlarmDialog(window.theme, window.state, window.client, window)
        dialog.watch_wanted.connect(window.show_watch)
        self._show(dialog)

    def show_task(self, task: SiteTask) -> None:
        """Open what sets up that of the site."""
        opens: dict[SiteTask, Callable[[], None]] = {
            SiteTask.SETTINGS: self.show_site,
            SiteTask.PLACES: self.show_places,
            SiteTask.UNITS: self.choose_units,
            SiteTask.STORE: self.show_store,
            SiteTask.DOORS: self.show_in_reach,
            SiteTask.ACCESS_KEYS: self.show_access_keys,
            SiteTask.LEAVES: self.show_leaves,
            SiteTask.CHANGES: self.show_changes,
            SiteTask.READ_FILE: self.read_site_file,
            SiteTask.SAVE_FILE: self.save_site_file,
        }
        opens[task]()

    def show_site(self) -> None:
        """The site's settings."""
        from rook_tally.desk.dialogs.site_settings import SiteDialog

        window = self._window
        self._show_of_store(SiteDialog(window.theme, window.client.scope(), window))

    def show_about(self) -> None:
        """Which version this is, and where what it keeps lies."""
        window = self._window
        lines = (
            tr("Rook Tally {0}", __version__),
            tr("Readings from small networked sensors, kept on your own machine."),
            "",
            tr("The store: {0}", window.store.url),
            tr("Python {0}, Qt {1}", platform.python_version(), qVersion()),
        )
        about = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("About"),
            "\n".join(lines),
            QMessageBox.StandardButton.Close,
            window,
        )
        about.setTextFormat(Qt.TextFormat.PlainText)
        # Whoever reports a fault copies it.
        about.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self._show(about)

    def show_store(self) -> None:
        """The store: how big it is, copies, its condition, what records."""
        from rook_tally.desk.dialogs.store_care import Machinery, StoreCareDialog

        window = self._window
        machinery = Machinery(
            window.store,
            window.recorder,
            None if window.service is None else window.service(),
            lambda: bool(window.state.collectors),
        )
        dialog = StoreCareDialog(
            window.theme, window.client.scope(), machinery, window.state.clock, window
        )
        dialog.restore_wanted.connect(window.restore_and_close)
        self._show_of_store(dialog)

    def print_view(self) -> None:
        """Print the view that is shown."""
        from rook_tally.desk.app.printing import print_view

        print_view(self._window)

    def find(self) -> None:
        """Let the person type where to go or what to do."""
        from rook_tally.desk.dialogs.finder import Finder

        window = self._window
        finder = Finder(window.theme, window.state, window.commands, window)
        finder.chosen.connect(self.go_to)
        self._show(finder)

    def go_to(self, target: FindTarget) -> None:
        """Go to what was found, or do it."""
        window = self._window
        match target:
            case Action():
                target.call()
            case Place():
                window.show_view(0)
                window.ledger.pick_place(target)
            case Station():
                window.show_view(len(window.view_names) - 1)
                window.stations.pick(target.key)
            case Series():
                window.open_in_strip([target])
            case Remark():
                self._go_to_remark(target)

    def _go_to_remark(self, remark: Remark) -> None:
        window = self._window
        end_us = remark.end_us
        if end_us is None:
            start_us, end_us = remark.start_us - _AROUND_PIN_US, remark.start_us + _AROUND_PIN_US
        else:
            margin = round((end_us - remark.start_us) * _AROUND_SPAN)
            start_us, end_us = remark.start_us - margin, end_us + margin
        now_us = window.state.clock()
        is_live = end_us >= now_us
        window.state.show_window(TimeWindow(start_us, min(end_us, now_us), is_live))
        window.show_view(1)
        window.strip.model.remarks.pick(remark)

    def show_keys(self) -> None:
        """The sheet of keys."""
        from rook_tally.desk.dialogs.key_list import KeyListDialog

        self._show(KeyListDialog(self._window.theme, self._window.commands, self._window))

    def show_readings(self, series: Series) -> None:
        """The readings of a series behind the window, or behind the Ledger's day."""
        from rook_tally.desk.dialogs.readings import ReadingsTable
        from rook_tally.desk.dialogs.readings_model import ReadingsQuery

        window = self._window
        start_us, end_us = window.state.window.start_us, window.state.now_us + 1
        if window.view == 0:
            start_us = end_us - DAY_US
        stretch = window.strip.model.stretch if window.view == 1 else None
        if stretch is not None:
            start_us, end_us = stretch
        question = ReadingsQuery(series, start_us, end_us)
        client = window.client.scope()
        self._show_of_store(ReadingsTable(window.theme, window.state, client, question, window))

    def correct(self, series: Series) -> None:
        """The corrections of a series."""
        from rook_tally.desk.dialogs.corrections import CorrectionsDialog

        window = self._window
        client = window.client.scope()
        self._show_of_store(CorrectionsDialog(window.theme, window.state, client, series, window))

    def set_limits(self, series: Series) -> None:
        """The limits of a series, of its place, or of the site."""
        from rook_tally.desk.dialogs.limits import LimitsDialog

        window = self._window
        client, now_us = window.client.scope(), window.state.clock()
        self._show_of_store(LimitsDialog(window.theme, client, series, now_us, window))

    def show_places(self, name: str = "") -> None:
        """The places of the site, to be arranged; one of them picked."""
        from rook_tally.desk.dialogs.places import PlacesDialog

        window = self._window
        dialog = PlacesDialog(
            window.theme, window.state, window.client.scope(), window.undo.undo, window
        )
        dialog.pick(name)
        self._show_of_store(dialog)

    def choose_units(self) -> None:
        """Let the person pick the units of a country, for every quantity at once."""
        from rook_tally.desk.parts.value_dialog import ValueDialog

        window = self._window
        names = {
            tr("SI: °C, hPa, m/s, mm"): UnitSystem.SI,
            tr("US: °F, inHg, mph, ft, in"): UnitSystem.US,
            tr("UK: °C, hPa, mph, mm"): UnitSystem.UK,
        }
        dialog = ValueDialog(
            window.theme,
            window,
            title=tr("Units of every quantity"),
            label=tr("Units"),
            value="",
            take=lambda name: ShowInSystem(names[name], name.partition(":")[0]),
            client=window.client.scope(),
            choices=list(names),
        )
        self._show(dialog)

    def show_changes(self) -> None:
        """Open the list of changes, in which each can be taken back."""
        from rook_tally.desk.dialogs.changes import ChangesDialog

        window = self._window
        self._show_of_store(
            ChangesDialog(window.theme, window.state, window.client.scope(), window)
        )

    def show_leaves(self) -> None:
        """Open the list of every way out of this machine."""
        # Loaded late, as all dialogs are.
        from rook_tally.desk.dialogs.leaves import LeavesDialog

        window = self._window
        dialog = LeavesDialog(window.theme, window.state, window.client.scope(), window)
        dialog.forward_wanted.connect(lambda name: self.write_forward(name, dialog))
        dialog.keys_wanted.connect(self.show_access_keys)
        self._show_of_store(dialog)

    def show_in_reach(self) -> None:
        """Open the page of what is in reach, and of doors."""
        from rook_tally.desk.dialogs.in_reach import InReachDialog

        window = self._window
        dialog = InReachDialog(
            window.theme, window.state, window.client, window, window.trier, window.address_finder
        )
        dialog.take_in_wanted.connect(window.take_in)
        dialog.kind_wanted.connect(window.describe_sensor)
        self._show_of_store(dialog)

    def show_guidelines(self) -> None:
        """Open the table of guidelines."""
        from rook_tally.desk.dialogs.guidelines import GuidelinesDialog

        window = self._window
        self._show_of_store(
            GuidelinesDialog(window.theme, window.state, window.client.scope(), window)
        )

    def show_access_keys(self) -> None:
        """Open the list of keys of programs and gateways."""
        from rook_tally.desk.dialogs.keys import KeysDialog

        window = self._window
        self._show_of_store(KeysDialog(window.theme, window.state, window.client.scope(), window))

    def write_forward(self, name: str, beside: LeavesDialog) -> None:
        """Let the person describe a forward, or alter the one of a name."""
        from rook_tally.desk.data.leaving_commands import ForwardDraft, ForwardDraftQuery
        from rook_tally.desk.dialogs.forward import ForwardDialog

        window = self._window

        def begin(told: ForwardDraft) -> None:
            state = window.state
            dialog = ForwardDialog(
                window.theme, state.site, told.told, state.clock, window.client.scope(), beside
            )
            dialog.finished.connect(beside.read_again)
            self._show(dialog)

        window.client.read(ForwardDraftQuery(name), begin)

    def write_pin(self, series: Series) -> None:
        """Let the person write down what happened, at the place of a series, at the moment
        shown."""
        from rook_tally.desk.parts.remark_dialog import RemarkDialog

        window = self._window
        at_us = window.state.now_us // SECOND_US * SECOND_US
        shade = next_shade(window.state.remarks)
        remark = Remark("remark", at_us, None, shade, series.station.place.name, login_name())
        self._show(RemarkDialog(window.theme, window.state, window.client, remark, window))

    def write_span(self, remark: Remark) -> None:
        """Let the person name a stretch."""
        from rook_tally.desk.parts.remark_dialog import RemarkDialog

        window = self._window
        self._show(RemarkDialog(window.theme, window.state, window.client, remark, window))

    def copy_figures(self) -> None:
        """Put the window's figures on the clipboard."""
        from rook_tally.desk.strip.window_statistics import figures_as_text

        model = self._window.strip.model
        QGuiApplication.clipboard().setText(figures_as_text(model))
        self._window.tell(tr("The figures of the window are on the clipboard."))

    def save_csv(self) -> None:
        """Save the readings of the lanes over the window."""
        from rook_tally.desk.dialogs.csv_export import CsvExport

        window = self._window
        series = window.strip.model.series
        if not series:
            window.tell(tr("There is no lane to save."))
            return
        stretch = window.strip.model.stretch
        shown = window.state.window
        start_us, end_us = stretch or (shown.start_us, shown.end_us)
        dialog = file_to_save(
            window, FilePurpose.READINGS, tr("Save the readings shown"), "readings.csv", _FORMS
        )
        dialog.setDefaultSuffix("csv")
        dialog.filterSelected.connect(
            lambda words: dialog.setDefaultSuffix(words.rpartition("*.")[2].rstrip(")"))
        )
        dialog.fileSelected.connect(
            lambda path: self._show(CsvExport(window.store, series, start_us, end_us, path, window))
        )
        self._show(dialog)

    def save_picture(self) -> None:
        """Save the Strip as it is drawn."""
        from rook_tally.desk.app.strip_export import save_picture

        window = self._window
        dialog = file_to_save(
            window,
            FilePurpose.PICTURE,
            tr("Save the picture"),
            "strip.png",
            "PNG (*.png);;SVG (*.svg)",
        )
        dialog.fileSelected.connect(partial(save_picture, window))
        self._show(dialog)

    def read_file(self, file: str = "") -> None:
        """Read a CSV file into a station's series; one that was dropped is chosen already."""
        from rook_tally.desk.dialogs.import_file import ImportDialog

        window = self._window
        if window.importer is None:
            window.tell(tr("Files are read with: rook-tally import FILE --station KEY"))
            return
        dialog = ImportDialog(window.theme, window.state, window.importer, window, window.looker)
        dialog.imported.connect(self._imported)
        dialog.earlier_wanted.connect(self.show_imports)
        dialog.file.setText(file)
        self._show(dialog)

    def show_imports(self) -> None:
        """The files that were read, each to be taken back."""
        from rook_tally.desk.dialogs.imports import ImportsDialog

        window = self._window
        self._show_of_store(
            ImportsDialog(window.theme, window.state.zone, window.client.scope(), window)
        )

    def read_site_file(self, file: str = "") -> None:
        """Read a site file: what it would change first. One that was dropped is chosen already."""
        from rook_tally.desk.dialogs.site_file import SiteFileDialog

        window = self._window
        dialog = SiteFileDialog(window.theme, window.state.clock, window.client.scope(), window)
        self._show(dialog)
        if file:
            dialog.choose(file)

    def save_site_file(self) -> None:
        """Save everything that is configured as a file."""
        from rook_tally.desk.data.site_file_commands import SaveSiteFile

        window = self._window
        dialog = file_to_save(
            window, FilePurpose.SITE, tr("Save the site as a file"), "site.toml", "TOML (*.toml)"
        )
        dialog.fileSelected.connect(
            lambda path: window.client.read(
                SaveSiteFile(path),
                lambda target: window.tell(tr("The site is in {0}", target)),
                window.tell,
            )
        )
        self._show(dialog)

    def _imported(self, file: str, number: int) -> None:
        from rook_tally.desk.data.import_undo import TakeBackImport

        self._window.undo.add(UndoableResult(tr("{0} imported", file), TakeBackImport(number)))

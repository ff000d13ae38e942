"""What is done on the Bench and written down: items kept, corrections taken, points added."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol, TypeVar

from PySide6.QtWidgets import QWidget

from rook_tally.bench.calibrate import CalibrationRecord, PointRow, points_in_csv
from rook_tally.bench.pair import PairAnswer
from rook_tally.core.comparing.bench_items import BenchItem, SensorItem
from rook_tally.core.errors import RookTallyError
from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_time
from rook_tally.desk.bench.commands import (
    AddPoints,
    DropItem,
    KeepItem,
    RemovePoint,
    SetDue,
    TakeCalibration,
    TakeProposal,
    WatchStray,
)
from rook_tally.desk.bench.dialogs import ItemDialog, PointDialog
from rook_tally.desk.bench.model import BenchModel
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.file_dialog import file_to_read
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.value_dialog import ValueDialog

R = TypeVar("R")


class Asks(Protocol):
    """Has the list, or the page, read anew."""

    def listing(self, then: Callable[[], None] | None = None) -> None:
        """The list, and then something more."""
        ...

    def page(self) -> None:
        """The list and the page."""
        ...


@dataclass(frozen=True, slots=True)
class Around:
    """What a task needs of the view it is done in: whom to say a line to, and which line of the
    list below is picked."""

    parent: QWidget
    tell: Callable[[str], None]
    picked_key: Callable[[], int | None]


class BenchTasks:
    """Opens the forms of the Bench, and has written down what comes of them."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: StoreClient,
        model: BenchModel,
        asks: Asks,
        around: Around,
    ) -> None:
        self._theme, self._state, self._client, self._model = theme, state, client, model
        self._asks, self._parent = asks, around.parent
        self._tell, self._picked_key = around.tell, around.picked_key
        self._under_way = 0

    @property
    def is_at_rest(self) -> bool:
        """True if nothing is being written."""
        return not self._under_way

    def begin(self) -> None:
        """Let the person say what shall stand on the Bench."""
        listing, picked = self._model.listing, self._model.picked
        if listing is None:
            return

        def take(item: BenchItem) -> None:
            # Altered where it is of the same sort as what was picked, and kept.
            replaced = picked if self._model.is_kept and type(item) is type(picked) else None
            self.keep_item(item, replaced)

        ItemDialog(self._theme, self._state, listing.sources, picked, take, self._parent).open()

    def keep(self) -> None:
        """Keep what is only offered."""
        if self._model.picked is not None and not self._model.is_kept:
            self.keep_item(self._model.picked, None)

    def keep_item(self, item: BenchItem, replaced: BenchItem | None) -> None:
        """Keep an item, in place of another where it was altered, and turn to it."""

        def kept(_done: UndoableResult) -> None:
            self._asks.listing(lambda: self._model.pick(item))

        self._write(KeepItem(item, None if replaced == item else replaced), kept)

    def remove(self, *, of_list: bool) -> None:
        """Take away the picked reference point; the item where the list has the keyboard."""
        key = self._picked_key()
        is_record = isinstance(self._model.answer, CalibrationRecord)
        if is_record and not of_list and key is not None and key > 0:
            self._write(RemovePoint(key), lambda _done: self._asks.page())
        elif self._model.picked is not None and self._model.is_kept:
            self._write(DropItem(self._model.picked), lambda _done: self._asks.listing())
        else:
            self._tell(tr("That is only offered: it is not kept on the Bench."))

    def take(self) -> None:
        """Take the proposed correction."""
        answer = self._model.answer
        if isinstance(answer, PairAnswer):
            if answer.proposal is None:
                self._tell(answer.refused)
            else:
                self._write(TakeProposal(answer), lambda _done: self._asks.page())
        elif isinstance(answer, CalibrationRecord):
            self._take_calibration(answer)
        else:
            self._tell(tr("No correction is proposed here."))

    def take_from(self) -> None:
        """Take the proposed correction from a moment on."""
        answer = self._model.answer
        if isinstance(answer, CalibrationRecord):
            self._take_calibration(answer)
            return
        if not isinstance(answer, PairAnswer) or answer.proposal is None:
            self._tell(tr("No correction is proposed here."))
            return

        def take(text: str) -> Command[UndoableResult]:
            told = typed_time(text, now_us=self._state.clock(), zone=self._state.zone)
            return TakeProposal(answer, told.start_us)

        self._ask_from(take)

    def _ask_from(self, take: Callable[[str], Command[UndoableResult]]) -> None:
        """Have a moment typed from which a correction holds."""
        ValueDialog(
            self._theme,
            self._parent,
            title=tr("Correct from a moment on"),
            label=tr("From"),
            value="now",
            take=take,
            client=self._client.scope(),
            main_words=tr("Correct"),
            on_saved=lambda _done: self._asks.page(),
        ).open()

    def _take_calibration(self, record: CalibrationRecord) -> None:
        if record.proposal is None:
            self._tell(record.refused)
            return

        def take(text: str) -> Command[UndoableResult]:
            told = typed_time(text, now_us=self._state.clock(), zone=self._state.zone)
            return TakeCalibration(record, told.start_us)

        self._ask_from(take)

    def add_point(self) -> None:
        """Let the person type a reference point."""
        series = self._model.sensor
        if series is None:
            self._tell(tr("Pick two series or a sensor first."))
            return

        def take(row: PointRow, over_s: float, dialog: SavingDialog) -> None:
            def kept(_done: UndoableResult) -> None:
                dialog.saved()
                self._asks.listing(lambda: self._model.pick(SensorItem(series.id)))
                self._asks.page()

            self._write(AddPoints(series.id, (row,), over_s), kept, dialog.not_saved)

        PointDialog(self._theme, self._state, series, take, self._parent).open()

    def choose_points(self) -> None:
        """Let the person choose a file of reference points."""
        series = self._model.sensor
        if series is None:
            self._tell(tr("Pick two series or a sensor first."))
            return
        dialog = file_to_read(
            self._parent,
            FilePurpose.POINTS,
            tr("Reference points"),
            tr("CSV files (*.csv);;All files (*)"),
        )
        dialog.fileSelected.connect(lambda path: self.read_points(Path(path)))
        dialog.open()

    def read_points(self, path: Path) -> None:
        """Keep the reference points of a CSV file for the sensor shown."""
        series = self._model.sensor
        if series is None:
            return
        try:
            rows = tuple(points_in_csv(path, self._state.zone))
        except RookTallyError as error:
            self._tell(str(error))
            return
        self._write(
            AddPoints(series.id, rows, 300.0),
            lambda _done: self._asks.listing(lambda: self._model.pick(SensorItem(series.id))),
        )

    def set_due(self) -> None:
        """Let the person say when the calibration is due again."""
        series = self._model.sensor
        if series is None:
            self._tell(tr("Pick a sensor first."))
            return

        def take(text: str) -> Command[UndoableResult]:
            words = text.strip()
            return SetDue(series, float(words) if words not in ("", "0") else None)

        months = series.settings.calibration_months
        ValueDialog(
            self._theme,
            self._parent,
            title=tr("Due again"),
            label=tr("Months"),
            value="" if months is None else f"{months:g}",
            take=take,
            client=self._client.scope(),
            choices=("0", "1", "3", "6", "12", "24"),
            on_saved=lambda _done: self._asks.page(),
        ).open()

    def watch_stray(self) -> None:
        """Watch the picked series that has left its group."""
        found, key = self._model.found, self._picked_key()
        if not self._model.shows_found or found is None or key is None or key >= 0:
            self._tell(tr("Pick a series that has left its group first."))
            return
        self._write(WatchStray(found.strays[-key - 1]), lambda _done: None)

    def _write(
        self,
        command: Command[R],
        on_done: Callable[[R], None],
        on_error: Callable[[str], None] | None = None,
    ) -> None:
        self._under_way += 1

        def done(result: R) -> None:
            self._under_way -= 1
            on_done(result)

        def failed(why: str) -> None:
            self._under_way -= 1
            (on_error or self._tell)(why)

        self._client.write(command, done, failed)

"""Firmware of a kind: images, the one that is given out, and how each station stands with it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.firmware.images import FirmwareImage
from rook_tally.core.firmware.rollout import USUAL_SHARE, USUAL_WATCH_S
from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.file_dialog import file_to_read
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.firmware_model import (
    SHARES,
    WATCHED_S,
    AddImage,
    FirmwarePage,
    FirmwareQuery,
    OfferImage,
    RemoveImage,
    StepRollout,
    rollout_from,
)
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site.firmware_rollouts import RolloutStep

_AGAIN_MS = 2000
_IMAGE_HEADS = ("Version", "Size", "State", "What is new")
_STATION_HEADS = ("Station", "Runs", "With this image", "Asked last")


class FirmwareDialog(AskingDialog):
    """A kind at a time; it follows what stations and the collector do."""

    def __init__(
        self, theme: Theme, model: StationsModel, client: StoreClient, kind: str, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._theme, self._model, self._client = theme, model, client.scope()
        self.finished.connect(self._client.close)
        self._wanted = kind
        self.page: FirmwarePage | None = None
        self.setWindowTitle(tr("Firmware"))
        self.resize(900, 620)
        self.kinds = QComboBox()
        self.kinds.setAccessibleName(tr("kind of stations"))
        self.images = RowTable(theme, [tr(one) for one in _IMAGE_HEADS], tr("images"))
        self.stations = RowTable(theme, [tr(one) for one in _STATION_HEADS], tr("stations"))
        self.version, self.notes = QLineEdit(), QLineEdit()
        self.version.setPlaceholderText(tr("version, as 1.4.0"))
        self.version.setAccessibleName(tr("version of a new image"))
        self.notes.setPlaceholderText(tr("what is new in it"))
        self.notes.setAccessibleName(tr("what is new in a new image"))
        self.add, self.remove = QPushButton(tr("Add an image…")), QPushButton(tr("Delete"))
        self.first, self.share, self.watch = QComboBox(), QComboBox(), QComboBox()
        self.first.setAccessibleName(tr("station to begin with"))
        self.share.setAccessibleName(tr("share of the second step"))
        self.watch.setAccessibleName(tr("how long they are watched before the next step"))
        for share in SHARES:
            self.share.addItem(tr("then {0} % of them", share), share)
        self.share.setCurrentIndex(SHARES.index(round(100 * USUAL_SHARE)))
        self.share.addItem(tr("all at once"), 0)
        for watch_s in WATCHED_S:
            self.watch.addItem(tr("heard for {0} before the next step", duration(watch_s)), watch_s)
        self.watch.setCurrentIndex(WATCHED_S.index(USUAL_WATCH_S))
        self.offer = QPushButton(tr("Offer"))
        self.state, self.problem = Label(), Label()
        for label in (self.state, self.problem):
            label.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.steps = {
            RolloutStep.NEXT: QPushButton(tr("Next step now")),
            RolloutStep.PAUSE: QPushButton(tr("Pause")),
            RolloutStep.RESUME: QPushButton(tr("Go on")),
            RolloutStep.WITHDRAW: QPushButton(tr("Withdraw")),
        }
        self._lay_out()
        self._connect()
        self._again = QTimer(self, interval=_AGAIN_MS)
        self._again.timeout.connect(self.read_again)
        self._again.start()
        self.read_again()

    def _lay_out(self) -> None:
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.close)
        for button in (self.add, self.remove, self.offer, close, *self.steps.values()):
            button.setAutoDefault(False)
        head, new, offer, steps, foot = (QHBoxLayout() for _ in range(5))
        title = Label(tr("Images of"))
        title.setFont(face(15, BOLD))
        head.addWidget(title)
        head.addWidget(self.kinds)
        head.addStretch(1)
        new.addWidget(self.version, 1)
        new.addWidget(self.notes, 3)
        new.addWidget(self.add)
        new.addWidget(self.remove)
        offer.addWidget(self.first, 1)
        offer.addWidget(self.share, 1)
        offer.addWidget(self.watch, 1)
        offer.addWidget(self.offer)
        steps.addWidget(self.state, 1)
        for one in self.steps.values():
            steps.addWidget(one)
        foot.addWidget(self.problem, 1)
        foot.addWidget(close)
        stations = Label(tr("Stations"))
        stations.setFont(face(15, BOLD))
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.images, 2)
        column.addLayout(new)
        column.addLayout(offer)
        column.addSpacing(6)
        column.addWidget(stations)
        column.addLayout(steps)
        column.addWidget(self.stations, 3)
        column.addLayout(foot)

    def _connect(self) -> None:
        self.kinds.activated.connect(self._on_kind)
        self.images.itemSelectionChanged.connect(self._refresh)
        self.version.textChanged.connect(self._refresh)
        self.share.currentIndexChanged.connect(self._refresh)
        offer_buttons(self.images, self.offer, remove=self.remove)
        self.add.clicked.connect(self._on_add)
        self.remove.clicked.connect(self._on_remove)
        self.offer.clicked.connect(self._on_offer)
        for step, button in self.steps.items():
            button.clicked.connect(partial(self._on_step, step))

    def read_again(self) -> None:
        """Read what there is by now."""
        self._client.read(FirmwareQuery(self._wanted, self._model.now_us), self._show)

    def _show(self, page: FirmwarePage) -> None:
        if page == self.page:
            return
        self.page = page
        self._wanted = page.told.kind
        self._fill_kinds(page)
        at = max(self.images.currentRow(), 0)
        self.images.fill([page.image_cells(one) for one in page.told.images])
        if at < len(page.told.images):
            self.images.selectRow(at)
        bad = {row for row, one in enumerate(page.stations) if one.state.is_bad}
        self.stations.fill(
            [
                (one.station, one.version or "–", tr(one.state.value), self._moment(one.asked_us))
                for one in page.stations
            ],
            bold=bad,
        )
        self.state.setText(page.state_words)
        tint(self.state, self._theme.level(Level.HIGH) if page.is_stopped else self._theme.ink)
        self._refresh()

    def _fill_kinds(self, page: FirmwarePage) -> None:
        self.kinds.clear()
        for slug, name in page.kinds.items():
            self.kinds.addItem(name, slug)
        self.kinds.setCurrentIndex(self.kinds.findData(page.told.kind))
        chosen = self.first.currentData()
        self.first.clear()
        self.first.addItem(tr("begin with any one"), "")
        for one in page.stations:
            self.first.addItem(tr("begin with {0}", one.station), one.station)
        self.first.setCurrentIndex(max(self.first.findData(chosen), 0))

    def _moment(self, time_us: int | None) -> str:
        if time_us is None:
            return ""
        return moment_words(datetime_from_time_us(time_us).astimezone(self._model.zone))

    @property
    def picked(self) -> FirmwareImage | None:
        """The image that is picked."""
        at = self.images.currentRow()
        told = () if self.page is None else self.page.told.images
        return told[at] if 0 <= at < len(told) else None

    def _refresh(self) -> None:
        page, image = self.page, self.picked
        has_kind = page is not None and bool(page.told.kind)
        self.add.setEnabled(has_kind and bool(self.version.text().strip()))
        self.remove.setEnabled(page is not None and image is not None and page.can_remove(image))
        self.offer.setEnabled(page is not None and image is not None and page.can_offer())
        for step, button in self.steps.items():
            is_allowed = page is not None and page.allows(step)
            button.setVisible(is_allowed)
        at_once = self.share.currentData() == 0
        for choice in (self.first, self.watch):
            choice.setEnabled(not at_once)

    def _on_kind(self, at: int) -> None:
        self._wanted = self.kinds.itemData(at)
        self.problem.setText("")
        self.read_again()

    def _on_add(self) -> None:
        dialog = file_to_read(self, FilePurpose.FIRMWARE, tr("Add an image"), tr("Images (*)"))
        dialog.fileSelected.connect(self.add_file)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def add_file(self, path: str) -> None:
        """Add the file as an image of the version that is typed."""
        version, notes = self.version.text().strip(), self.notes.text().strip()
        command = AddImage(self._wanted, version, Path(path), notes, self._model.now_us)
        self._write(command, clear=True)

    def _on_remove(self) -> None:
        image = self.picked
        if image is not None:
            self._write(RemoveImage(image.kind, image.version, self._model.now_us))

    def _on_offer(self) -> None:
        image = self.picked
        if image is None:
            return
        share = int(self.share.currentData())
        wanted = rollout_from(
            "" if share == 0 else self.first.currentData(),
            share or 100,
            self.watch.currentData(),
            at_once=share == 0,
        )
        self._write(OfferImage(image.kind, image.version, wanted, self._model.now_us))

    def _on_step(self, step: RolloutStep) -> None:
        self._write(StepRollout(self._wanted, step, self._model.now_us))

    def _write(self, command: Command[UndoableResult], *, clear: bool = False) -> None:
        self.problem.setText("")

        def done(_result: UndoableResult) -> None:
            if clear:
                self.version.clear()
                self.notes.clear()
            self.read_again()

        self._client.write(command, done, self.problem.setText)

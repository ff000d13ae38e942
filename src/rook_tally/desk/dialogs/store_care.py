"""The store and its collector: how big it is, copies, its condition, what records and for whom."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.edits import typed_seconds
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.progress import Progress
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.desk.data.clock import Clock
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.recording import CollectorService, Recorder
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.store_care_model import (
    StoreAccount,
    account_of,
    copy_to,
    look_over,
    make_small,
    size_text,
    thin_now,
)
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.file_dialog import file_to_read, file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import grow
from rook_tally.desk.parts.task_thread import TaskThread
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.base import Store

_USUAL_AGE = "365 d"


@dataclass(frozen=True, slots=True)
class Machinery:
    """What a window has at hand: its store, its collector, the collector's service; None for what
    it has not."""

    store: Store
    recorder: Recorder | None
    service: CollectorService | None
    is_recorded: Callable[[], bool]


class _Measurement(QObject):
    """Tells of a measurement; it outlives a dialog that is closed meanwhile."""

    measured = Signal(object)
    failed = Signal(str)


class StoreCareDialog(StoreDialog):
    """Looks after the store. `restore_wanted` hears which copy is to be put in its place."""

    restore_wanted = Signal(str)

    def __init__(
        self, theme: Theme, client: ClientScope, machinery: Machinery, clock: Clock, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._machinery, self._clock = theme, machinery, clock
        self.setWindowTitle(tr("Store, copies and collector"))
        self.setMinimumWidth(640)
        self.task = TaskThread(self)
        self.bar, self.cancel = QProgressBar(), QPushButton(tr("Cancel"))
        self.task.advanced.connect(lambda share: self.bar.setValue(round(1000 * share)))
        self.task.ended.connect(self._on_ended)
        self._then: Callable[[], None] | None = None
        self.rooms, self.copies, self.thinning = Label(), Label(), Label()
        self.collector, self.said = Label(), Label()
        self.copy, self.restore = QPushButton(tr("Copy now…")), QPushButton(tr("Restore…"))
        self.check, self.compact = QPushButton(tr("Check")), QPushButton(tr("Compact"))
        self.thin = QPushButton(tr("Thin…"))
        self.record = QPushButton()
        self.is_open = QCheckBox(tr("Its doors are open to the network"))
        self.as_service = QCheckBox(tr("It runs as a service: from login on, also with no window"))
        self.bar.setMaximum(1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName(tr("how far it is"))
        self.close_button = QPushButton(tr("Close"))
        self._buttons = (self.copy, self.restore, self.check, self.compact, self.thin, self.record)
        self._lay_out()
        self._connect()
        self._show_under_way(False)
        self._show_collector()
        self.read_again()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        rows: tuple[tuple[str, tuple[QWidget, ...], tuple[QPushButton, ...]], ...] = (
            (tr("Kept here"), (self.rooms,), (self.check, self.compact)),
            (tr("Copies"), (self.copies,), (self.copy, self.restore)),
            (tr("Old readings"), (self.thinning,), (self.thin,)),
            (tr("Collector"), (self.collector, self.is_open, self.as_service), (self.record,)),
        )
        for at, (name, parts, buttons) in enumerate(rows):
            head = Label(name)
            head.setFont(face(13, BOLD))
            column = QVBoxLayout()
            column.setSpacing(4)
            for part in parts:
                column.addWidget(part)
            column.addStretch(1)
            side = QVBoxLayout()
            side.setSpacing(6)
            for button in buttons:
                button.setObjectName("small")
                side.addWidget(button)
            side.addStretch(1)
            grid.addWidget(head, at, 0, Qt.AlignmentFlag.AlignTop)
            grid.addLayout(column, at, 1)
            grid.addLayout(side, at, 2)
        for label in (self.rooms, self.copies, self.thinning, self.collector, self.said):
            label.setWordWrap(label is not self.rooms)
            tint(label, self._theme.ink if label is self.said else self._theme.dim)
        foot = QHBoxLayout()
        foot.addWidget(self.bar, 1)
        foot.addStretch(1)
        foot.addWidget(self.cancel)
        foot.addWidget(self.close_button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(24, 18, 24, 16)
        whole.setSpacing(14)
        whole.addLayout(grid)
        whole.addStretch(1)
        whole.addWidget(self.said)
        whole.addLayout(foot)

    def _connect(self) -> None:
        store, clock = self._machinery.store, self._clock
        self.copy.clicked.connect(self._choose_copy)
        self.restore.clicked.connect(self._choose_restore)
        self.check.clicked.connect(lambda: self._run(lambda on: look_over(store, on)))
        self.compact.clicked.connect(
            lambda: self._run(lambda on: make_small(store, on), self.read_again)
        )
        self.thin.clicked.connect(self._ask_age)
        self.record.clicked.connect(self._turn_recording)
        self.is_open.clicked.connect(self._turn_open)
        self.as_service.clicked.connect(self._turn_service)
        self.cancel.clicked.connect(self.task.cancel)
        self.close_button.clicked.connect(self.reject)
        self._now_us = clock

    def read_again(self) -> None:
        """Read how big everything is."""

        # All of a store is read for that, which may take long: beside the reader of the window.
        made, store = _Measurement(), self._machinery.store
        made.measured.connect(self._show)
        made.failed.connect(self.said.setText)

        def measure() -> None:
            try:
                with store.read() as connection:
                    made.measured.emit(account_of(connection))
            except RookTallyError as error:
                made.failed.emit(str(error))

        threading.Thread(target=measure, daemon=True, name="measuring").start()

    def reject(self) -> None:
        """Close it; what is under way is cancelled first."""
        if self.task.is_running:
            self.task.cancel()
            self._then = super().reject
            return
        super().reject()

    def _show(self, account: StoreAccount) -> None:
        whole = sum(one.size for one in account.rooms)
        lines = [f"{size_text(one.size)}  {tr(one.kept.value)}" for one in account.rooms]
        self.rooms.setText("\n".join([tr("{0} in all", size_text(whole)), *lines]))
        self.copies.setText(
            account.copies if account.is_file else tr("By the server's own tools (pg_dump).")
        )
        self.thinning.setText(account.thinning)
        grow(self)
        for button in (self.copy, self.restore, self.compact, self.thin):
            button.setVisible(account.is_file)

    def _show_collector(self) -> None:
        recorder, service = self._machinery.recorder, self._machinery.service
        is_ours = recorder is not None and recorder.is_running
        is_service = service is not None and service.is_installed
        if is_ours:
            words = tr(
                "This window's own collector runs; it ends with the window unless you say so."
            )
        elif self._machinery.is_recorded():
            words = tr("A collector runs that was not started by this window.")
        else:
            words = tr("No collector runs: nothing is kept.")
        self.collector.setText(words)
        self.record.setText(tr("Stop") if is_ours else tr("Start"))
        self.record.setVisible(recorder is not None and not is_service)
        self.is_open.setVisible(is_ours)
        self.is_open.setChecked(recorder is not None and recorder.is_open)
        self.as_service.setVisible(service is not None)
        self.as_service.setChecked(is_service)

    # Work

    def _run(self, work: Callable[[Progress], str], then: Callable[[], None] | None = None) -> None:
        self.said.setText(tr("Under way…"))
        self._then = then
        self._show_under_way(True)
        self.task.run(work)

    def _show_under_way(self, is_under_way: bool) -> None:
        self.bar.setValue(0)
        self.bar.setVisible(is_under_way)
        self.cancel.setVisible(is_under_way)
        for button in (*self._buttons, self.as_service, self.is_open):
            button.setEnabled(not is_under_way)

    def _on_ended(self, words: str, _is_done: bool) -> None:
        self._show_under_way(False)
        self._show_collector()
        self.said.setText(words)
        grow(self)
        then, self._then = self._then, None
        if then is not None:
            then()

    def _choose_copy(self) -> None:
        store = self._machinery.store
        dialog = file_to_save(
            self, FilePurpose.COPY, tr("Copy the store"), "rook-tally-copy.db", "(*.db)"
        )
        dialog.setDefaultSuffix("db")
        dialog.fileSelected.connect(
            lambda path: self._run(lambda on: copy_to(store, Path(path), on))
        )
        dialog.open()

    def _choose_restore(self) -> None:
        dialog = file_to_read(self, FilePurpose.COPY, tr("Choose a copy"), "(*.db)")
        dialog.fileSelected.connect(self._ask_restore)
        dialog.open()

    def _ask_restore(self, path: str) -> None:
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("Restore a copy"),
            tr(
                "The window closes, {0} takes the place of the store, and the window opens again. "
                "What is kept now stays beside it, whole.",
                path,
            ),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        go_on = question.addButton(tr("Restore"), QMessageBox.ButtonRole.AcceptRole)
        go_on.clicked.connect(lambda: self.restore_wanted.emit(path))
        question.open()

    def _ask_age(self) -> None:
        def wanted(text: str) -> None:
            days = typed_seconds(text) * SECOND_US / DAY_US
            if days < 1:
                raise UsageError(tr("Only whole days that are past are thinned."))
            self._preview_thinning(days)

        ValueDialog(
            self._theme,
            self,
            title=tr("Thin old readings"),
            label=tr("Older than"),
            value=_USUAL_AGE,
            take=wanted,
            main_words=tr("Preview"),
        ).open()

    def _preview_thinning(self, days: float) -> None:
        store, now_us = self._machinery.store, self._now_us()
        self._run(
            lambda on: thin_now(store, days, now_us, on, remove=False),
            lambda: self._ask_thinning(days),
        )

    def _ask_thinning(self, days: float) -> None:
        store, now_us = self._machinery.store, self._now_us()
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("Thin old readings"),
            self.said.text() + " " + tr("A copy of everything is made first."),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        go_on = question.addButton(tr("Thin"), QMessageBox.ButtonRole.DestructiveRole)
        go_on.clicked.connect(
            lambda: self._run(
                lambda on: thin_now(store, days, now_us, on, remove=True), self.read_again
            )
        )
        question.open()

    # The collector

    def _turn_recording(self) -> None:
        recorder = self._machinery.recorder
        if recorder is None:
            return
        if not recorder.is_running:
            recorder.start()
            self._show_collector()
            self.said.setText(tr("A collector is being started."))
            return

        def stop(_progress: Progress) -> str:
            recorder.stop()
            return tr("It has stopped: nothing is kept until it is started again.")

        self._run(stop)

    def _turn_open(self, is_open: bool) -> None:
        recorder = self._machinery.recorder
        if recorder is not None:
            recorder.set_open(is_open)
            self.said.setText(tr("The collector starts anew with its doors so."))

    def _turn_service(self, is_wanted: bool) -> None:
        service, recorder = self._machinery.service, self._machinery.recorder
        if service is None:
            return

        def turn(_progress: Progress) -> str:
            if is_wanted:
                if recorder is not None and recorder.is_running:
                    # Two would want the same doors.
                    recorder.stop()
                return service.install()
            return service.remove()

        self._run(turn)

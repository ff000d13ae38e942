"""The connection sheet of a station, and the steps of its first contact beside it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontDatabase, QGuiApplication
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.connection_sheet import ConnectionSheet, Sender
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.parts.file_dialog import folder_to_fill
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.first_contact import ContactStep, StepState
from rook_tally.desk.stations.texts import tr
from rook_tally.program_files import write_program

_SENDER_NAMES = {
    Sender.CURL: "curl, over HTTP",
    Sender.MOSQUITTO: "mosquitto_pub, over MQTT",
    Sender.PYTHON: "Python, over HTTP",
    Sender.MICROPYTHON: "MicroPython, over MQTT",
    Sender.ARDUINO: "Arduino C++, over HTTP",
}
_MARKS = {StepState.DONE: "✓", StepState.FAILED: "✕", StepState.WAITING: "·"}
_HIDDEN = "•" * 12


class ConnectionSheetDialog(QDialog):
    """Shows a sheet; the key stays hidden until it is asked for, and is known only when it was made
    in this window."""

    open_doors_wanted = Signal()

    def __init__(
        self,
        theme: Theme,
        sheet: ConnectionSheet,
        access_key: str | None,
        parent: QWidget,
        *,
        is_reachable: bool = True,
        coap_secret: str = "",
    ) -> None:
        super().__init__(parent)
        self._is_reachable = is_reachable
        self._theme = theme
        self._sheet = sheet
        self._key = access_key
        self._coap_secret = coap_secret
        self.coap = Label()
        self.setWindowTitle(tr("Connect {0}", sheet.station))
        self.resize(760, 640)
        self.key = Label()
        self.show_key = QPushButton(tr("Show"))
        self.show_key.setObjectName("preset")
        self.show_key.setCheckable(True)
        self.copy_key = QPushButton(tr("Copy the key"))
        self.copy_key.setObjectName("preset")
        if access_key is None:
            self.copy_key.hide()
        self.copy_key.clicked.connect(lambda: QGuiApplication.clipboard().setText(access_key or ""))
        self.senders = QComboBox()
        self.senders.setAccessibleName(tr("sender"))
        self.program = QPlainTextEdit()
        self.program.setAccessibleName(tr("program"))
        self.copy, self.save = QPushButton(tr("Copy")), QPushButton(tr("Save into a folder…"))
        self.said = Label()
        self._steps = QVBoxLayout()
        self.steps: list[Label] = []
        self._lay_out()
        self._show_program()

    def _lay_out(self) -> None:
        sheet = self._sheet
        title = Label(sheet.station)
        title.setFont(face(19, BOLD))
        form = QFormLayout()
        form.setHorizontalSpacing(16)
        for name, text in (
            ("HTTP", sheet.http_address),
            (
                "MQTT",
                tr("{0}, topic {1}, QoS 1", f"{sheet.mqtt_host}:{sheet.mqtt_port}", sheet.topic),
            ),
            (tr("user"), tr("{0}, its access key as password", sheet.station)),
            (tr("for example"), sheet.example_text),
        ):
            label = Label(text)
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            form.addRow(name, label)
        if sheet.coap:
            self.coap.setWordWrap(True)
            self.coap.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            form.addRow("CoAP", self.coap)
        keys = QHBoxLayout()
        self.key.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        keys.addWidget(self.key)
        keys.addWidget(self.show_key)
        keys.addWidget(self.copy_key)
        keys.addStretch(1)
        form.addRow(tr("access key"), keys)
        self.show_key.toggled.connect(self._show_program)
        for one, name in _SENDER_NAMES.items():
            self.senders.addItem(name, one)
        self.senders.currentIndexChanged.connect(self._show_program)
        self.program.setReadOnly(True)
        font = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
        font.setPixelSize(12)
        self.program.setFont(font)
        self.copy.clicked.connect(self._copy)
        self.save.clicked.connect(self._choose_folder)
        self.senders.currentIndexChanged.connect(lambda _at: self.said.setText(""))
        choosing = QHBoxLayout()
        choosing.addWidget(self.senders)
        choosing.addWidget(self.copy)
        choosing.addWidget(self.save)
        choosing.addWidget(self.said, 1)
        steps_title = Label(tr("First contact"))
        steps_title.setFont(face(13, BOLD))
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 16)
        column.setSpacing(8)
        column.addWidget(title)
        column.addWidget(self._doors())
        column.addLayout(form)
        column.addSpacing(8)
        column.addLayout(choosing)
        column.addWidget(self.program, 1)
        column.addSpacing(8)
        column.addWidget(steps_title)
        column.addLayout(self._steps)

    def _doors(self) -> QWidget:
        """That only this machine can send, where that is so, and how to change it."""
        words = Label(
            tr(
                "The doors are open to this machine only: a station elsewhere in the network "
                "cannot reach them yet. Opened, everybody needs an access key."
            )
        )
        words.setWordWrap(True)
        tint(words, self._theme.level(Level.HIGH))
        self.open_doors = QPushButton(tr("Open them to the network"))
        self.open_doors.setObjectName("small")
        self.open_doors.clicked.connect(self.open_doors_wanted)
        self.open_doors.clicked.connect(self.close)
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(words, 1)
        row.addWidget(self.open_doors)
        if self._is_reachable:
            line.hide()
        return line

    def show_steps(self, steps: Sequence[ContactStep]) -> None:
        """Tick off how far its newest message has come."""
        while len(self.steps) < len(steps):
            label = Label()
            label.setWordWrap(True)
            self.steps.append(label)
            self._steps.addWidget(label)
        for label, step in zip(self.steps, steps, strict=True):
            detail = f": {step.detail}" if step.detail else ""
            label.setText(f"{_MARKS[step.state]}  {step.name}{detail}")
            label.setAccessibleName(f"{step.name}, {tr(step.state.value)}{detail}")
            label.setFont(face(13, BOLD if step.state is StepState.FAILED else face(13).weight()))
            tint(
                label,
                self._theme.level(Level.HIGH)
                if step.state is StepState.FAILED
                else self._theme.ink
                if step.state is StepState.DONE
                else self._theme.faint,
            )

    def _show_program(self, *_: object) -> None:
        is_shown = self.show_key.isChecked()
        self.show_key.setVisible(self._key is not None)
        if self._key is None:
            self.key.setText(tr("shown once, when it was made; make another with New key…"))
        else:
            self.key.setText(self._key if is_shown else _HIDDEN)
        secret = self._coap_secret if is_shown else tr("its access key gives its secret")
        self.coap.setText(f"{self._sheet.coap_address}, {secret}")
        self.program.setPlainText(
            self._sheet.program(self.senders.currentData(), self._key if is_shown else None)
        )

    def _copy(self) -> None:
        """Copy what runs: with the key in it when it is known, shown or not."""
        text = self._sheet.program(self.senders.currentData(), self._key)
        QGuiApplication.clipboard().setText(text)

    def _choose_folder(self) -> None:
        dialog = folder_to_fill(self, FilePurpose.PROGRAM, tr("Folder for the program"))
        dialog.fileSelected.connect(self._save_into)
        dialog.open()

    def _save_into(self, folder: str) -> None:
        """Write what runs, with the key in it when it is known."""
        files = self._sheet.files(self.senders.currentData(), self._key)
        try:
            written = write_program(Path(folder), files)
        except UsageError as error:
            self.said.setText(str(error))
            return
        names = ", ".join(str(one.relative_to(folder)) for one in written)
        self.said.setText(tr("Saved: {0}", names))

"""The dialog of how sheets are shown: on which monitor, turning how fast, dim when."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QTime, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QSpinBox,
    QTimeEdit,
    QWidget,
)

from rook_tally.desk.data.settings import WallSettings
from rook_tally.desk.wall.texts import tr


class ShowDialog(QDialog):
    """`decided` carries the settings when they were accepted."""

    decided = Signal(WallSettings)

    def __init__(self, settings: WallSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self._settings = settings
        self.setWindowTitle(tr("How sheets are shown"))
        self.screen_name = QComboBox()
        for one in QGuiApplication.screens():
            size = one.size()
            self.screen_name.addItem(f"{one.name()}  {size.width()} × {size.height()}", one.name())
        self.screen_name.setCurrentIndex(max(0, self.screen_name.findData(settings.screen)))
        self.turn = QSpinBox()
        self.turn.setRange(0, 3600)
        self.turn.setSuffix(" s")
        self.turn.setSpecialValueText(tr("not by themselves"))
        self.turn.setValue(round(settings.turn_s))
        self.dims = QCheckBox(tr("dim, and in the night's colours"))
        self.dims.setChecked(settings.dims)
        self.begins = QTimeEdit(QTime(settings.night_from_min // 60, settings.night_from_min % 60))
        self.ends = QTimeEdit(QTime(settings.night_to_min // 60, settings.night_to_min % 60))
        form = QFormLayout(self)
        form.addRow(tr("Monitor"), self.screen_name)
        form.addRow(tr("Sheets turn every"), self.turn)
        form.addRow(tr("At night"), self.dims)
        form.addRow(tr("Night begins"), self.begins)
        form.addRow(tr("Night ends"), self.ends)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self._decide)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def _decide(self) -> None:
        begins, ends = self.begins.time(), self.ends.time()
        self.decided.emit(
            replace(
                self._settings,
                screen=self.screen_name.currentData() or "",
                turn_s=float(self.turn.value()),
                dims=self.dims.isChecked(),
                night_from_min=begins.hour() * 60 + begins.minute(),
                night_to_min=ends.hour() * 60 + ends.minute(),
            )
        )
        self.accept()

"""A remark written or altered: its words, its time, its colour, the place it is about."""

from __future__ import annotations

from datetime import tzinfo

from msgspec.structs import replace
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.remarks import SHADES, Remark
from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_time
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.commands import SaveRemark
from rook_tally.desk.data.conflict import UNCHECKED
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.undo import SavedResult
from rook_tally.desk.parts.fonts_and_colours import colour
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.texts import tr

_SHADE_NAMES = ("ink blue", "ochre", "green", "plum", "grey", "clay")


class _Shade(QAbstractButton):
    """A colour to choose, named for those who do not see it."""

    def __init__(self, theme: Theme, at: int) -> None:
        super().__init__()
        self._theme, self._name = theme, theme.traces[at % len(theme.traces)]
        self.setCheckable(True)
        self.setFixedSize(QSize(26, 26))
        self.setAccessibleName(tr(_SHADE_NAMES[at]))
        self.setToolTip(tr(_SHADE_NAMES[at]))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect())
        painter.fillRect(area.adjusted(5, 5, -5, -5), colour(self._name))
        if self.isChecked() or self.hasFocus():
            style = Qt.PenStyle.SolidLine if self.isChecked() else Qt.PenStyle.DotLine
            painter.setPen(QPen(colour(self._theme.ink), 2, style))
            painter.drawRect(area.adjusted(2, 2, -2, -2))


class RemarkDialog(SavingDialog):
    """Writes a remark, or changes one. `written` carries it once it is saved."""

    written = Signal(Remark)

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, remark: Remark, parent: QWidget
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._begun = remark
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self._state = state
        sort = "span" if remark.is_span else "pin"
        self.setWindowTitle(tr("Change the {0}", sort) if remark.id else tr("A new {0}", sort))
        self.words = QLineEdit(remark.text if remark.id else "")
        self.words.setPlaceholderText(tr("What happened, in a few words"))
        self.start, self.end = QLineEdit(), QLineEdit()
        zone = state.zone
        self.start.setText(time_words(remark.start_us, zone))
        self.place = QComboBox()
        self.place.addItem(tr("the whole site"), None)
        for place in state.site.places:
            self.place.addItem(place.name, place.name)
        self.place.setCurrentIndex(max(0, self.place.findData(remark.place)))
        self.shades = QButtonGroup(self)
        shades = QHBoxLayout()
        for at in range(SHADES):
            button = _Shade(theme, at)
            self.shades.addButton(button, at)
            shades.addWidget(button)
        shades.addStretch(1)
        self.shades.button(remark.shade).setChecked(True)
        form = QFormLayout()
        form.addRow(tr("Words"), self.words)
        form.addRow(tr("From") if remark.is_span else tr("At"), self.start)
        if remark.end_us is not None:
            self.end.setText(time_words(remark.end_us, zone))
            form.addRow(tr("To"), self.end)
        form.addRow(tr("About"), self.place)
        form.addRow(tr("Colour"), shades)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.problem)
        column.addWidget(self.buttons)
        self.buttons.accepted.connect(self.save)
        self.setMinimumWidth(420)
        self.words.setFocus()

    def save(self) -> None:
        """Have it written down."""
        begun = self._begun
        try:
            end_us = None if begun.end_us is None else self._time(self.end, begun.end_us)
            remark = replace(
                begun,
                text=self.words.text().strip(),
                start_us=self._time(self.start, begun.start_us),
                end_us=end_us,
                shade=self.shades.checkedId(),
                place=self.place.currentData(),
            )
        except UsageError as error:
            self.say(str(error))
            return
        self.begin_saving()
        command = SaveRemark(remark, begun if begun.id else UNCHECKED)
        self._client.write(command, self._on_written, self.not_saved)

    def _on_written(self, done: SavedResult[Remark]) -> None:
        self.written.emit(done.saved)
        self.saved()

    def _time(self, typed: QLineEdit, begun_us: int) -> int:
        if typed.text() == time_words(begun_us, self._state.zone):
            # Untouched it stays to the microsecond, also in an hour that comes twice.
            return begun_us
        told = typed_time(typed.text(), now_us=self._state.clock(), zone=self._state.zone)
        return told.start_us


def time_words(time_us: int, zone: tzinfo) -> str:
    """A moment as it may be typed again."""
    return f"{datetime_from_time_us(time_us).astimezone(zone):%Y-%m-%d %H:%M:%S}"

"""The controls of the picked station: each a line with what it is, to be set there and then."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from rook_tally.core.quantities.controls import SWITCH_OFF, SWITCH_ON, Control, ControlKind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.controls import ControlRow
from rook_tally.desk.stations.texts import tr


class ControlList(QWidget):
    """Shows controls of a station. `asked` is sent with the station's key, a control's name and
    what it shall be."""

    asked = Signal(str, str, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._station = ""
        self._rows: tuple[tuple[object, ...], ...] = ()
        self._lines: dict[str, tuple[QPushButton, QLabel]] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnMinimumWidth(0, 130)
        self._grid.setColumnStretch(2, 1)

    def show_rows(self, station: str, rows: Sequence[ControlRow]) -> None:
        """Show these of a station; lines are made anew only when the controls are others."""
        self._station = station
        controls = tuple((one.control,) for one in rows)
        if controls != self._rows:
            self._rows = controls
            self._make_lines(rows)
        for row in rows:
            button, remark = self._lines[row.control.name]
            button.setText(row.value)
            button.setAccessibleName(row.spoken)
            button.setToolTip(plain_tip(f"{row.title}: {row.control.allowed}"))
            remark.setText(row.remark)
            is_fine = row.level is Level.SETTLED
            tint(remark, self._theme.dim if is_fine else self._theme.level(row.level))

    def _make_lines(self, rows: Sequence[ControlRow]) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        self._lines.clear()
        for at, row in enumerate(rows):
            title, remark, button = Label(row.title), Label(), QPushButton()
            title.setFont(face(13))
            remark.setFont(face(12))
            button.setFont(face(13, BOLD))
            button.setObjectName("control")
            button.setMinimumWidth(88)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.clicked.connect(partial(self._choose, row.control.name))
            self._grid.addWidget(title, at, 0)
            self._grid.addWidget(button, at, 1)
            self._grid.addWidget(remark, at, 2)
            self._lines[row.control.name] = (button, remark)
        self._all = {row.control.name: row for row in rows}

    def _choose(self, name: str) -> None:
        """Ask the person what it shall be: a switch turns over, a button is pressed."""
        station, control = self._station, self._all[name].control
        shown = self._lines[name][0].text()
        if control.sort is ControlKind.SWITCH:
            self.asked.emit(station, name, SWITCH_OFF if shown == SWITCH_ON else SWITCH_ON)
        elif control.sort is ControlKind.BUTTON:
            self.asked.emit(station, name, "")
        else:
            self._ask_value(station, control, shown)

    def _ask_value(self, station: str, control: Control, shown: str) -> None:
        """Ask for a choice, or for a number until one is given that it can be, or none."""
        is_choice = control.sort is ControlKind.CHOICE

        def take(told: str) -> None:
            value = told if is_choice else control.value_from(f"{typed_number(told):.12g}")
            # The station that was picked when the person asked.
            self.asked.emit(station, control.name, value)

        ValueDialog(
            self._theme,
            self,
            title=f"{station} · {control.title}",
            label=control.title if is_choice else f"{control.title}, {control.allowed}",
            value=shown if is_choice else "",
            take=take,
            choices=control.choices if is_choice else (),
            main_words=tr("Set"),
        ).open()

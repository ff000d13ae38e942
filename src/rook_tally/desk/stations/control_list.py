"""The controls of the picked station: each a line with what it is, to be set there and then."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QInputDialog, QLabel, QPushButton, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import SWITCH_OFF, SWITCH_ON, Control, ControlKind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.controls import ControlRow


class ControlList(QWidget):
    """Shows controls. `asked` is sent with a control's name and what it shall be."""

    asked = Signal(str, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._rows: tuple[tuple[object, ...], ...] = ()
        self._lines: dict[str, tuple[QPushButton, QLabel]] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnMinimumWidth(0, 130)
        self._grid.setColumnStretch(2, 1)

    def show_rows(self, rows: Sequence[ControlRow]) -> None:
        """Show these; lines are made anew only when the controls are others."""
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
        control = self._all[name].control
        shown = self._lines[name][0].text()
        if control.sort is ControlKind.SWITCH:
            self.asked.emit(name, SWITCH_OFF if shown == SWITCH_ON else SWITCH_ON)
        elif control.sort is ControlKind.BUTTON:
            self.asked.emit(name, "")
        elif control.sort is ControlKind.CHOICE:
            told, is_meant = QInputDialog.getItem(
                self,
                control.title,
                control.title,
                list(control.choices),
                max(0, _index(control.choices, shown)),
                False,
            )
            if is_meant:
                self.asked.emit(name, told)
        else:
            self._ask_number(control)

    def _ask_number(self, control: Control, typed: str = "", why: str = "") -> None:
        """Ask for a number until one is given that it can be, or none."""
        words = f"{control.title}, {control.allowed}:"
        told, is_meant = QInputDialog.getText(
            self, control.title, f"{words}\n{why}" if why else words, text=typed
        )
        if not is_meant:
            return
        try:
            value = control.value_from(f"{typed_number(told):.12g}")
        except UsageError as error:
            self._ask_number(control, told, str(error))
        else:
            self.asked.emit(control.name, value)


def _index(choices: Sequence[str], shown: str) -> int:
    return choices.index(shown) if shown in choices else -1


def filled(box: QComboBox, choices: Sequence[tuple[str, str]], chosen: str) -> QComboBox:
    """A box with these choices, as (what stands for it, how it is shown)."""
    box.clear()
    for value, text in choices:
        box.addItem(text, value)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    return box

"""The page of a store in which nothing was ever heard: three ways to begin."""

from __future__ import annotations

import enum

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.i18n import tr
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint


class FirstStep(enum.Enum):
    """A way to begin."""

    DEMO = "Look at the demo"
    STATION = "Connect a station"
    FILE = "Read a file"


_TOLD = {
    FirstStep.DEMO: "A made-up pottery with twelve stations and a week of history, in a window and "
    "a store of its own. Nothing of it comes into this one.",
    FirstStep.STATION: "Send something to this machine; whoever speaks is shown at once, and you "
    "say what it is. No account, no cloud, nothing leaves this machine.",
    FirstStep.FILE: "Readings you have as CSV become series of a station. A rehearsal first shows "
    "what would be kept, and a file that was read can be taken back.",
}


class Onboarding(QWidget):
    """Offers the three ways. `chosen` carries a `FirstStep`."""

    chosen = Signal(FirstStep)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        title, told = (
            Label(tr("Nothing has been heard yet")),
            Label(tr("There are three ways on.")),
        )
        title.setFont(face(19, MEDIUM))
        told.setFont(face(13))
        tint(told, theme.dim)
        ways = QGridLayout()
        ways.setHorizontalSpacing(28)
        ways.setVerticalSpacing(6)
        self.buttons: dict[FirstStep, QPushButton] = {}
        for at, step in enumerate(FirstStep):
            button = QPushButton(f"&{at + 1}  {tr(step.value)}")
            button.setObjectName("main" if at == 0 else "")
            button.setShortcut(str(at + 1))
            button.setFont(face(13, BOLD))
            button.clicked.connect(lambda _=False, one=step: self.chosen.emit(one))
            words = Label(tr(_TOLD[step]))
            words.setFont(face(12))
            words.setWordWrap(True)
            words.setFixedWidth(270)
            words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
            tint(words, theme.dim)
            ways.addWidget(button, 0, at)
            ways.addWidget(words, 1, at)
            self.buttons[step] = button
        column = QVBoxLayout(self)
        column.addStretch(2)
        column.addWidget(title, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(told, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(20)
        column.addLayout(ways)
        column.setAlignment(ways, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(3)

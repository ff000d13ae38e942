"""The page of a store in which nothing was ever heard: the ways to begin."""

from __future__ import annotations

import enum
from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site import StrayGroup


class FirstStep(enum.Enum):
    """A way to begin."""

    DEMO = "Look at the demo"
    STATION = "Connect a station"
    FILE = "Read a file"
    SITE = "Begin with a site file"


_TOLD = {
    FirstStep.DEMO: "A made-up pottery with twelve stations and a week of history, in a window and "
    "a store of its own. Nothing of it comes into this one.",
    FirstStep.STATION: "Send something to this machine; whoever speaks is shown at once, and you "
    "say what it is. No account, no cloud, nothing leaves this machine.",
    FirstStep.FILE: "Readings you have as CSV become series of a station. A preview first shows "
    "what would be kept, and a file that was read can be taken back.",
    FirstStep.SITE: "Places, limits and watches of a home, a classroom, a workshop or a "
    "greenhouse, or a file of somebody else. What it would change is listed first.",
}


class Onboarding(QWidget):
    """Offers the ways, and whoever is talking already. `chosen` carries a `FirstStep`,
    `take_in_wanted` the key of a sender; `name_wanted` says that the site is to be named."""

    name_wanted = Signal()
    chosen = Signal(FirstStep)
    take_in_wanted = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.title, self.told = Label(), Label()
        self.title.setFont(face(19, MEDIUM))
        self.told.setFont(face(13))
        tint(self.told, theme.dim)
        ways = QGridLayout()
        ways.setHorizontalSpacing(28)
        ways.setVerticalSpacing(8)
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
            words.setMinimumWidth(150)
            words.setMaximumWidth(300)
            words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
            tint(words, theme.dim)
            # Two beside two: they have room in half a screen as well.
            ways.addWidget(button, 3 * (at // 2), at % 2)
            ways.addWidget(words, 3 * (at // 2) + 1, at % 2)
            self.buttons[step] = button
        ways.setRowMinimumHeight(2, 12)
        self._sender = ""
        self.site = QPushButton()
        self.site.setObjectName("small")
        self.site.setShortcut("N")
        self.site.clicked.connect(self.name_wanted)
        self.talking, self.take_in = Label(), QPushButton()
        self.talking.setFont(face(13, BOLD))
        self.take_in.setObjectName("main")
        self.take_in.clicked.connect(lambda: self.take_in_wanted.emit(self._sender))
        heard = QHBoxLayout()
        heard.setSpacing(16)
        heard.addStretch(1)
        heard.addWidget(self.talking)
        heard.addWidget(self.take_in)
        heard.addStretch(1)
        column = QVBoxLayout(self)
        column.addStretch(2)
        column.addWidget(self.title, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addLayout(heard)
        column.addWidget(self.told, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(8)
        column.addWidget(self.site, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(20)
        middle = QHBoxLayout()
        middle.addStretch(1)
        middle.addLayout(ways, 1000)
        middle.addStretch(1)
        column.addLayout(middle)
        column.addStretch(3)
        self.show_strays(())

    def show_site(self, name: str, zone: str) -> None:
        """Say what the site is called, and in which zone its times are."""
        self.site.setText(
            tr("{0}, times in {1}…", name, zone)
            if name
            else tr("Name your site…  Times are in {0}", zone)
        )

    def show_strays(self, strays: Sequence[StrayGroup]) -> None:
        """Say who is talking already, and offer to take the first of them in."""
        named = [one for one in strays if one.station is not None]
        self._sender = "" if not named else str(named[0].station)
        self.talking.setVisible(bool(named))
        self.take_in.setVisible(bool(named))
        first = self.buttons[FirstStep.DEMO]
        first.setObjectName("" if named else "main")
        first.setStyleSheet(first.styleSheet())  # its name has become another
        if not named:
            self.title.setText(tr("Nothing has been heard yet"))
            self.told.setText(tr("There are four ways on."))
        else:
            self.title.setText(tr("Something is talking"))
            self.told.setText(tr("There are four other ways on."))
            count = named[0].count
            told = [tr("{0} is talking. Messages kept: {1}.", self._sender, count)]
            if len(named) > 1:
                told.append(tr("Others talking: {0}.", len(named) - 1))
            self.talking.setText(" ".join(told))
            self.take_in.setText(tr("Take in {0}…", self._sender))

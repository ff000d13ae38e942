"""A list of a series' alarms, each line with its actions."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.quantities.number_format import age
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.texts import tr
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.site import RequestKind

_MOST = 3


def state_words(one: ActiveAlarm, now_us: int) -> str:
    """The state of an alarm in words, and since when."""
    since = "" if one.since_us is None else age((now_us - one.since_us) / 1e6)
    words = {
        AlarmState.UNACKNOWLEDGED: tr("standing {0}", since),
        AlarmState.ACKNOWLEDGED: tr("standing {0}, seen by {1}", since, one.who or tr("them")),
        AlarmState.RETURNED_UNACKNOWLEDGED: tr("over, not acknowledged"),
        AlarmState.SHELVED: tr("shelved"),
        AlarmState.SUPPRESSED: tr("off"),
    }
    return words.get(one.state, "")


class _Line(QWidget):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.name, self.state = Label(), Label()
        self.name.setFont(face(12, BOLD))
        self.state.setFont(face(12))
        self.state.setWordWrap(True)
        tint(self.state, theme.dim)
        self.acknowledge = QPushButton(tr("Acknowledge"))
        self.shelve = QPushButton(tr("Shelve for an hour"))
        for button in (self.acknowledge, self.shelve):
            button.setObjectName("link")
            button.setStyleSheet(
                f"QPushButton#link {{ border: none; background: transparent; color: {theme.sheen};"
                f" padding: 1px 4px 1px 0; text-align: left; }}"
                f" QPushButton#link:focus {{ text-decoration: underline; }}"
            )
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.acknowledge)
        buttons.addWidget(self.shelve)
        buttons.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(2)
        column.addWidget(self.name)
        column.addWidget(self.state)
        column.addLayout(buttons)


class AlarmLines(QWidget):
    """At most three; `wanted` says what is to be done with which alarm."""

    wanted = Signal(RequestKind, ActiveAlarm)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.shown: list[ActiveAlarm] = []
        self.lines = [_Line(theme) for _ in range(_MOST)]
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for at, line in enumerate(self.lines):
            column.addWidget(line)
            line.acknowledge.clicked.connect(
                lambda _checked=False, at=at: self._ask(RequestKind.ACKNOWLEDGE, at)
            )
            line.shelve.clicked.connect(
                lambda _checked=False, at=at: self._ask(RequestKind.SHELVE, at)
            )
        self.show_alarms([], 0, is_now=True)

    def show_alarms(self, alarms: Sequence[ActiveAlarm], now_us: int, *, is_now: bool) -> None:
        """Show what stands; nothing can be done about the past."""
        self.shown = list(alarms[:_MOST])
        for at, line in enumerate(self.lines):
            line.setVisible(at < len(self.shown))
            if at >= len(self.shown):
                continue
            one = self.shown[at]
            line.name.setText(one.name)
            tint(line.name, self._theme.level(one.level) if one.level else self._theme.ink)
            line.state.setText(state_words(one, now_us))
            calls = one.state in (AlarmState.UNACKNOWLEDGED, AlarmState.RETURNED_UNACKNOWLEDGED)
            line.acknowledge.setVisible(is_now and calls)
            line.shelve.setVisible(is_now and one.state is not AlarmState.SHELVED)
        self.setVisible(bool(self.shown))

    def _ask(self, sort: RequestKind, at: int) -> None:
        if at < len(self.shown):
            self.wanted.emit(sort, self.shown[at])

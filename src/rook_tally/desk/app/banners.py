"""Lines across the window, over its views: what is wrong, and which moment is shown."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QPalette

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.app.texts import tr
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.rail.model import RailModel

_TELL_PAUSE_MS = 40


class _Band(Label):
    """A line of words on a colour of its own, hidden while there are none."""

    def __init__(self, size: int, background: str, ink: str) -> None:
        super().__init__()
        self.setFont(face(size, MEDIUM))
        self.setContentsMargins(16, 6, 16, 6)
        self.setAutoFillBackground(True)
        palette = self.palette()
        palette.setColor(QPalette.ColorRole.Window, colour(background))
        palette.setColor(self.foregroundRole(), colour(ink))
        self.setPalette(palette)
        self.hide()

    def say(self, text: str) -> None:
        """Show these words, or nothing."""
        if text != self.text():
            self.setText(text)
        self.setVisible(bool(text))


class NoticeBanner(_Band):
    """A line about what is wrong; `record_wanted` is sent by its link, where a window can help."""

    record_wanted = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__(12, theme.tint(Level.RAISED), theme.ink)
        self.setWordWrap(True)
        self._theme = theme
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse
            | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self.linkActivated.connect(lambda _: self.record_wanted.emit())

    def say_with_link(self, text: str) -> None:
        """Say what is wrong, with a link that lets the window record."""
        hue = colour(self._theme.sheen).name()
        self.setTextFormat(Qt.TextFormat.RichText)
        self.say(
            f'{escape(text)} <a href="record" style="color: {hue}">{tr("Record from here")}</a>'
        )

    def say_plainly(self, text: str) -> None:
        """Say what is wrong, or nothing."""
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.say(text)


class PastBanner(_Band):
    """That the past is shown, or something tried out; a link leaves the trial."""

    told = Signal()
    trial_left = Signal()

    def __init__(self, theme: Theme, state: SiteState, rail: RailModel) -> None:
        super().__init__(13, theme.sheen, theme.on_sheen)
        # It holds a link; what else it says is escaped.
        self.setTextFormat(Qt.TextFormat.RichText)
        self._theme, self._state, self._rail = theme, state, rail
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse
            | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self.linkActivated.connect(lambda _: self.trial_left.emit())
        # A hand moves the window a hundred times a second; words about it need not.
        self._timer = QTimer(self, singleShot=True, interval=_TELL_PAUSE_MS)
        self._timer.timeout.connect(self.tell)

    def tell_soon(self) -> None:
        """Say it within a moment, once for all that moves until then."""
        if not self._timer.isActive():
            self._timer.start()

    def tell_trial(self) -> None:
        """Say that a trial has begun, moved or ended."""
        if self._state.trial or (self._state.window.is_live and self.isVisible()):
            self.tell()

    def tell(self) -> None:
        """Say which moment is shown."""
        words = (
            []
            if self._state.window.is_live
            else [
                escape(
                    tr(
                        "Everything here is as it was on {0}. Space returns to now.",
                        self._rail.moment_words(),
                    )
                )
            ]
        )
        if self._state.trial:
            words.append(
                escape(
                    tr(
                        "A trial: {0}. It is shown everywhere, and nowhere kept.",
                        self._state.trial_words(),
                    )
                )
            )
            hue = colour(self._theme.on_sheen).name()
            words.append(f'<a href="leave" style="color: {hue}">{tr("Leave the trial")}</a>')
        self.say(" ".join(words))
        self.told.emit()

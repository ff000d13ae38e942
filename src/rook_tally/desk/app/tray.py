"""The icon in the desktop's tray: the mark with the strokes of the worst level."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QObject, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QMenu, QSystemTrayIcon

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.app.texts import tr, tr_count
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.parts.drawing import draw_strokes
from rook_tally.desk.parts.fonts_and_colours import colour

_SIZE = 64


def tray_words(state: SiteState) -> str:
    """The site as it is now, whatever moment the window shows: how many series are past a limit and
    how bad, how many stations heard."""
    now = state.live_snapshot
    count, worst = state.raised_now()
    heard, stations = state.heard_now()
    if now.alarms:
        names = ", ".join(dict.fromkeys(one.name for one in now.alarms))
        told = tr_count(len(now.alarms), "1 alarm: {1}", "{0} alarms: {1}", names)
    elif count:
        told = tr("{0} past a limit, worst {1}", count, tr(worst.wording))
    else:
        told = tr("all settled")
    return tr("{0}: {1}; {2} of {3} heard", state.site.name or "Rook Tally", told, heard, stations)


def tray_picture(theme: Theme, level: Level) -> QPixmap:
    """The mark on the head's ground; from raised on the level's own strokes on its own colour."""
    picture = QPixmap(_SIZE, _SIZE)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    is_raised = level >= Level.RAISED
    painter.setBrush(colour(theme.sheet if is_raised else theme.night))
    painter.drawRoundedRect(picture.rect(), 12, 12)
    if is_raised:
        wide = 11.0 * int(level) - 5
        painter.scale(1.6, 1.6)
        draw_strokes(painter, theme, level, (_SIZE / 1.6 - wide / 1.6) / 2, 7, 26)
    else:
        painter.setPen(QPen(colour(theme.on_night), 5, c=Qt.PenCapStyle.RoundCap))
        for stroke in range(4):
            x = 16.0 + stroke * 11
            painter.drawLine(QLineF(x, 16, x, 48))
        painter.drawLine(QLineF(9, 42, 55, 22))
    painter.end()
    return picture


class Tray(QObject):
    """The icon. `shown_wanted` asks for the window, `alarms_wanted` for what stands and
    `end_wanted` for the window to close."""

    shown_wanted = Signal()
    alarms_wanted = Signal()
    end_wanted = Signal()

    def __init__(self, theme: Theme, state: SiteState, parent: QObject) -> None:
        super().__init__(parent)
        self._theme, self._state = theme, state
        self._level: Level | None = None
        self.icon = QSystemTrayIcon(self)
        self.menu = QMenu()
        self.menu.addAction(tr("Show the window")).triggered.connect(self.shown_wanted)
        self.menu.addAction(tr("Alarms…")).triggered.connect(self.alarms_wanted)
        self.menu.addAction(tr("Close")).triggered.connect(self.end_wanted)
        self.icon.setContextMenu(self.menu)
        self.icon.activated.connect(self._on_activated)
        state.subscribe(lambda _: self.refresh())
        self.refresh()
        self.icon.show()

    def refresh(self) -> None:
        """Show how the site stands."""
        _, worst = self._state.raised_now()
        worst = max([worst, *(one.level for one in self._state.live_alarms)])
        self.icon.setToolTip(tray_words(self._state))
        if worst is not self._level:
            self._level = worst
            self.icon.setIcon(QIcon(tray_picture(self._theme, worst)))

    def recolour(self) -> None:
        """Draw the icon anew."""
        self._level = None
        self.refresh()

    def _on_activated(self, reason: QSystemTrayIcon.ActivationReason) -> None:
        if reason is QSystemTrayIcon.ActivationReason.Trigger:
            self.shown_wanted.emit()

"""Sheets on a whole screen: turning by themselves, dim at night, no pointer, a foot with the
clock."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QScreen,
)
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from rook_tally.core.moment_words import moment_words
from rook_tally.core.theme import NIGHT, Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.settings import WallSettings
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour
from rook_tally.desk.parts.pictures import Pictures
from rook_tally.desk.wall.canvas import WallCanvas
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.painter import CENTRE, LEFT, RIGHT, PanePainter
from rook_tally.desk.wall.painter_frame import unit_of
from rook_tally.desk.wall.rotation import is_night, next_sheet
from rook_tally.desk.wall.screen_inhibitor import ScreenInhibitor
from rook_tally.desk.wall.sheet_follower import SheetFollower
from rook_tally.desk.wall.texts import tr

_TICK_MS = 1000
_POINTER_MS = 2500
_FOOT = 60.0
_DIMMED = 0.5


class FullScreenWall(QWidget):
    """A window of its own, with a model of its own: it begins with a sheet and turns by itself."""

    closed = Signal()

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: StoreClient,
        settings: WallSettings,
        first: str,
    ) -> None:
        super().__init__(None)
        self._theme, self._state = theme, state
        self.model = model = WallModel(state)
        self._first: str | None = first
        self.follower = SheetFollower(model, state, client, is_wanted=self.isVisible)
        self.follower.on_listing = self._begin_with_first
        self.settings = settings
        self.setWindowTitle(tr("The Wall, {0}", state.site.name))
        self.canvas = WallCanvas(theme, model)
        self.pictures = Pictures(client, self)
        self.canvas.pictures = self.pictures.image
        self.pictures.arrived.connect(self.canvas.update)
        self.foot = _Foot(theme, state, model)
        self._veil = _Veil(self)
        self._awake = ScreenInhibitor()
        self.leave = QPushButton(tr("Leave full screen (Esc)"), self)
        self.leave.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.leave.hide()
        self.leave.clicked.connect(self.close)
        self.left_s = settings.turn_s
        self.is_paused = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.foot)
        self._pointer = QTimer(self, singleShot=True, interval=_POINTER_MS)
        self._pointer.timeout.connect(self._hide_pointer)
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(self.tick)
        self.setMouseTracking(True)
        self.canvas.setFocus()
        for widget in (self, self.canvas):
            widget.setCursor(Qt.CursorShape.BlankCursor)
        model.laid_out.append(self.foot.update)

    def begin(self) -> None:
        """Fill the chosen screen, and keep it awake."""
        screen = screen_called(self.settings.screen)
        if screen is not None:
            self.setGeometry(screen.geometry())
        self.showFullScreen()
        self._awake.begin()
        self._tick.start()
        self.follower.ask_listing()
        self.tick(0)

    def _begin_with_first(self) -> None:
        if self._first is not None:
            first, self._first = self._first, None
            self.model.show(first)
        self.tick(0)

    def tick(self, passed_s: float = 1.0) -> None:
        """A second went by: turn when it is time, follow the night."""
        self._follow_night()
        if passed_s:
            self.follower.tick()
        sheets, mine = self.model.sheets, self.model.sheet
        turns = len(sheets) > 1 and not self.is_paused and self.settings.turn_s > 0
        if mine is not None and turns:
            self.left_s -= passed_s
            if self.left_s <= 0:
                self.left_s = self.settings.turn_s
                self.model.show(next_sheet(sheets, mine.slug, self.model.has_alarm))
        self.foot.tell(self._foot_words(turns=turns))

    def _foot_words(self, *, turns: bool) -> str:
        if not self._state.window.is_live:
            words = tr("as it was {0}", moment_words(self._moment(), weekday=True))
            calling = self._state.calling_now
            # What calls for somebody now is seen whatever is looked at.
            return f"{words} · {calling.words_now}" if calling.count else words
        mine = self.model.sheet
        if mine is not None and self.model.has_alarm(mine.slug):
            return tr("stays while something stands")
        if self.is_paused:
            return tr("stays here; Space goes on")
        return tr("next sheet in {0:.0f} s", max(self.left_s, 0)) if turns else ""

    def _moment(self) -> datetime:
        return datetime_from_time_us(self._state.now_us).astimezone(self._state.zone)

    def _follow_night(self) -> None:
        now = datetime_from_time_us(self._state.clock()).astimezone(self._state.zone)
        settings = self.settings
        dark = settings.dims and is_night(now, settings.night_from_min, settings.night_to_min)
        theme = NIGHT if dark else self._theme
        self.canvas.set_theme(theme)
        self.foot.set_theme(theme)
        self._veil.setVisible(dark)

    def show_beside(self, by: int) -> None:
        """Turn to another sheet by hand; it stands its whole time."""
        self.left_s = self.settings.turn_s
        self.model.show_beside(by)
        self.tick(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows and Page keys turn, Space holds, Esc and F11 end."""
        key = event.key()
        if key in (Qt.Key.Key_Escape, Qt.Key.Key_F11, Qt.Key.Key_F, Qt.Key.Key_Q):
            self.close()
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_PageDown):
            self.show_beside(1)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_PageUp):
            self.show_beside(-1)
        elif key == Qt.Key.Key_Space:
            self.is_paused = not self.is_paused
            self.tick(0)
        elif key == Qt.Key.Key_S:
            self.move_to_next_screen()
        else:
            super().keyPressEvent(event)

    def move_to_next_screen(self) -> None:
        """Hang on the next monitor."""
        screens = QGuiApplication.screens()
        mine = self.screen()
        at = screens.index(mine) if mine in screens else 0
        other = screens[(at + 1) % len(screens)]
        self.showNormal()
        self.setGeometry(other.geometry())
        self.showFullScreen()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A hand is at the mouse: show where it points, and the way out, for a while."""
        super().mouseMoveEvent(event)
        self._show_pointer()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A finger moves no pointer before it presses."""
        super().mousePressEvent(event)
        self._show_pointer()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """End it."""
        super().mouseDoubleClickEvent(event)
        self.close()

    def _show_pointer(self) -> None:
        for widget in (self, self.canvas):
            widget.setCursor(Qt.CursorShape.ArrowCursor)
        self.leave.adjustSize()
        self.leave.move(self.width() - self.leave.width() - 24, 24)
        self.leave.show()
        self.leave.raise_()
        self._pointer.start()

    def _hide_pointer(self) -> None:
        for widget in (self, self.canvas):
            widget.setCursor(Qt.CursorShape.BlankCursor)
        self.leave.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The foot grows with the screen, the veil lies over all of it."""
        super().resizeEvent(event)
        unit = unit_of(self.width(), self.height())
        self.foot.setFixedHeight(max(28, round(_FOOT * unit)))
        self._veil.setGeometry(self.rect())
        self._veil.raise_()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Let the screen sleep again, and the model go on without this window."""
        self._tick.stop()
        self._awake.end()
        self.follower.close()
        super().closeEvent(event)
        self.closed.emit()


class _Veil(QWidget):
    """Half the light at night."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Darken what lies below."""
        QPainter(self).fillRect(event.rect(), colour("#000000", _DIMMED))


class _Foot(QWidget):
    """The site's name, a stroke a sheet, how it goes on, the day and the clock."""

    def __init__(self, theme: Theme, state: SiteState, model: WallModel) -> None:
        super().__init__()
        self._theme, self._state, self._model = theme, state, model
        self._words = ""
        self.setFixedHeight(round(_FOOT))
        self.setMouseTracking(True)

    def set_theme(self, theme: Theme) -> None:
        """Ink it in other colours."""
        if theme is not self._theme:
            self._theme = theme
            self.update()

    def tell(self, words: str) -> None:
        """Say how it goes on."""
        self._words = words
        self.setAccessibleName(words)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw the foot in the head's colours."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, unit = self._theme, self.height() / _FOOT
        painter.fillRect(self.rect(), colour(theme.night))
        ink = PanePainter(painter, theme, unit)
        line = QRectF(self.rect()).adjusted(30 * unit, 0, -30 * unit, 0)
        third = line.width() / 3
        ink.text(
            line.adjusted(0, 0, -2 * third, 0),
            self._state.site.name,
            weight=MEDIUM,
            shade=theme.on_night_dim,
            most=24 * unit,
        )
        moment = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone)
        ink.text(
            line.adjusted(2 * third, 0, 0, 0),
            moment_words(moment, weekday=True),
            weight=BOLD,
            shade=theme.on_night,
            align=RIGHT,
            most=30 * unit,
        )
        self._draw_turns(ink, QRectF(line.left() + third, 0, third, self.height()))

    def _draw_turns(self, ink: PanePainter, area: QRectF) -> None:
        turning = [one for one in self._model.sheets if one.turns or one == self._model.sheet]
        unit = ink.unit
        step = min(41 * unit, area.width() * 0.4 / max(len(turning), 1))
        strokes = len(turning) * step if len(turning) > 1 else 0.0
        if strokes:
            left = area.left() + area.width() * 0.12
            for at, one in enumerate(turning):
                shade = ink.theme.on_night if one == self._model.sheet else ink.theme.on_night_dim
                opacity = 1.0 if one == self._model.sheet else 0.45
                ink.painter.fillRect(
                    QRectF(left + at * step, area.center().y() - 2 * unit, step * 0.56, 4 * unit),
                    colour(shade, opacity),
                )
        words = area.adjusted(area.width() * 0.12 + strokes + 12 * unit if strokes else 0, 0, 0, 0)
        ink.text(
            words,
            self._words,
            shade=ink.theme.on_night_dim,
            most=21 * unit,
            align=LEFT if strokes else CENTRE,
        )


def screen_called(name: str) -> QScreen | None:
    """The monitor of a name; the first one when it is not plugged in."""
    screens = QGuiApplication.screens()
    return next((one for one in screens if one.name() == name), screens[0] if screens else None)

"""The head: mark, site, views, what is raised, who is heard, the clock."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QLineF, QPoint, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAccessible,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QSpacerItem, QWidget

from rook_tally.core.moment_words import clock_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import age
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.app.texts import tr, tr_count
from rook_tally.desk.data.site_state import QUIET, Calling, SiteState
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, REGULAR, colour, face
from rook_tally.desk.parts.label import Label

HEAD_HEIGHT = 46
_PAUSE_MS = 500
_ROOMY = 1150
_HALF = 720
_WIDEST_NAME = 260
_SIDES = (13, 0, 16, 0)
_APART = 18


class _Mark(QWidget):
    """Four strokes and one across."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setFixedSize(24, HEAD_HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour(self._theme.on_night), 1.8, c=Qt.PenCapStyle.RoundCap))
        top, bottom = HEAD_HEIGHT / 2 - 8, HEAD_HEIGHT / 2 + 8
        for stroke in range(4):
            x = 4 + stroke * 5.2
            painter.drawLine(QLineF(x, top, x, bottom))
        painter.drawLine(QLineF(0.9, bottom - 3.5, 22.5, top + 3.5))


class _ViewName(QAbstractButton):
    """The name of a view; underlined where we are."""

    def __init__(self, text: str, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setText(text)
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        self.ensurePolished()
        return QSize(
            QFontMetrics(face(15, BOLD)).horizontalAdvance(tr(self.text())) + 4, HEAD_HEIGHT
        )

    def minimumSizeHint(self) -> QSize:
        """All of it: a view's name is never cut."""
        return self.sizeHint()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        here = self.isChecked()
        painter.setFont(face(15, BOLD if here else REGULAR))
        bright = here or self.underMouse()
        painter.setPen(colour(self._theme.on_night if bright else self._theme.on_night_dim))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr(self.text()))
        if here:
            painter.fillRect(0, HEAD_HEIGHT - 4, self.width(), 4, colour(self._theme.here))
        if self.hasFocus():
            painter.setPen(QPen(colour(self._theme.on_night), 1, Qt.PenStyle.DotLine))
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 8.5, -0.5, -9.5))


class _Standing(QWidget):
    """The number of alarms, else of series raised or worse, with the strokes of the worst. A click
    opens the alarms."""

    clicked = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._text = ""
        self._level = Level.SETTLED
        give_role(self, QAccessible.Role.Button)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit()
        else:
            super().keyPressEvent(event)

    def show_alarms(self, count: int, level: Level) -> None:
        self._show(tr_count(count, "1 alarm", "{0} alarms"), level)

    def show_now(self, calling: Calling) -> None:
        self._show(calling.words_now, calling.level)

    def show_count(self, count: int, level: Level) -> None:
        self._show(tr("{0} past a limit", count) if count else "", level)

    def _show(self, text: str, level: Level) -> None:
        if (text, level) == (self._text, self._level):
            return
        self._text, self._level = text, level
        self.setAccessibleName(
            tr("{0}, worst {1}", text, tr(level.wording)) if text else tr("all settled")
        )
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        if not self._text:
            return QSize(0, HEAD_HEIGHT)
        width = QFontMetrics(face(13, BOLD)).horizontalAdvance(self._text)
        return QSize(width + 8 + int(self._level) * 5, HEAD_HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        if not self._text:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = colour(self._theme.standing_on_night)
        painter.setFont(face(13, BOLD))
        painter.setPen(ink)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, self._text)
        left = painter.fontMetrics().horizontalAdvance(self._text) + 8
        painter.setPen(QPen(ink, 2, c=Qt.PenCapStyle.RoundCap))
        for stroke in range(self._level):
            x = left + 1 + stroke * 5
            painter.drawLine(QLineF(x, HEAD_HEIGHT / 2 - 6, x, HEAD_HEIGHT / 2 + 6))


class _MenuButton(QAbstractButton):
    """Three strokes: what can be done here."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setFixedSize(24, HEAD_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(tr("Menu"))
        self.setToolTip(tr("What can be done here"))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        bright = self.underMouse() or self.hasFocus()
        ink = self._theme.on_night if bright else self._theme.on_night_dim
        painter.setPen(QPen(colour(ink), 2, c=Qt.PenCapStyle.RoundCap))
        for row in (-6, 0, 6):
            y = HEAD_HEIGHT / 2 + row
            painter.drawLine(QLineF(5, y, 19, y))


class _SiteName(Label):
    """The site's name. A click asks for its settings."""

    clicked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(tr("Site settings (Ctrl+,)"))

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.clicked.emit()


class _Clock(Label):
    """The time of day, in a box that stays: the head is not laid out anew every second."""

    def show_time(self, words: str) -> None:
        if len(words) != len(self.text()):
            advance = self.fontMetrics().horizontalAdvance
            widest = max("0123456789", key=advance)
            sample = "".join(widest if one.isdigit() else one for one in words)
            self.setFixedSize(advance(sample), HEAD_HEIGHT)
        self.setText(words)


class HeaderBar(QWidget):
    """The dark head over every view. `view_chosen` names the view by its place."""

    view_chosen = Signal(int)
    alarms_wanted = Signal()
    site_wanted = Signal()
    menu_wanted = Signal(QPoint)

    def __init__(self, theme: Theme, state: SiteState, views: list[str]) -> None:
        super().__init__()
        self._theme = theme
        self._state = state
        self.setFixedHeight(HEAD_HEIGHT)
        self._name, self._site = Label(tr("Rook Tally")), _SiteName()
        self._site.clicked.connect(self.site_wanted)
        self._heard, self._copied, self._clock = Label(), Label(), _Clock()
        # What stands here, and in what width; nothing yet.
        self._told: tuple[object, int] = ((), -1)
        self.menu = _MenuButton(theme)
        self.menu.clicked.connect(self._on_menu)
        self.standing = _Standing(theme)
        self.standing.clicked.connect(self.alarms_wanted)
        self.views = [_ViewName(text, theme) for text in views]
        for label, font, role in (
            (self._name, face(15, BOLD), theme.on_night),
            (self._site, face(13), theme.on_night_dim),
            (self._heard, face(13), theme.on_night_dim),
            (self._copied, face(13), theme.on_night_dim),
            (self._clock, face(15, MEDIUM), theme.on_night),
        ):
            label.setFont(font)
            palette = label.palette()
            palette.setColor(label.foregroundRole(), colour(role))
            label.setPalette(palette)
        # What comes in many times a second is told as often as an eye can follow.
        self._pause = QTimer(self, interval=_PAUSE_MS, singleShot=True)
        self._pause.timeout.connect(self._refresh_if_due)
        self._is_due = False
        self._left = _row([_Mark(theme), self._name, self._site])
        self._middle = _row(self.views)
        self._right = _row([self.standing, self._heard, self._copied, self._clock, self.menu])
        self._gap = QSpacerItem(0, 0)
        row = QHBoxLayout(self)
        row.setContentsMargins(*_SIDES)
        row.setSpacing(0)
        row.addLayout(self._left)
        row.addItem(self._gap)
        row.addLayout(self._middle)
        row.addStretch(1)
        row.addLayout(self._right)
        for at, button in enumerate(self.views):
            button.setAccessibleName(tr("{0} view", views[at]))
            button.setToolTip(f"Alt+{at + 1}")
            button.clicked.connect(lambda _checked=False, place=at: self.view_chosen.emit(place))
        self.refresh()

    def _on_menu(self) -> None:
        self.menu_wanted.emit(self.menu.mapToGlobal(QPoint(0, self.menu.height())))

    def show_view(self, at: int) -> None:
        """Underline a view."""
        self.views[at].setChecked(True)

    def refresh(self) -> None:
        """Write the site, what is raised, who is heard and the time anew."""
        state = self._state
        self._show_standing()
        now = datetime_from_time_us(state.now_us).astimezone(state.zone)
        self._clock.show_time(clock_words(now, seconds=True))
        # One without a name can be given one here.
        name = state.site.name or tr("name this site…")
        heard, stations = state.stations_heard()
        words = tr("{0} of {1} heard", heard, stations) if stations else ""
        told = (name, words, _copied_words(state), self.standing.sizeHint(), self._clock.size())
        if (told, self.width()) == self._told:
            # Sharing out the room takes longer than all of this.
            return
        self._told = (told, self.width())
        self._site.setText(
            self._site.fontMetrics().elidedText(
                name, Qt.TextElideMode.ElideRight, _WIDEST_NAME if self.width() >= _ROOMY else 120
            )
        )
        self._site.setAccessibleName(name)
        self._heard.setText(words)
        self._copied.setText(told[2])
        # Where there is little room it is the first to go.
        self._copied.setVisible(bool(self._copied.text()) and self.width() >= _ROOMY)
        self._share_room()

    def _show_standing(self) -> None:
        state = self._state
        ringing = [one for one in state.alarms if one.state not in QUIET]
        calling = state.calling_now
        if not state.window.is_live and calling.count:
            # Whatever moment is looked at: nobody may miss what calls for them now.
            self.standing.show_now(calling)
        elif ringing:
            self.standing.show_alarms(len(ringing), max(one.level for one in ringing))
        else:
            self.standing.show_count(*state.raised())

    def refresh_soon(self) -> None:
        """Write it anew at once, or, where that was done just now, once for all that comes in until
        a moment later."""
        if self._pause.isActive():
            self._is_due = True
        else:
            self._pause.start()
            self.refresh()

    def _refresh_if_due(self) -> None:
        if self._is_due:
            self._is_due = False
            self.refresh_soon()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another width: the site's name is cut anew."""
        super().resizeEvent(event)
        self.refresh()

    def _share_room(self) -> None:
        """Draw together what stands here where there is little room; the views are never cut."""
        roomy = self.width() >= _ROOMY
        rows = (self._left, self._middle, self._right)
        spacings, gap = ((12, 28, 16), 48) if roomy else ((8, 14, 10), 20)
        if self.width() < _HALF:
            spacings, gap = (6, 5, 6), 8
        for row, spacing in zip(rows, spacings, strict=True):
            row.setSpacing(spacing)
        if self._gap.sizeHint().width() != gap:
            self._gap.changeSize(gap, 0)
            self.updateGeometry()
        heard = self._heard.sizeHint().width() + self._right.spacing()
        taken = sum(row.sizeHint().width() for row in rows) + gap + _SIDES[0] + _SIDES[2]
        # The last view and what stands now are two things, and look so.
        taken += _APART
        if not self._heard.isHidden():
            taken -= heard
        # The Stations view says it too: it is the first to go. A desktop that tiles its windows may
        # give half a screen: then the names beside the mark go as well.
        self._heard.setVisible(bool(self._heard.text()) and taken + heard <= self.width())
        for label in (self._site, self._name):
            if label.isHidden():
                taken += label.sizeHint().width() + self._left.spacing()
        for label in (self._name, self._site):
            label.setVisible(taken <= self.width())
            if label.isHidden():
                taken -= label.sizeHint().width() + self._left.spacing()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """The night behind it all."""
        QPainter(self).fillRect(self.rect(), colour(self._theme.night))


def _row(parts: Sequence[QWidget]) -> QHBoxLayout:
    row = QHBoxLayout()
    for part in parts:
        row.addWidget(part)
    return row


def _copied_words(state: SiteState) -> str:
    """The age of the last daily copy; empty where none are made, and while the past is shown."""
    if state.copies is None or not state.window.is_live:
        return ""
    if not state.copies.made_us:
        return tr("not copied yet")
    return tr("copied {0} ago", age((state.now_us - state.copies.made_us) / 1e6))

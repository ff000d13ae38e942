"""The time rail under all views, drawn: ribbon, hatching, the window with its two handles, Live.

Painted by Qt's own painter: it is one ribbon of a few hundred columns, redrawn at every move of the
mouse, and a plotting library would take longer to set up than to draw it.
"""

from __future__ import annotations

import enum
from collections.abc import Iterable

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.time_window import PRESETS
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.drawing import hatching
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.rail.model import RailModel
from rook_tally.desk.rail.texts import tr

RAIL_HEIGHT = 92
_HANDLE_REACH = 7
_RIBBON_TOP, _RIBBON_HEIGHT = 16, 50
_HEIGHTS = (0.28, 0.36, 0.58, 0.8, 1.0)
_ZOOM_STEP = 1.25
_WHEEL_STEP = 120
_KEY_SHARE = 0.1
_PIXELS_A_TICK = 110
_STROKES_ROOM = 18


class _Grip(enum.Enum):
    """The part of the window that the mouse holds."""

    START = "start"
    END = "end"
    WHOLE = "whole"


class _Track(QWidget):
    """The ribbon and the window on it. Dragged by its handles, or whole; a click elsewhere brings
    the window there."""

    def __init__(self, theme: Theme, model: RailModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self._grip: _Grip | None = None
        self._held_us = 0
        self._ground = QPixmap()
        self._ground_key: tuple[object, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("time rail"))
        give_role(self, QAccessible.Role.Slider)
        self.setMinimumHeight(RAIL_HEIGHT - 8)

    def x_of(self, time_us: float) -> float:
        """Where a moment stands."""
        start_us, end_us = self._model.bounds
        return (time_us - start_us) / (end_us - start_us) * self.width()

    def time_at(self, x: float) -> int:
        """The moment at a place."""
        start_us, end_us = self._model.bounds
        return round(start_us + x / max(1, self.width()) * (end_us - start_us))

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it all. What lies under the window is drawn once, not at every move of it."""
        ratio = self.devicePixelRatioF()
        key = (
            id(self._model.ribbon),
            id(self._model.remarks_kept),
            self.width(),
            self.height(),
            ratio,
            self._model.bounds,
            self._theme.sheet,
        )
        if key != self._ground_key:
            self._ground_key = key
            self._ground = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._ground.setDevicePixelRatio(ratio)
            self._ground.fill(colour(self._theme.rail))
            ground = QPainter(self._ground)
            ground.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw_ribbon(ground)
            self._draw_ticks(ground)
            self._draw_rings(ground)
            self._draw_remarks(ground)
            ground.end()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_window(painter)

    def _draw_ribbon(self, painter: QPainter) -> None:
        ribbon, theme = self._model.ribbon, self._theme
        if ribbon is None:
            return
        bottom = float(_RIBBON_TOP + _RIBBON_HEIGHT)
        step = self.width() / len(ribbon.worst)
        raised: list[tuple[int, float]] = []
        for level, first, last in _runs(zip(ribbon.worst, ribbon.heard, strict=True)):
            left, right = first * step, last * step
            if level is None:
                area = QRectF(left, _RIBBON_TOP, right - left, _RIBBON_HEIGHT)
                painter.fillRect(area, hatching(theme))
                continue
            top = bottom - _HEIGHTS[level] * _RIBBON_HEIGHT
            name = theme.heard if level < Level.RAISED else theme.level(Level(level))
            painter.fillRect(QRectF(left, top, right - left, bottom - top), colour(name, 0.75))
            if level >= Level.RAISED:
                raised.append((level, (left + right) / 2))
        self._draw_strokes(painter, raised)

    def _draw_strokes(self, painter: QPainter, raised: list[tuple[int, float]]) -> None:
        """Level never by colour alone: strokes over each stretch, the worst where there is little
        room."""
        drawn: list[float] = []
        for level, middle in sorted(raised, key=lambda one: -one[0]):
            if any(abs(middle - other) < _STROKES_ROOM for other in drawn):
                continue
            drawn.append(middle)
            painter.setPen(QPen(colour(self._theme.level(Level(level))), 1.6))
            for stroke in range(level):
                x = middle + (stroke - (level - 1) / 2) * 3.4
                painter.drawLine(QPointF(x, 3), QPointF(x, 12))

    def _draw_ticks(self, painter: QPainter) -> None:
        theme = self._theme
        painter.setFont(face(11))
        bottom = _RIBBON_TOP + _RIBBON_HEIGHT
        for tick in self._model.ticks(max(2, self.width() // _PIXELS_A_TICK)):
            x = self.x_of(tick.time_us)
            painter.setPen(QPen(colour(theme.strong_rule), 1))
            painter.drawLine(QPointF(x, _RIBBON_TOP - 4), QPointF(x, bottom + 3))
            painter.setPen(colour(theme.dim))
            width = painter.fontMetrics().horizontalAdvance(tick.label)
            # At the right edge it stands before its line, or it would be cut.
            left = x + 4 if x + 4 + width <= self.width() else x - 4 - width
            painter.drawText(QPointF(left, bottom + 15), tick.label)
        painter.setPen(QPen(colour(theme.strong_rule), 1))
        painter.drawLine(QPointF(0, bottom), QPointF(self.width(), bottom))

    def _draw_rings(self, painter: QPainter) -> None:
        """Draw past alarms as bars along the top of the ribbon."""
        ribbon = self._model.ribbon
        for begin_us, end_us, level in () if ribbon is None else ribbon.rings:
            left = self.x_of(begin_us)
            width = max(2.0, self.x_of(end_us) - left)
            shade = colour(self._theme.level(max(level, Level.NOTICED)))
            painter.fillRect(QRectF(left, _RIBBON_TOP - 3, width, 2.5), shade)

    def _draw_remarks(self, painter: QPainter) -> None:
        """Spans as thin bars under the ribbon's strokes, pins as small triangles."""
        theme = self._theme
        painter.setPen(Qt.PenStyle.NoPen)
        for one in self._model.remarks:
            painter.setBrush(colour(theme.traces[one.shade % len(theme.traces)], 0.9))
            left = self.x_of(one.start_us)
            if one.end_us is None:
                corners = ((left - 3, 0.0), (left + 3, 0.0), (left, 5.0))
                painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in corners]))
            else:
                width = max(2.0, self.x_of(one.end_us) - left)
                painter.drawRect(QRectF(left, _RIBBON_TOP + _RIBBON_HEIGHT + 1, width, 2.5))

    def _window_area(self) -> QRectF:
        window = self._model.window
        left, right = self.x_of(window.start_us), self.x_of(window.end_us)
        return QRectF(left, _RIBBON_TOP - 2, max(2.0, right - left), _RIBBON_HEIGHT + 4)

    def _draw_window(self, painter: QPainter) -> None:
        theme, area = self._theme, self._window_area()
        painter.fillRect(area, colour(theme.sheen, 0.12))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour(theme.sheen), 2.5 if self.hasFocus() else 1.6))
        painter.drawRect(area)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(theme.sheen))
        for x in (area.left(), area.right()):
            painter.drawRoundedRect(QRectF(x - 3, area.center().y() - 10, 6, 20), 2, 2)

    def _grip_at(self, x: float) -> _Grip | None:
        area = self._window_area()
        if abs(x - area.right()) <= _HANDLE_REACH:
            return _Grip.END
        if abs(x - area.left()) <= _HANDLE_REACH:
            return _Grip.START
        return _Grip.WHOLE if area.left() < x < area.right() else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a handle or the window; elsewhere bring the window's end there."""
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        self._grip = self._grip_at(x)
        if self._grip is None:
            window = self._model.window
            self._model.move_to(self.time_at(x) - window.span_us // 2)
            self._grip = _Grip.WHOLE
        self._held_us = self.time_at(x) - self._model.window.start_us

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag what is held, or show what would be."""
        x = event.position().x()
        if self._grip is _Grip.WHOLE:
            self._model.move_to(self.time_at(x) - self._held_us)
        elif self._grip is _Grip.START:
            self._model.stretch(start_us=self.time_at(x))
        elif self._grip is _Grip.END:
            self._model.stretch(end_us=self.time_at(x))
        else:
            grip = self._grip_at(x)
            ends = grip in (_Grip.START, _Grip.END)
            self.setCursor(
                Qt.CursorShape.SizeHorCursor
                if ends
                else Qt.CursorShape.OpenHandCursor
                if grip is _Grip.WHOLE
                else Qt.CursorShape.PointingHandCursor
            )

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        self._grip = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A longer or shorter window, its end staying where it is; sideways it moves along."""
        window, turned = self._model.window, event.angleDelta()
        if abs(turned.x()) > abs(turned.y()):
            by_us = round(-turned.x() / _WHEEL_STEP * _KEY_SHARE * window.span_us)
            self._model.move_to(window.start_us + by_us)
        elif turned.y():
            # A touchpad tells a turn in many small parts.
            factor = _ZOOM_STEP ** (-turned.y() / _WHEEL_STEP)
            self._model.stretch(start_us=round(window.end_us - window.span_us * factor))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the window, with Shift its beginning; Home shows the archive's start."""
        window = self._model.window
        by_us = round(window.span_us * _KEY_SHARE)
        steps = {Qt.Key.Key_Left: -by_us, Qt.Key.Key_Right: by_us}
        key = Qt.Key(event.key())
        if key in steps and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._model.stretch(start_us=window.start_us + steps[key])
        elif key in steps:
            self._model.move_to(window.start_us + steps[key])
        elif key is Qt.Key.Key_Home:
            self._model.move_to(self._model.bounds[0])
        elif key is Qt.Key.Key_End:
            self._model.go_live()
        else:
            super().keyPressEvent(event)


def _runs(columns: Iterable[tuple[int, bool]]) -> list[tuple[int | None, int, int]]:
    """Stretches of the same level, as (level, first, end); None where nothing was heard."""
    runs: list[tuple[int | None, int, int]] = []
    for at, (worst, heard) in enumerate(columns):
        level = int(worst) if heard else None
        if runs and runs[-1][0] == level:
            runs[-1] = (level, runs[-1][1], at + 1)
        else:
            runs.append((level, at, at + 1))
    return runs


class TimeRail(QWidget):
    """The rail with its buttons. `refused` is sent with what is wrong about a typed time."""

    refused = Signal(str)

    def __init__(self, theme: Theme, model: RailModel) -> None:
        super().__init__()
        self._theme, self.model = theme, model
        self.setFixedHeight(RAIL_HEIGHT)
        self.track = _Track(theme, model)
        self.live = QPushButton(tr("Live"))
        self.live.setCheckable(True)
        self.live.setToolTip(tr("Back to now (Space)"))
        self.span = QPushButton()
        self.span.setObjectName("words")
        self.span.setToolTip(tr("How long a time is shown; a moment to go to (G)"))
        self.go = QLineEdit()
        self.go.setPlaceholderText(tr("yesterday 14:00"))
        self.go.setAccessibleName(tr("time to go to"))
        self.go.hide()
        self.live.clicked.connect(self._on_live)
        self.span.clicked.connect(self._offer)
        self.go.returnPressed.connect(self._on_go)
        self.go.editingFinished.connect(self._on_left)
        buttons = QVBoxLayout()
        buttons.setSpacing(2)
        buttons.addWidget(self.live)
        buttons.addWidget(self.span)
        buttons.addWidget(self.go)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 16, 4)
        row.setSpacing(16)
        row.addWidget(self.track, 1)
        side = QWidget()
        side.setFixedWidth(112)
        side.setLayout(buttons)
        buttons.setContentsMargins(0, 6, 0, 4)
        row.addWidget(side)
        model.changed.append(self.refresh)
        self.refresh()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paper under it, and a rule over it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.rail))
        painter.setPen(QPen(colour(self._theme.strong_rule), 1))
        painter.drawLine(0, 0, self.width(), 0)

    def refresh(self) -> None:
        """Draw what the model says."""
        self.live.setChecked(self.model.window.is_live)
        self.span.setText(self.model.span_words())
        self.track.setAccessibleDescription(
            f"{self.model.span_words()}, {self.model.moment_words()}"
        )
        self.track.update()

    def ask_where_to(self) -> None:
        """Let the person type a time."""
        self.span.hide()
        self.go.show()
        self.go.clear()
        self.go.setFocus()

    def _on_live(self) -> None:
        self.model.go_live()
        self.live.setChecked(True)

    def _on_go(self) -> None:
        try:
            self.model.go_to(self.go.text())
        except UsageError as error:
            self.refused.emit(str(error))
            return
        self._leave_go()
        self.track.setFocus()

    def _on_left(self) -> None:
        if not self.go.hasFocus():
            self._leave_go()

    def _leave_go(self) -> None:
        self.go.hide()
        self.span.show()

    def _offer(self) -> None:
        menu = self._menu()
        menu.popup(self.span.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The same by the other mouse button."""
        self._menu().popup(event.globalPos())

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for text, span_us in PRESETS:
            action = menu.addAction(tr("Last {0}", text))
            action.triggered.connect(lambda _=False, span=span_us: self._show_last(span))
        menu.addAction(tr("Everything")).triggered.connect(self.model.show_everything)
        menu.addSeparator()
        menu.addAction(tr("Go to …\tG")).triggered.connect(self.ask_where_to)
        whole = menu.addAction(tr("Whole archive on the rail"))
        whole.setCheckable(True)
        whole.setChecked(self.model.shows_all)
        whole.triggered.connect(self.model.show_all)
        return menu

    def _show_last(self, span_us: int) -> None:
        self.model.show_last(span_us)

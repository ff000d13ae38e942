"""The backtest drawn: readings, what would have rung, and the limits, which are dragged."""

from __future__ import annotations

import enum
from datetime import tzinfo

import numpy as np
from PySide6.QtCore import QLineF, QRectF, Qt, Signal
from PySide6.QtGui import QAccessible, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from rook_tally.core.alarms.alarm_detector import NEVER
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.theme import Theme
from rook_tally.core.ticks import time_ticks
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.day_chart import draw_gaps
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.watch.model import WatchModel
from rook_tally.desk.watch.texts import tr

_BARS, _FOOT = 18, 20
_NEAR = 7
_LABEL = (66, 20)
_STEPS = 100


class Grip(enum.Enum):
    """Which line is held."""

    RING = "ring"
    CLEAR = "clear"


class BacktestChart(QWidget):
    """Draws the model's backtest. `dragging` while a limit moves, `rested` once it stands."""

    dragging = Signal()
    rested = Signal()

    def __init__(self, theme: Theme, model: WatchModel) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.Chart)
        self._theme, self._model = theme, model
        self._held: Grip | None = None
        self.current = Grip.RING
        self._trace: tuple[tuple[object, ...], QImage | None] | None = None
        self.zone: tzinfo | None = None
        self.setMinimumHeight(120)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("what would have rung"))

    @property
    def plot(self) -> QRectF:
        """Where the readings are."""
        return QRectF(0, 0, self.width(), self.height() - _BARS - _FOOT)

    def _limits(self) -> dict[Grip, tuple[float, ...]]:
        """Where the lines stand on the axis, in the base unit."""
        target = self._model.backtest.target
        if target is None:
            return {}
        terms = target.judge.terms
        found = {Grip.RING: target.judge.on_axis(terms.limit)}
        if terms.clear_limit is not None and terms.clear_limit != terms.limit:
            found[Grip.CLEAR] = target.judge.on_axis(terms.clear_limit)
        return {grip: places for grip, places in found.items() if places}

    def value_range(self) -> tuple[float, float]:
        """The range of the axis: the readings and the limits."""
        found = self._model.backtest.found
        values = [one for places in self._limits().values() for one in places]
        accuracy = 1.0
        if found is not None and found.envelope is not None and found.series is not None:
            accuracy = found.series.quantity.accuracy
            envelope = found.envelope
            if not envelope.is_empty:
                values += [float(np.nanmin(envelope.low)), float(np.nanmax(envelope.high))]
        if not values:
            return 0.0, 1.0
        low, high = min(values), max(values)
        room = (high - low) * 0.06
        return honest_range(low - room, high + room, accuracy)

    def y_of(self, value: float, value_range: tuple[float, float] | None = None) -> float:
        """Where a value is."""
        low, high = value_range or self.value_range()
        return self.plot.bottom() - (value - low) / (high - low) * self.plot.height()

    def value_at(self, y: float) -> float:
        """The value at a height."""
        low, high = self.value_range()
        return low + (self.plot.bottom() - y) / self.plot.height() * (high - low)

    def _x_of(self, time_us: float) -> float:
        found = self._model.backtest.found
        assert found is not None
        return (time_us - found.start_us) / (found.end_us - found.start_us) * self.plot.width()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it all."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, found, plot = self._theme, self._model.backtest.found, self.plot
        painter.fillRect(self.rect(), colour(theme.sheet))
        if found is None or found.envelope is None:
            painter.setFont(face(13))
            painter.setPen(colour(theme.dim))
            told = tr("There are no readings of it to look back on.")
            if self._model.trouble:
                told = self._model.trouble
            elif found is None:
                told = ""
            painter.drawText(plot, Qt.AlignmentFlag.AlignCenter, told)
            return
        value_range = self.value_range()
        self._draw_rings(painter)
        self._draw_ticks(painter)
        draw_gaps(painter, theme, found.envelope, plot)
        self._draw_trace(painter, found.envelope, value_range)
        self._draw_limits(painter, value_range)
        if self.hasFocus():
            painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
            painter.drawRect(plot.adjusted(0.5, 0.5, -0.5, -0.5))

    def _level(self) -> Level:
        draft = self._model.draft
        return Level.HIGH if draft is None or not draft.level else draft.level

    def _draw_rings(self, painter: QPainter) -> None:
        """Shades where it would have rung, and bars under them."""
        result, found = self._model.backtest.result, self._model.backtest.found
        if result is None or found is None:
            return
        theme, level = self._theme, self._level()
        shade = colour(theme.tint(level))
        for begin, end in result.rings.tolist():
            left = max(0.0, self._x_of(begin))
            right = self.plot.width() if end == NEVER else min(self._x_of(end), self.plot.width())
            width = max(2.0, right - left)
            painter.fillRect(QRectF(left, 0, width, self.plot.height()), shade)
            bar = QRectF(left, self.plot.bottom() + 5, width, _BARS - 8)
            painter.fillRect(bar, colour(theme.level(level)))

    def _draw_ticks(self, painter: QPainter) -> None:
        theme, found = self._theme, self._model.backtest.found
        assert found is not None
        zone = self._model.state.zone
        painter.setFont(face(11))
        first_day = self._model.state.site.settings.week_begins.number
        most = max(2, self.width() // 90)
        for tick in time_ticks(found.start_us, found.end_us, zone, most, first_day=first_day):
            x = self._x_of(tick.time_us)
            painter.setPen(QPen(colour(theme.rule), 1))
            painter.drawLine(QLineF(x, 0, x, self.plot.bottom()))
            painter.setPen(colour(theme.dim))
            painter.drawText(
                QRectF(x + 3, self.height() - _FOOT, 90, _FOOT),
                Qt.AlignmentFlag.AlignVCenter,
                tick.label,
            )
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(QLineF(0, self.plot.bottom(), self.width(), self.plot.bottom()))

    def _draw_trace(
        self, painter: QPainter, envelope: Envelope, value_range: tuple[float, float]
    ) -> None:
        if envelope.is_empty:
            return
        ratio = self.devicePixelRatioF()
        size = round(self.plot.width() * ratio), round(self.plot.height() * ratio)
        key = (id(envelope), value_range, size, self._theme.sheet)
        if self._trace is None or self._trace[0] != key:
            image = trace_image(
                envelope,
                value_range,
                size,
                colour(self._theme.traces[0]),
                ratio=ratio,
                thickness=1.3 * ratio,
            )
            self._trace = key, image
        if self._trace[1] is not None:
            painter.drawImage(self.plot.topLeft(), self._trace[1])

    def _draw_limits(self, painter: QPainter, value_range: tuple[float, float]) -> None:
        theme, found = self._theme, self._model.backtest.found
        assert found is not None
        assert found.series is not None
        draft = self._model.draft
        shown = found.series.shown
        unit = found.series.quantity.unit(draft.unit) if draft is not None else None
        inks = {
            Grip.RING: (theme.level(self._level()), Qt.PenStyle.SolidLine, tr("ring {0}")),
            Grip.CLEAR: (theme.level(Level.NOTICED), Qt.PenStyle.DashLine, tr("clear {0}")),
        }
        below: float | None = None
        for grip, places in self._limits().items():
            ink, style, words = inks[grip]
            for place in places:
                y = self.y_of(place, value_range)
                painter.setPen(QPen(colour(ink), 2 if grip is Grip.RING else 1.4, style))
                painter.drawLine(QLineF(0, y, self.width(), y))
                value = shown.value(place) if unit is None else unit.from_base(place)
                text = words.format(f"{round(float(value), 3):g}".replace("-", "−"))
                top = y - _LABEL[1] / 2
                if below is not None and abs(top - below) < _LABEL[1] + 2:
                    # The two would cover one another.
                    top = below + (_LABEL[1] + 2) * (1 if top >= below else -1)
                top = min(max(top, 0.0), self.plot.bottom() - _LABEL[1])
                below = top
                painter.setFont(face(12, BOLD))
                width = max(_LABEL[0], painter.fontMetrics().horizontalAdvance(text) + 18)
                area = QRectF(self.width() - width - 1, top, width, _LABEL[1])
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour(ink))
                painter.drawRoundedRect(area, 4, 4)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(colour(theme.on_sheen))
                painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)

    # Dragging

    def _grip_at(self, y: float) -> Grip | None:
        found: tuple[float, Grip] | None = None
        for grip, places in self._limits().items():
            for place in places:
                away = abs(self.y_of(place) - y)
                if away <= _NEAR and (found is None or away < found[0]):
                    found = away, grip
        return None if found is None else found[1]

    def _can_be_dragged(self) -> bool:
        target = self._model.backtest.target
        return target is not None and len(target.judge.on_axis(target.judge.terms.limit)) == 1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a line."""
        if event.button() is Qt.MouseButton.LeftButton and self._can_be_dragged():
            self._held = self._grip_at(event.position().y())
            if self._held is not None:
                self.current = self._held

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it, or show that it can be."""
        y = event.position().y()
        if self._held is None:
            near = self._can_be_dragged() and self._grip_at(y) is not None
            self.setCursor(Qt.CursorShape.SizeVerCursor if near else Qt.CursorShape.ArrowCursor)
            return
        y = min(max(y, 0.0), self.plot.bottom())
        self._model.backtest.drag(self.value_at(y), clears=self._held is Grip.CLEAR)
        self.dragging.emit()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        if self._held is not None:
            self._held = None
            self.rested.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down move the ring limit, with Shift the one it clears at."""
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        limits = self._limits()
        if step is None or not self._can_be_dragged() or Grip.RING not in limits:
            super().keyPressEvent(event)
            return
        clears = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        place = limits.get(Grip.CLEAR, limits[Grip.RING]) if clears else limits[Grip.RING]
        low, high = self.value_range()
        found = self._model.backtest.found
        least = 0.0
        if found is not None and found.series is not None:
            least = 10.0**-found.series.quantity.decimals
        self._model.backtest.drag(
            place[0] + step * max((high - low) / _STEPS, least), clears=clears
        )
        self.dragging.emit()
        self.rested.emit()

"""One lane drawn: levels behind, gaps hatched, envelope and mean, remarks' lines, cursor.

Qt's own painter and not pyqtgraph, which would draw every trace at every frame. Here the traces are
inked once, for the window and half as much beside it (`parts.coverage`), and a frame of panning
only lays that picture down elsewhere. A zoom stretches it until the traces have been inked anew.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QBrush,
    QDragEnterEvent,
    QDropEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.theme import Theme
from rook_tally.core.ticks import TimeTick, value_ticks
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.day_chart import bands_of
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.limit_grip import LimitGrip
from rook_tally.desk.parts.series_drag import carried_series
from rook_tally.desk.strip.lane_painter import InkedLane, LaneContent, TracePainter

_BAND_OPACITY = 0.10
_WHEEL_STEP = 120
_PAN_SHARE = 0.12


@dataclass(frozen=True, slots=True)
class Across:
    """Marks through all lanes: the window, its ticks, the cursor, pins, the marked stretch."""

    start_us: int = 0
    end_us: int = 1
    ticks: tuple[TimeTick, ...] = ()
    cursor_us: int | None = None
    pins_us: tuple[int, ...] = ()
    stretch: tuple[int, int] | None = None


class LanePlot(QWidget):
    """Draws a lane and reports gestures.

    `zoomed` carries the factor and the moment under the pointer, `dragged` the movement in µs,
    `pointed` the moment under the pointer or None, `marked` both ends of a stretch dragged with
    Shift and whether the button is still held, `picked` nothing, `dropped` series ids.
    """

    zoomed = Signal(float, object)
    # Moments, µs: Qt's own integers are too short for them, and there may be none.
    dragged = Signal(object)
    pointed = Signal(object)
    marked = Signal(object, object)
    picked = Signal()
    dropped = Signal(list)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.content = LaneContent()
        self.across = Across()
        self._ink = InkedLane()
        self._ground = QPixmap()
        self._ground_key: object = None
        self._figures: list[tuple[float, str]] = []
        self._drag_from: float | None = None
        self._marked_from_us: int | None = None
        # Lets limits be dragged on the axis; none in a picture of a lane.
        self.grip: LimitGrip | None = None
        give_role(self, QAccessible.Role.Chart)
        self.setMinimumHeight(40)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def sizeHint(self) -> QSize:
        """As drawn in a window with five lanes."""
        return QSize(800, 110)

    def show_across(self, across: Across) -> None:
        """Show this window; the traces stay as they were inked."""
        if across != self.across:
            self.across = across
            self.update()

    def show_content(self, content: LaneContent) -> None:
        """Show these traces, once `ink` was called."""
        if self.grip is not None:
            content = replace(content, limits=self.grip.kept(content.limits))
        if content != self.content:
            self.content = content
            self._figures = _axis_figures(content, self.height())
            self.update()

    @property
    def limits_drawn(self) -> tuple[Limits, tuple[float, float], DisplayUnit | None]:
        """The limits, the lowest and the highest value, and the unit they are written in."""
        content = self.content
        return content.limits, content.value_range, content.shown

    def draw_limits(self, limits: Limits) -> None:
        """Draw these instead, while a hand drags one."""
        self.content = replace(self.content, limits=limits)
        self.update()

    @property
    def is_inked(self) -> bool:
        """True if what is drawn is what should be."""
        return self._ink.key == self._ink_key()

    @property
    def is_merely_stretched(self) -> bool:
        """True if only the window's length has changed since it was inked, and not by much."""
        span_us = self.across.end_us - self.across.start_us
        inked_us = self._ink.span_us
        return self._ink.key[:-1] == self._ink_key()[:-1] and 0.6 < span_us / inked_us < 1.7

    def _ink_key(self) -> tuple[object, ...]:
        return (
            self.content.made,
            self.content.value_range,
            self.size().toTuple(),
            self.devicePixelRatioF(),
            self._theme.sheet,
            self.across.end_us - self.across.start_us,
        )

    def ink(self) -> None:
        """Ink the traces as they are now."""
        window = (self.across.start_us, self.across.end_us)
        painter = TracePainter(self._theme, self.content, self.height())
        self._ink = painter.inked(window, self.width(), self.devicePixelRatioF(), self._ink_key())
        self.update()

    def x_of(self, time_us: float) -> float:
        """Where a moment stands."""
        across = self.across
        return (time_us - across.start_us) / (across.end_us - across.start_us) * self.width()

    def _y_of(self, value: float) -> float:
        low, high = self.content.value_range
        return self.height() - (value - low) / (high - low) * self.height()

    def moment_at(self, x: float) -> int:
        """The moment under a place in the widget."""
        across = self.across
        share = x / max(1, self.width())
        return across.start_us + round(share * (across.end_us - across.start_us))

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Lay it all down."""
        painter = QPainter(self)
        # Where pixels are smaller than points the last row and column may lie half outside: Qt
        # leaves all of them to an opaque widget, and nobody else would fill them.
        painter.fillRect(self.rect().adjusted(-1, -1, 1, 1), colour(self._theme.sheet))
        self.draw(painter)

    def draw(self, painter: QPainter, *, as_lines: bool = False) -> None:
        """Draw the lane; `as_lines` for a picture made of lines and not of pixels."""
        theme = self._theme
        area = QRectF(0, 0, self.width(), self.height())
        if as_lines:
            self._draw_ground(painter, area)
        else:
            painter.drawPixmap(0, 0, self._inked_ground(area))
        painter.setPen(QPen(colour(theme.rule), 1))
        for tick in self.across.ticks:
            x = round(self.x_of(tick.time_us)) + 0.5
            painter.drawLine(QLineF(x, 0, x, area.height()))
        if as_lines:
            TracePainter(theme, self.content, self.height()).draw_lines(painter, self.width())
        elif not self._ink.picture.isNull():
            left, right = self.x_of(self._ink.start_us), self.x_of(self._ink.end_us)
            source = QRectF(self._ink.picture.rect())
            wide = source.width() / self.devicePixelRatioF()
            if abs(right - left - wide) < 1.5:
                # As it was inked: moved by whole pixels it stays sharp.
                painter.drawPixmap(QPointF(round(left), 0), self._ink.picture)
            else:
                target = QRectF(left, 0, right - left, self.height())
                painter.drawPixmap(target, self._ink.picture, source)
        self._draw_over(painter)
        if self.grip is not None:
            self.grip.draw(painter, self._theme)

    def _inked_ground(self, area: QRectF) -> QPixmap:
        """The ground drawn once for as long as limits and range stay: dots are slow to draw."""
        ratio = self.devicePixelRatioF()
        key = (
            self.content.limits,
            self.content.value_range,
            self.size().toTuple(),
            ratio,
            self._theme.sheet,
            # What holds at some hours moves with the window.
            self.across if self.content.limits.by_hours else None,
        )
        if key != self._ground_key:
            self._ground_key = key
            self._ground = QPixmap(self.size() * ratio)
            self._ground.setDevicePixelRatio(ratio)
            self._ground.fill(colour(self._theme.sheet))
            painter = QPainter(self._ground)
            self._draw_ground(painter, area)
            painter.end()
        return self._ground

    def _draw_ground(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, colour(self._theme.sheet))
        across = self.across
        for begin_us, end_us, limits in self.content.limits.stretches(
            across.start_us, across.end_us
        ):
            left = round(self.x_of(begin_us))
            width = round(self.x_of(end_us)) - left
            for band in bands_of(limits, self.content.value_range):
                top, bottom = self._y_of(band.high), self._y_of(band.low)
                name = self._theme.level(band.level)
                painter.fillRect(
                    QRectF(left, top, width, bottom - top), colour(name, _BAND_OPACITY)
                )
                painter.setPen(QPen(colour(name, 0.75), 1, Qt.PenStyle.DotLine))
                y = round(self._y_of(band.edge)) + 0.5
                painter.drawLine(QLineF(left, y, left + width, y))

    def _draw_over(self, painter: QPainter) -> None:
        """Axis figures, peak ticks, note, marked stretch, pins and cursor."""
        theme, across = self._theme, self.across
        self._draw_figures(painter)
        for at, peak in enumerate(self.content.peaks):
            if peak is not None:
                x, y = self.x_of(peak[0]), max(self._y_of(peak[1]), 8.0)
                tone = theme.traces[self.content.colours[at] % len(theme.traces)]
                painter.setPen(QPen(colour(tone), 1))
                painter.drawLine(QLineF(round(x), y - 7, round(x), y - 2))
        for begin_us, end_us in self.content.maintenance:
            left, right = max(self.x_of(begin_us), 0.0), min(self.x_of(end_us), float(self.width()))
            if right > left:
                slanting = QBrush(colour(theme.strong_rule), Qt.BrushStyle.BDiagPattern)
                painter.fillRect(QRectF(left, 0, right - left, self.height()), slanting)
        for ring in self.content.rings:
            left = max(self.x_of(ring.begin_us), 0.0)
            right = self.width() if ring.end_us is None else self.x_of(ring.end_us)
            shade = colour(theme.level(max(ring.level, Level.NOTICED)))
            if right > 0 and left < self.width():
                area = QRectF(left, self.height() - 4.0, max(2.0, right - left), 4.0)
                painter.fillRect(area, shade)
        if self.content.note:
            painter.setPen(colour(theme.dim))
            painter.setFont(face(11))
            # Beside the figures of the axis.
            painter.drawText(QRectF(56, 3, self.width() - 64, 16), _LEFT, self.content.note)
        if across.stretch is not None:
            left, right = (self.x_of(one) for one in across.stretch)
            painter.fillRect(
                QRectF(left, 0, right - left, self.height()), colour(theme.sheen, 0.14)
            )
            painter.setPen(QPen(colour(theme.sheen), 1))
            for x in (left, right):
                painter.drawLine(QLineF(round(x) + 0.5, 0, round(x) + 0.5, self.height()))
        painter.setPen(QPen(colour(theme.faint), 1, Qt.PenStyle.DashLine))
        for pin_us in across.pins_us:
            x = round(self.x_of(pin_us)) + 0.5
            painter.drawLine(QLineF(x, 0, x, self.height()))
        if across.cursor_us is not None and across.start_us <= across.cursor_us <= across.end_us:
            x = round(self.x_of(across.cursor_us))
            painter.fillRect(QRectF(x, 0, 1.4, self.height()), colour(theme.sheen))

    def _draw_figures(self, painter: QPainter) -> None:
        """The figures of the axis, set off from a trace that runs behind them. They stand at the
        older end: what was measured last is not covered by anything."""
        painter.setFont(face(10))
        painter.setPen(colour(self._theme.dim))
        words = painter.fontMetrics()
        for share, text in self._figures:
            width = words.horizontalAdvance(text)
            behind = QRectF(2, share * self.height() - 6, width + 5, 12)
            painter.fillRect(behind, colour(self._theme.sheet, 0.8))
            painter.drawText(behind, Qt.AlignmentFlag.AlignCenter, text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another height has room for other figures."""
        super().resizeEvent(event)
        self._figures = _axis_figures(self.content, self.height())

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer; sideways or with Shift move along."""
        turned = event.angleDelta()
        sideways = turned.x() or (
            turned.y() if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0
        )
        span_us = self.across.end_us - self.across.start_us
        if sideways:
            self.dragged.emit(round(-sideways / _WHEEL_STEP * _PAN_SHARE * span_us))
        elif turned.y():
            steps = turned.y() / _WHEEL_STEP
            self.zoomed.emit(0.8**steps, self.moment_at(event.position().x()))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to drag, or with Shift to mark a stretch; on the axis to move a limit."""
        if self.grip is not None and self.grip.press(event):
            event.accept()
            return
        if event.button() is Qt.MouseButton.LeftButton:
            self.picked.emit()
            x = event.position().x()
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._marked_from_us = self.moment_at(x)
            else:
                self._drag_from = x
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag along, mark, or point."""
        if self.grip is not None and self.grip.move(event):
            event.accept()
            return
        x = event.position().x()
        if self._marked_from_us is not None:
            self.marked.emit(*sorted((self._marked_from_us, self.moment_at(x))))
        elif self._drag_from is not None:
            span_us = self.across.end_us - self.across.start_us
            self.dragged.emit(round((self._drag_from - x) / self.width() * span_us))
            self._drag_from = x
        else:
            self.pointed.emit(self.moment_at(x))
        event.accept()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        if self.grip is not None:
            self.grip.release()
        self._drag_from = self._marked_from_us = None
        event.accept()

    def leaveEvent(self, event: object) -> None:
        """Take the cursor away."""
        self.pointed.emit(None)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Series may be dropped here."""
        if carried_series(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Series were dropped."""
        self.dropped.emit(carried_series(event.mimeData()))
        event.acceptProposedAction()


def _axis_figures(content: LaneContent, height: int) -> list[tuple[float, str]]:
    """Round figures in the unit shown, each with its share of the height from above."""
    shown = content.shown
    if shown is None or not content.traces:
        return []
    low, high = sorted(float(shown.value(one)) for one in content.value_range)
    found = []
    for value in value_ticks(low, high, max(2, height // 36)):
        share = (high - value) / (high - low)
        if 8 < share * height < height - 8:
            found.append((share, figure(value, _decimals_for(value, shown.decimals))))
    return found


def _decimals_for(value: float, most: int) -> int:
    return next(
        (digits for digits in range(most + 3) if math.isclose(round(value, digits), value)), most
    )


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter

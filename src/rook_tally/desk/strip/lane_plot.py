"""One lane drawn: levels behind, gaps hatched, envelope and mean, cursor."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QLineF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QWheelEvent

from rook_tally.core.arrays import FloatArray
from rook_tally.core.envelope import Envelope
from rook_tally.core.levels import Limits
from rook_tally.core.numerals import figure
from rook_tally.core.ticks import TimeTick, value_ticks
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.parts.day_chart import bands_of
from rook_tally.desk.parts.drawing import hatching, peak_column, polyline
from rook_tally.desk.parts.ink import colour, face
from rook_tally.desk.shell.theme import Theme

_BAND_OPACITY = 0.10


class LanePlot(pg.PlotWidget):
    """A plot without axes that draws one lane. It shows what it is given and reports gestures.

    `zoomed` carries the factor and the moment under the pointer, `dragged` the movement in µs,
    `pointed` the moment under the pointer or None.
    """

    zoomed = Signal(float, object)
    dragged = Signal(object)
    pointed = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__(background=None)
        self._theme = theme
        self._envelopes: list[Envelope] = []
        self._limits: Limits | None = None
        self._ticks: list[TimeTick] = []
        self._decimals = 0
        self._note = ""
        self._cursor_us: int | None = None
        self._drag_from: float | None = None
        self._curves: list[pg.PlotCurveItem] = []
        self._start_us, self._end_us = 0, 1
        self._range = (0.0, 1.0)
        self.plotItem.hideAxis("left")
        self.plotItem.hideAxis("bottom")
        self.plotItem.hideButtons()
        self.plotItem.setMenuEnabled(False)
        self.plotItem.setContentsMargins(0, 0, 0, 0)
        self.plotItem.layout.setContentsMargins(0, 0, 0, 0)
        box = self.plotItem.getViewBox()
        box.setMouseEnabled(x=False, y=False)
        box.setDefaultPadding(0)
        box.setBorder(None)
        self.setFrameShape(pg.PlotWidget.Shape.NoFrame)
        self.setCacheMode(pg.PlotWidget.CacheModeFlag(0))
        self.setViewportUpdateMode(pg.PlotWidget.ViewportUpdateMode.FullViewportUpdate)
        self.setMinimumHeight(56)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_lane(
        self,
        envelopes: list[Envelope],
        *,
        limits: Limits,
        window: tuple[int, int],
        value_range: tuple[float, float],
        ticks: list[TimeTick],
        decimals: int,
        note: str,
    ) -> None:
        """Show these envelopes over this window."""
        self._envelopes, self._limits = envelopes, limits
        self._start_us, self._end_us = window
        self._range, self._ticks = value_range, ticks
        self._decimals, self._note = decimals, note
        while len(self._curves) < len(envelopes):
            shade = self._theme.traces[len(self._curves) % len(self._theme.traces)]
            curve = pg.PlotCurveItem(
                pen=pg.mkPen(colour(shade), width=1.3), connect="finite", antialias=True
            )
            curve.setAcceptedMouseButtons(Qt.MouseButton.NoButton)
            self.addItem(curve)
            self._curves.append(curve)
        for curve in self._curves[len(envelopes) :]:
            curve.setData([], [])
        for curve, envelope in zip(self._curves, envelopes, strict=False):
            curve.setData(*_broken_line(envelope, self._start_us))
        span_s = (self._end_us - self._start_us) / SECOND_US
        self.setXRange(0.0, span_s, padding=0)
        self.setYRange(*value_range, padding=0)
        self.viewport().update()

    def show_cursor(self, time_us: int | None) -> None:
        """Draw the cursor at a moment."""
        self._cursor_us = time_us
        self.viewport().update()

    def _x_of(self, time_us: int) -> float:
        return (time_us - self._start_us) / (self._end_us - self._start_us) * float(self.width())

    def _y_of(self, value: float) -> float:
        return float(self._ys_of(np.array([value]))[0])

    def _ys_of(self, values: FloatArray) -> FloatArray:
        low, high = self._range
        height = float(self.height())
        return height - (values - low) / (high - low) * height

    def moment_at(self, x: float) -> int:
        """The moment under a place in the widget."""
        return self._start_us + round(x / float(self.width()) * (self._end_us - self._start_us))

    def drawBackground(self, painter: QPainter, _rect: QRectF) -> None:
        """Levels, time grid, gaps and envelopes, in pixels; the means are drawn over them."""
        theme = self._theme
        area = QRectF(0, 0, self.width(), self.height())
        painter.fillRect(area, colour(theme.sheet))
        self._draw_bands(painter, area)
        painter.setPen(QPen(colour(theme.rule), 1))
        for tick in self._ticks:
            x = round(self._x_of(tick.time_us)) + 0.5
            painter.drawLine(QLineF(x, 0, x, area.height()))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at, envelope in enumerate(self._envelopes):
            self._draw_gaps(painter, envelope)
            self._draw_envelope(painter, envelope, theme.traces[at % len(theme.traces)])

    def _draw_bands(self, painter: QPainter, area: QRectF) -> None:
        if self._limits is None:
            return
        for band in bands_of(self._limits, self._range):
            top, bottom = self._y_of(band.high), self._y_of(band.low)
            name = self._theme.level(band.level)
            painter.fillRect(
                QRectF(0, top, area.width(), bottom - top), colour(name, _BAND_OPACITY)
            )
            painter.setPen(QPen(colour(name, 0.75), 1, Qt.PenStyle.DotLine))
            y = self._y_of(band.edge)
            painter.drawLine(QLineF(0, y, area.width(), y))

    def _draw_gaps(self, painter: QPainter, envelope: Envelope) -> None:
        if envelope.gaps is None:
            return
        for begin_us, end_us in envelope.gaps.tolist():
            left, right = self._x_of(begin_us), self._x_of(end_us)
            if right - left >= 1.5:
                stretch = QRectF(left, 0, right - left, self.height())
                painter.fillRect(stretch, colour(self._theme.sheet, 0.75))
                painter.fillRect(stretch, hatching(self._theme))

    def _draw_envelope(self, painter: QPainter, envelope: Envelope, name: str) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(name, 0.24))
        scale = self.width() / (self._end_us - self._start_us)
        for part in envelope.segments():
            x = (envelope.centres_us[part] - self._start_us) * scale
            top = self._ys_of(envelope.high[part]) - 0.5
            bottom = self._ys_of(envelope.low[part]) + 0.5
            outline = polyline(np.concatenate((x, x[::-1])), np.concatenate((top, bottom[::-1])))
            painter.drawPolygon(outline)

    def drawForeground(self, painter: QPainter, _rect: QRectF) -> None:
        """Axis figures, peak tick, note and cursor, over everything."""
        theme = self._theme
        painter.setFont(face(10))
        painter.setPen(colour(theme.dim))
        low, high = self._range
        for value in value_ticks(low, high, max(2, self.height() // 36)):
            y = self._y_of(value)
            if 8 < y < self.height() - 8:
                text = figure(value, _decimals_for(value, self._decimals))
                width = painter.fontMetrics().horizontalAdvance(text)
                # Set off from a trace that runs behind it.
                behind = QRectF(self.width() - width - 7, y - 6, width + 5, 12)
                painter.fillRect(behind, colour(theme.sheet, 0.8))
                painter.drawText(behind, Qt.AlignmentFlag.AlignCenter, text)
        for at, envelope in enumerate(self._envelopes):
            peak = peak_column(envelope)
            if peak is not None:
                x = self._x_of(int(envelope.centres_us[peak]))
                y = self._y_of(float(envelope.high[peak]))
                painter.setPen(QPen(colour(theme.traces[at % len(theme.traces)]), 1.4))
                painter.drawLine(QLineF(x, y - 7, x, y - 2))
        if self._note:
            painter.setPen(colour(theme.dim))
            painter.setFont(face(11))
            painter.drawText(QRectF(8, 3, self.width() - 90, 16), Qt.AlignmentFlag.AlignLeft,
                             self._note)  # fmt: skip
        if self._cursor_us is not None and self._start_us <= self._cursor_us <= self._end_us:
            painter.setPen(QPen(colour(theme.sheen), 1.4))
            x = self._x_of(self._cursor_us)
            painter.drawLine(QLineF(x, 0, x, self.height()))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        steps = event.angleDelta().y() / 120
        if steps:
            self.zoomed.emit(0.8**steps, self.moment_at(event.position().x()))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to drag."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._drag_from = event.position().x()
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the window, or move the cursor."""
        x = event.position().x()
        if self._drag_from is None:
            self.pointed.emit(self.moment_at(x))
        else:
            span_us = self._end_us - self._start_us
            self.dragged.emit(round((self._drag_from - x) / self.width() * span_us))
            self._drag_from = x
        event.accept()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End dragging."""
        self._drag_from = None
        event.accept()

    def leaveEvent(self, event: object) -> None:
        """Take the cursor away."""
        self.pointed.emit(None)


def _broken_line(envelope: Envelope, origin_us: int) -> tuple[FloatArray, FloatArray]:
    """Means over time in seconds since the origin, with a NaN wherever the line breaks."""
    x_parts: list[FloatArray] = []
    y_parts: list[FloatArray] = []
    centres = (envelope.centres_us - origin_us) / SECOND_US
    for part in envelope.segments():
        x_parts += [centres[part], centres[part[-1:]]]
        y_parts += [envelope.mean[part], np.array([np.nan])]
    if not x_parts:
        return np.empty(0), np.empty(0)
    return np.concatenate(x_parts), np.concatenate(y_parts)


def _decimals_for(value: float, most: int) -> int:
    return next((digits for digits in range(most + 3) if round(value, digits) == value), most)

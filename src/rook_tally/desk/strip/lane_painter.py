"""The traces of a lane, inked into a picture: the window and half as much beside it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPixmap

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import NO_LIMITS, Limits
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import hatching, polyline
from rook_tally.desk.parts.fonts_and_colours import colour
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.strip.queries import LaneReadings
from rook_tally.store.alarms import AlarmInterval

# Fewer points than one in so many pixels are told from one another by a dot each.
_POINT_ROOM = 14


@dataclass(frozen=True, slots=True)
class LaneContent:
    """The content of a lane. `crop` are the envelopes of the window alone; `peaks` where each has
    its highest, as (moment, value), or None. `made` tells one reading of the store from another;
    `colours` are the traces' places among those of the theme, `maintenance` when a station of them
    was under it."""

    made: int = 0
    traces: tuple[LaneReadings, ...] = field(default=(), compare=False)
    crop: tuple[Envelope, ...] = field(default=(), compare=False)
    peaks: tuple[tuple[float, float] | None, ...] = ()
    limits: Limits = NO_LIMITS
    value_range: tuple[float, float] = (0.0, 1.0)
    shown: DisplayUnit | None = None
    note: str = ""
    rings: tuple[AlarmInterval, ...] = ()
    colours: tuple[int, ...] = ()
    maintenance: tuple[tuple[int, int], ...] = ()


@dataclass(slots=True)
class InkedLane:
    """The inked traces and what of time and value they stand for."""

    picture: QPixmap = field(default_factory=QPixmap)
    start_us: int = 0
    end_us: int = 1
    span_us: int = 1
    key: tuple[object, ...] = ()


class TracePainter:
    """Draws what a lane holds, in a lane of this height."""

    def __init__(self, theme: Theme, content: LaneContent, height: int) -> None:
        self._theme, self._content, self._height = theme, content, height

    def inked(
        self, window: tuple[int, int], width: int, ratio: float, key: tuple[object, ...]
    ) -> InkedLane:
        """The traces as a picture at the scale of a window shown so wide, in points of Qt's."""
        ink = InkedLane(key=key)
        if not self._content.traces:
            return ink
        start_us, end_us = window
        whole = self._content.traces[0].envelope
        ink.span_us = span_us = end_us - start_us
        # Of a trace much longer than the window (just zoomed in) only what is near it.
        begin_us, finish_us = (
            max(whole.start_us, start_us - span_us),
            min(whole.end_us, end_us + span_us),
        )
        if finish_us <= begin_us:
            return ink
        # Whole columns of it.
        near = whole.cropped(begin_us, finish_us)
        ink.start_us, ink.end_us = near.start_us, near.end_us
        wide = max(1, round((ink.end_us - ink.start_us) / span_us * width * ratio))
        size = (wide, max(1, round(self._height * ratio)))
        ink.picture = QPixmap(*size)
        ink.picture.setDevicePixelRatio(ratio)
        ink.picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(ink.picture)
        self._ink_traces(painter, ink, size, ratio)
        painter.end()
        return ink

    def _ink_traces(
        self, painter: QPainter, ink: InkedLane, size: tuple[int, int], ratio: float
    ) -> None:
        theme, value_range = self._theme, self._content.value_range
        for at, trace in enumerate(self._content.traces):
            shade = theme.traces[self._content.colours[at] % len(theme.traces)]
            for back, earlier in enumerate(trace.earlier):
                faded = colour(shade, 0.5 / (1 + 0.5 * back))
                part = earlier.cropped(ink.start_us, ink.end_us)
                image = trace_image(
                    part, value_range, size, faded, ratio=ratio, thickness=ratio, band=False
                )
                if image is not None:
                    painter.drawImage(0, 0, image)
        width = size[0] / ratio
        for at, trace in enumerate(self._content.traces):
            shade = theme.traces[self._content.colours[at] % len(theme.traces)]
            part = trace.envelope.cropped(ink.start_us, ink.end_us)
            self._draw_gaps(painter, part, width)
            image = trace_image(
                part, value_range, size, colour(shade), ratio=ratio, thickness=1.4 * ratio
            )
            if image is not None:
                painter.drawImage(0, 0, image)
            self._draw_points(painter, part, shade, width)
            self._draw_suspect(painter, part, trace, shade, width)

    def draw_lines(self, painter: QPainter, width: int) -> None:
        """The window's traces as lines, for a picture that is not made of pixels."""
        low, high = self._content.value_range
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at, envelope in enumerate(self._content.crop):
            shade = self._theme.traces[at % len(self._theme.traces)]
            self._draw_gaps(painter, envelope, width)
            scale = width / (envelope.end_us - envelope.start_us)
            painter.setPen(QPen(colour(shade), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for part in envelope.segments():
                x = (envelope.centres_us[part] - envelope.start_us) * scale
                y = self._height * (high - envelope.mean[part]) / (high - low)
                painter.drawPolyline(polyline(x, y))
            self._draw_suspect(painter, envelope, self._content.traces[at], shade, width)

    def _y_of(self, value: float) -> float:
        low, high = self._content.value_range
        return self._height - (value - low) / (high - low) * self._height

    def _draw_gaps(self, painter: QPainter, part: Envelope, width: float) -> None:
        if part.gaps is None:
            return
        scale = width / (part.end_us - part.start_us)
        for begin_us, end_us in part.gaps.tolist():
            left, right = (begin_us - part.start_us) * scale, (end_us - part.start_us) * scale
            if right - left >= 1.5:
                stretch = QRectF(left, 0, right - left, self._height)
                painter.fillRect(stretch, colour(self._theme.sheet, 0.75))
                painter.fillRect(stretch, hatching(self._theme))

    def _draw_points(self, painter: QPainter, part: Envelope, shade: str, width: float) -> None:
        """Readings far enough apart to be told from one another get a dot each."""
        filled = np.flatnonzero(part.count)
        if not len(filled) or len(filled) > width / _POINT_ROOM:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(shade))
        x = (filled + 0.5) * (width / len(part))
        for left, value in zip(x.tolist(), part.mean[filled].tolist(), strict=True):
            painter.drawEllipse(QPointF(left, self._y_of(value)), 2.2, 2.2)

    def _draw_suspect(
        self, painter: QPainter, part: Envelope, trace: LaneReadings, shade: str, width: float
    ) -> None:
        """Suspect readings hollow; those off the axis at its edge."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour(shade), 1.4))
        painter.setBrush(colour(self._theme.sheet))
        scale = width / (part.end_us - part.start_us)
        for at_us, value in zip(trace.suspect_us.tolist(), trace.suspect.tolist(), strict=True):
            y = self._height - 5.0
            if math.isfinite(value):
                y = min(max(self._y_of(value), 5.0), y)
            painter.drawEllipse(QPointF((at_us - part.start_us) * scale, y), 3.0, 3.0)

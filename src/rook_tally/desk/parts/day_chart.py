"""A small chart of one series: levels behind, gaps hatched, envelope and mean."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import QLineF, QRectF, QSize, Qt
from PySide6.QtGui import QAccessible, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import NO_LIMITS, Level, Limits
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.drawing import hatching
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.limit_grip import LimitGrip
from rook_tally.desk.parts.trace import trace_image

BAND_OPACITY = 0.35


class ChartContent(msgspec.Struct, frozen=True):
    """Content of the chart. `shown` is for the limits written at its left edge."""

    envelope: Envelope
    limits: Limits
    value_range: tuple[float, float]
    shown: DisplayUnit


class Band(msgspec.Struct, frozen=True):
    """The stretch of values of one level, in the range shown; `edge` is the limit it begins at."""

    level: Level
    low: float
    high: float
    edge: float


def bands_of(limits: Limits, value_range: tuple[float, float]) -> list[Band]:
    """The level bands that reach into a range of values, from noticed on."""
    low, high = value_range
    found = []
    for level in list(Level)[1:]:
        upper, lower = limits.above[level - 1], limits.below[level - 1]
        if upper is not None and upper < high:
            further = [one for one in limits.above[level:] if one is not None]
            top = min([*further[:1], high])
            if top > low:
                found.append(Band(level, max(upper, low), top, upper))
        if lower is not None and lower > low:
            further = [one for one in limits.below[level:] if one is not None]
            bottom = max([*further[:1], low])
            if bottom < high:
                found.append(Band(level, bottom, min(lower, high), lower))
    return found


class DayChart(QWidget):
    """Draws a `ChartContent`."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        give_role(self, QAccessible.Role.Chart)
        self._theme = theme
        self._content: ChartContent | None = None
        self.setMinimumHeight(118)
        self.setMouseTracking(True)
        # Lets limits be dragged; none in a chart that is only looked at.
        self.grip: LimitGrip | None = None

    @property
    def limits_drawn(self) -> tuple[Limits, tuple[float, float], DisplayUnit | None]:
        """The limits, the lowest and the highest value, and the unit they are written in."""
        content = self._content
        if content is None:
            return NO_LIMITS, (0.0, 1.0), None
        return content.limits, content.value_range, content.shown

    def draw_limits(self, limits: Limits) -> None:
        """Draw these instead, while a hand drags one."""
        if self._content is not None:
            self._content = replace(self._content, limits=limits)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a limit."""
        if self.grip is None or not self.grip.press(event):
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Let it follow."""
        if self.grip is not None:
            self.grip.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self.grip is None or not self.grip.release():
            super().mouseReleaseEvent(event)

    def show_content(self, content: ChartContent | None, spoken: str = "") -> None:
        """Show this; None shows an empty sheet."""
        if content is not None and self.grip is not None:
            content = replace(content, limits=self.grip.kept(content.limits))
        self._content = content
        self.setAccessibleName(spoken)
        self.update()

    def sizeHint(self) -> QSize:
        """As drawn in the side panel."""
        return QSize(250, 118)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme = self._theme
        painter = QPainter(self)
        area = QRectF(self.rect())
        painter.fillRect(area, colour(theme.sheet))
        content = self._content
        if content is None:
            return
        low, high = content.value_range

        def y_of(value: float) -> float:
            return area.bottom() - (value - low) / (high - low) * area.height()

        start_us, end_us = content.envelope.start_us, content.envelope.end_us
        for begin, end, limits in content.limits.stretches(start_us, end_us):
            left, right = (
                area.left() + (one - start_us) / (end_us - start_us) * area.width()
                for one in (begin, end)
            )
            for band in bands_of(limits, content.value_range):
                top, bottom = y_of(band.high), y_of(band.low)
                painter.fillRect(
                    QRectF(left, top, right - left, bottom - top),
                    colour(theme.level(band.level), BAND_OPACITY * 0.35),
                )
                painter.setPen(QPen(colour(theme.level(band.level), 0.7), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QLineF(left, y_of(band.edge), right, y_of(band.edge)))
        draw_gaps(painter, theme, content.envelope, area)
        ratio = self.devicePixelRatioF()
        size = (round(area.width() * ratio), round(area.height() * ratio))
        image = trace_image(
            content.envelope,
            content.value_range,
            size,
            colour(theme.ink),
            ratio=ratio,
            thickness=1.3 * ratio,
        )
        if image is not None:
            painter.drawImage(area.topLeft(), image)
        self._write_limits(painter, content, y_of)
        if self.grip is not None:
            self.grip.draw(painter, self._theme)

    def _write_limits(self, painter: QPainter, content: ChartContent, y_of: object) -> None:
        assert callable(y_of)
        painter.setFont(face(10))
        painter.setPen(colour(self._theme.dim))
        last_y = -100.0
        for band in sorted(bands_of(content.limits, content.value_range), key=lambda b: b.edge):
            y = y_of(band.edge)
            if abs(y - last_y) < 12:
                continue
            last_y = y
            painter.drawText(
                QRectF(4, y - 14, 60, 13),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                content.shown.limit_text(band.edge),
            )


def draw_gaps(painter: QPainter, theme: Theme, envelope: Envelope, area: QRectF) -> None:
    """Hatch the stretches in which nothing was heard."""
    if envelope.gaps is None or not len(envelope.gaps):
        return
    span = envelope.end_us - envelope.start_us
    left = area.left() + (envelope.gaps[:, 0] - envelope.start_us) / span * area.width()
    right = area.left() + (envelope.gaps[:, 1] - envelope.start_us) / span * area.width()
    for begin, end in zip(left.tolist(), right.tolist(), strict=True):
        if end - begin >= 1.0:
            painter.fillRect(QRectF(begin, area.top(), end - begin, area.height()), hatching(theme))

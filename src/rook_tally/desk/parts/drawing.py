"""Drawing that several views share: tally strokes, ribbons, the strip of expected reports."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPixmap, QPixmapCache, QPolygonF

from rook_tally.core.arrays import BoolArray
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import colour, pen


def draw_strokes(
    painter: QPainter, theme: Theme, level: Level, x: float, y: float, height: float
) -> None:
    """Tally strokes for a level, from its top left corner; one short faint one when settled."""
    if level is Level.SETTLED:
        painter.setPen(pen(theme.rule, 1.5))
        painter.drawLine(QLineF(x + 1, y + height * 0.3, x + 1, y + height * 0.8))
        return
    width = max(1.6, height / 8)
    painter.setPen(pen(theme.level(level), width, cap=Qt.PenCapStyle.RoundCap))
    step = width * 2.4
    for stroke in range(level):
        left = x + 1 + stroke * step
        painter.drawLine(QLineF(left, y, left, y + height))


def strokes_width(level: Level, height: float) -> float:
    """Width of the strokes of a level."""
    width = max(1.6, height / 8)
    return width * (1 + 2.4 * (max(int(level), 1) - 1)) + 1


def polyline(x: NDArray[np.floating[Any]], y: NDArray[np.floating[Any]]) -> QPolygonF:
    """Points for Qt from two (N,) arrays."""
    return QPolygonF([QPointF(*point) for point in zip(x.tolist(), y.tolist(), strict=True)])


def peak_column(envelope: Envelope) -> int | None:
    """The column that holds the highest reading, None without any."""
    if envelope.is_empty:
        return None
    # A tenth of the time of `nanargmax`: a large site has hundreds of ribbons in sight.
    return int(np.argmax(envelope.high == np.fmax.reduce(envelope.high)))


def draw_heard(
    painter: QPainter, theme: Theme, heard: BoolArray, area: QRectF, tick: QColor
) -> None:
    """The strip of expected reports: a tick for each that came, a gap for each that did not."""
    device = painter.device()
    ratio = device.devicePixelRatioF()
    size = area.size().toSize()
    # Drawn once for every pattern: a site of 300 places mostly has the same few.
    key = f"heard {heard.tobytes().hex()} {size.width()}x{size.height()} {ratio} {tick.name()}"
    key += theme.rule
    strip = QPixmap()
    if not QPixmapCache.find(key, strip):
        strip = QPixmap(size * ratio)
        strip.setDevicePixelRatio(ratio)
        strip.fill(Qt.GlobalColor.transparent)
        ticks = QPainter(strip)
        ticks.setRenderHints(painter.renderHints())
        _draw_ticks(ticks, theme, heard, QRectF(QPointF(), QSizeF(size)), tick)
        ticks.end()
        QPixmapCache.insert(key, strip)
    painter.drawPixmap(area.topLeft(), strip)


def _draw_ticks(
    painter: QPainter, theme: Theme, heard: BoolArray, area: QRectF, tick: QColor
) -> None:
    step = area.width() / max(len(heard), 1)
    trailing = len(heard) - (int(np.flatnonzero(heard)[-1]) + 1 if heard.any() else 0)
    came: list[QLineF] = []
    missed: list[QLineF] = []
    for at, is_heard in enumerate(heard.tolist()):
        x = area.left() + at * step + 1
        if is_heard:
            came.append(QLineF(x, area.top(), x, area.bottom()))
        elif at >= len(heard) - trailing:
            # Within the row a gap says it; at the end, faint ticks count what is overdue.
            missed.append(QLineF(x, area.center().y(), x, area.bottom()))
    for ink, lines in ((tick, came), (colour(theme.rule), missed)):
        if lines:
            painter.setPen(QPen(ink, 2))
            painter.drawLines(lines)


def hatching(theme: Theme) -> QBrush:
    """The brush for a stretch in which nothing was heard."""
    return QBrush(colour(theme.hatch), Qt.BrushStyle.BDiagPattern)

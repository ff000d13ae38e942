"""Draws plots and week tables; the same for the screen, a picture and a printed page."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from rook_tally.core.arrays import FloatArray
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.bench.plots import (
    Bars,
    Between,
    Dots,
    HeatTable,
    Ink,
    LevelLine,
    Mark,
    Picture,
    Plot,
    PlotLine,
    known_of,
)
from rook_tally.desk.parts.drawing import polyline
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face

_TITLE, _FOOT, _GAP = 22, 18, 18
_GROUND = 0.14
_DOTS = 0.55
_SIDE_WORDS = 34


def ink_colour(theme: Theme, ink: Ink) -> str:
    """The colour of a mark, by its role."""
    return {
        Ink.FIRST: theme.traces[0],
        Ink.SECOND: theme.traces[1],
        Ink.STRONG: theme.level(Level.HIGH),
        Ink.FAINT: theme.faint,
        Ink.AFTER: theme.traces[2],
        Ink.TODAY: theme.sheen,
    }[ink]


def draw_picture(painter: QPainter, theme: Theme, picture: Picture, area: QRectF) -> None:
    """Draw rows of plots into an area."""
    rows = [row for row in picture if row]
    if not rows:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    total = sum(row[0].weight for row in rows)
    free = area.height() - _GAP * (len(rows) - 1)
    top = area.top()
    # Over one another, the same moment stands at the same place.
    alone = [row[0] for row in rows if len(row) == 1 and isinstance(row[0], Plot)]
    margin = max((_margin(painter, one) for one in alone), default=0.0)
    for row in rows:
        height = free * row[0].weight / total
        width = (area.width() - _GAP * (len(row) - 1)) / len(row)
        for at, plot in enumerate(row):
            cell = QRectF(area.left() + at * (width + _GAP), top, width, height)
            if isinstance(plot, HeatTable):
                _draw_table(painter, theme, plot, cell)
            else:
                beside = margin if len(row) == 1 else _margin(painter, plot)
                draw_plot(painter, theme, plot, cell, beside)
        top += height + _GAP


def _margin(painter: QPainter, plot: Plot) -> float:
    """The room for the words at the right of a plot: on top of its lines neither could be read."""
    painter.setFont(face(11))
    widths = [painter.fontMetrics().horizontalAdvance(words) for _, words in plot.y_marks]
    return max(widths) + 6 if widths else 0.0


def draw_plot(painter: QPainter, theme: Theme, plot: Plot, cell: QRectF, margin: float) -> None:
    """Draw one plot with its title, words at its axes (`margin` at the right) and legend."""
    inner = QRectF(cell)
    if plot.title:
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        painter.drawText(QRectF(cell.left(), cell.top(), cell.width(), _TITLE - 4), plot.title)
        inner.setTop(cell.top() + _TITLE)
    if plot.x_marks:
        inner.setBottom(cell.bottom() - _FOOT)
    painter.setFont(face(11))
    inner.setRight(cell.right() - margin)
    painter.setPen(QPen(colour(theme.rule), 1))
    painter.drawRect(inner)
    scale = _Scale(plot, inner)
    painter.save()
    painter.setClipRect(inner)
    for at, _ in plot.y_marks:
        y = scale.y_of(at)
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(QLineF(inner.left(), y, inner.right(), y))
    for mark in plot.marks:
        _draw_mark(painter, theme, scale, mark)
    painter.restore()
    _draw_words(painter, theme, plot, scale, inner)


class _Scale:
    """Where values of a plot lie in its area."""

    def __init__(self, plot: Plot, area: QRectF) -> None:
        self.area = area
        self._x, self._y = plot.x_range, plot.y_range

    def x_of(self, value: float) -> float:
        low, high = self._x
        return self.area.left() + (value - low) / ((high - low) or 1.0) * self.area.width()

    def y_of(self, value: float) -> float:
        low, high = self._y
        return self.area.bottom() - (value - low) / ((high - low) or 1.0) * self.area.height()

    def points(self, x: FloatArray, y: FloatArray) -> QPolygonF:
        low, high = self._x
        across = self.area.left() + (x - low) / ((high - low) or 1.0) * self.area.width()
        low, high = self._y
        up = self.area.bottom() - (y - low) / ((high - low) or 1.0) * self.area.height()
        return polyline(across, up)


def _draw_mark(painter: QPainter, theme: Theme, scale: _Scale, mark: Mark) -> None:
    ink = ink_colour(theme, mark.ink)
    if isinstance(mark, PlotLine):
        style = Qt.PenStyle.DashLine if mark.dashed else Qt.PenStyle.SolidLine
        painter.setPen(QPen(colour(ink), mark.thick, style))
        for part in _parts(known_of(mark.x, mark.y)):
            painter.drawPolyline(scale.points(mark.x[part], mark.y[part]))
    elif isinstance(mark, Between):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(ink, _GROUND))
        for part in _parts(known_of(mark.low, mark.high)):
            x = np.concatenate((mark.x[part], mark.x[part][::-1]))
            y = np.concatenate((mark.low[part], mark.high[part][::-1]))
            painter.drawPolygon(scale.points(x, y))
        painter.setBrush(Qt.BrushStyle.NoBrush)
    elif isinstance(mark, Dots):
        pen = QPen(colour(ink, _DOTS if mark.size < 5 else 0.85), mark.size)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        known = known_of(mark.x, mark.y)
        painter.drawPoints(scale.points(mark.x[known], mark.y[known]))
    elif isinstance(mark, LevelLine):
        style = Qt.PenStyle.DashLine if mark.dashed else Qt.PenStyle.SolidLine
        painter.setPen(QPen(colour(ink), 1, style))
        area = scale.area
        if mark.upright:
            across = scale.x_of(mark.at)
            painter.drawLine(QLineF(across, area.top(), across, area.bottom()))
        else:
            up = scale.y_of(mark.at)
            painter.drawLine(QLineF(area.left(), up, area.right(), up))
    else:
        _draw_bars(painter, scale, mark, colour(ink, 0.35))


def _draw_bars(painter: QPainter, scale: _Scale, mark: Bars, ink: QColor) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    bottom = scale.y_of(0.0)
    for left, right, height in zip(
        mark.edges[:-1].tolist(), mark.edges[1:].tolist(), mark.height.tolist(), strict=True
    ):
        x, top = scale.x_of(left), scale.y_of(height)
        painter.drawRect(QRectF(x + 0.5, top, scale.x_of(right) - x - 1, bottom - top))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _parts(known: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> list[slice]:
    """The stretches of points that are known, each a line by itself."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], known, [False])).astype(np.int8)))
    return [
        slice(begin, end)
        for begin, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    ]


def _draw_words(painter: QPainter, theme: Theme, plot: Plot, scale: _Scale, inner: QRectF) -> None:
    painter.setFont(face(11))
    metrics = painter.fontMetrics()
    painter.setPen(colour(theme.dim))
    right_edge = -1e9
    for at, words in plot.x_marks:
        width = metrics.horizontalAdvance(words)
        x = min(max(scale.x_of(at) - width / 2, inner.left()), inner.right() - width)
        if x < right_edge + 8 or not inner.left() - 1 <= scale.x_of(at) <= inner.right() + 1:
            continue
        painter.drawText(QPointF(x, inner.bottom() + 14), words)
        right_edge = x + width
    for at, words in plot.y_marks:
        y = scale.y_of(at)
        if inner.top() - 1 <= y <= inner.bottom() + 1:
            up = min(max(y + 4, inner.top() + 9), inner.bottom())
            painter.drawText(QPointF(inner.right() + 6, up), words)
    for mark in plot.marks:
        if isinstance(mark, LevelLine) and mark.words:
            painter.setFont(face(11, BOLD))
            painter.setPen(colour(ink_colour(theme, mark.ink)))
            width = painter.fontMetrics().horizontalAdvance(mark.words)
            if mark.upright:
                x = scale.x_of(mark.at) + 5
                x = x if x + width < inner.right() else scale.x_of(mark.at) - width - 5
                painter.drawText(QPointF(x, inner.bottom() - 6), mark.words)
            else:
                y = min(max(scale.y_of(mark.at) - 3, inner.top() + 11), inner.bottom() - 3)
                painter.drawText(QPointF(inner.right() - width - 4, y), mark.words)
    painter.setFont(face(11, BOLD))
    metrics = painter.fontMetrics()
    left, top = inner.left() + 6, inner.top() + 14
    for words, ink in plot.legend:
        width = metrics.horizontalAdvance(words)
        if left > inner.left() + 6 and left + width > inner.right() - 6:
            left, top = inner.left() + 6, top + 16
        shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, int(inner.width() - 12))
        ground = QRectF(left - 3, top - 11, min(width, inner.width() - 12) + 6, 15)
        painter.fillRect(ground, colour(theme.sheet, 0.8))
        painter.setPen(colour(ink_colour(theme, ink)))
        painter.drawText(QPointF(left, top), shown)
        left += width + 14


def _draw_table(painter: QPainter, theme: Theme, table: HeatTable, cell: QRectF) -> None:
    """Draw seven days of 24 hours, the darker the higher; what was hardly heard is hatched."""
    painter.setFont(face(12, BOLD))
    painter.setPen(colour(theme.ink))
    painter.drawText(QRectF(cell.left(), cell.top(), cell.width(), _TITLE - 4), table.title)
    area = QRectF(
        cell.left() + _SIDE_WORDS,
        cell.top() + _TITLE,
        cell.width() - _SIDE_WORDS,
        cell.height() - _TITLE - _FOOT,
    )
    rows, columns = table.value.shape
    known = table.value[np.isfinite(table.value)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    width, height = area.width() / columns, area.height() / rows
    ink = colour(theme.traces[0]).name()
    for row in range(rows):
        for column in range(columns):
            spot = QRectF(
                area.left() + column * width + 0.5,
                area.top() + row * height + 0.5,
                width - 1,
                height - 1,
            )
            value = float(table.value[row, column])
            if not np.isfinite(value) or not table.share[row, column] > 0.05:
                painter.fillRect(spot, colour(theme.hatch, 0.35))
                continue
            share = (value - low) / ((high - low) or 1.0)
            painter.fillRect(spot, colour(ink, round(0.06 + 0.86 * share, 2)))
    painter.setFont(face(11))
    painter.setPen(colour(theme.dim))
    for row, name in enumerate(table.row_names):
        spot = QRectF(cell.left(), area.top() + row * height, _SIDE_WORDS - 6, height)
        painter.drawText(spot, Qt.AlignmentFlag.AlignVCenter, name)
    for column, words in table.column_marks:
        painter.drawText(QPointF(area.left() + column * width, area.bottom() + 14), words)
    told = f"{table.low_words} … {table.high_words}"
    wide = painter.fontMetrics().horizontalAdvance(told)
    painter.drawText(QPointF(cell.right() - wide, cell.top() + 12), told)

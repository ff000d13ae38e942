"""Panes that draw, inked: columns over places, ribbons over time."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QPen

from rook_tally.core.levels import Level
from rook_tally.desk.parts.ink import BOLD, MEDIUM, colour
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.wall.ink import LEFT, RIGHT, Ink
from rook_tally.wall.faces import Column, ColumnsBody, RibbonBody

_NAME = 21.0
_BAND_OPACITY = 0.16


def draw_columns(ink: Ink, body: ColumnsBody, area: QRectF) -> None:
    """A thin line a place, today's span thick on it, a mark where it is now, its value beside."""
    count = max(len(body.columns), 1)
    step = area.width() / count
    name = min(_NAME * 1.35 * ink.unit, area.height() * 0.24)
    # All in letters of one size, or the short names would look the weightier.
    names = [one.name for one in body.columns]
    room = step - 8 * ink.unit
    if ink.one_size(names, room, name) < 0.8 * name:
        names = [one.short for one in body.columns]
    letters = ink.one_size(names, room, name)
    for at, column in enumerate(body.columns):
        part = QRectF(area.left() + at * step, area.top(), step - 6 * ink.unit, area.height())
        ink.painter.save()
        ink.fade(column.value.freshness)
        _column(ink, column, part.adjusted(0, 0, 0, -name * 1.2))
        under = QRectF(part.left(), part.bottom() - name, part.width(), name)
        ink.text(under, names[at], shade=ink.theme.dim, most=letters)
        ink.painter.restore()


def _column(ink: Ink, column: Column, area: QRectF) -> None:
    painter, mark = ink.painter, 11 * ink.unit
    x = area.left() + mark

    def y(part: float) -> float:
        return area.bottom() - part * area.height()

    painter.setPen(QPen(colour(ink.theme.strong_rule), max(1.0, 1.5 * ink.unit)))
    painter.drawLine(QLineF(x, area.top(), x, area.bottom()))
    if column.low is not None and column.high is not None:
        band = QRectF(x - 4 * ink.unit, y(column.high), 8 * ink.unit,
                      max(2.0, y(column.low) - y(column.high)))  # fmt: skip
        painter.fillRect(band, colour(ink.theme.ribbon))
    shade = ink.shade(column.value.level)
    if column.at is not None:
        painter.setPen(QPen(colour(shade), max(2.0, 3 * ink.unit)))
        painter.drawLine(QLineF(x - mark, y(column.at), x + mark, y(column.at)))
    beside = area.adjusted(mark * 2 + 6 * ink.unit, 0, 0, 0)
    height = min(beside.height() * 0.42, 38 * ink.unit)
    text = QRectF(beside.left(), beside.top() + beside.height() * 0.12, beside.width(), height)
    ink.text(text, column.value.text, weight=BOLD, shade=shade)
    if column.value.level is not Level.SETTLED:
        ink.strokes(column.value.level, text.left(), text.bottom() + 4 * ink.unit, height * 0.7)


def draw_ribbon(ink: Ink, body: RibbonBody, area: QRectF) -> None:
    """Levels behind, traces over them, times below, the peak named."""
    painter = ink.painter
    below = min(20 * ink.unit * 1.35, area.height() * 0.2)
    tall = 19 * ink.unit * 1.3
    beside = max((ink.width(text, tall) + 8 * ink.unit for _, text in body.limits), default=0.0)
    plot = area.adjusted(0, 0, -beside, -below)

    def y(part: float) -> float:
        return plot.bottom() - part * plot.height()

    for low, high, level in body.bands:
        shade = colour(ink.theme.level(level), _BAND_OPACITY)
        painter.fillRect(QRectF(plot.left(), y(high), plot.width(), y(low) - y(high)), shade)
    painter.setPen(QPen(colour(ink.theme.rule), 1))
    painter.drawLine(QLineF(plot.left(), plot.bottom(), plot.right(), plot.bottom()))
    ratio = painter.device().devicePixelRatioF()
    size = round(plot.width() * ratio), round(plot.height() * ratio)
    for at in reversed(range(len(body.traces))):
        shade = colour(ink.theme.traces[at % len(ink.theme.traces)])
        image = trace_image(
            body.traces[at].envelope, (body.low, body.high), size, shade, ratio=ratio,
            thickness=max(1.6, 2.2 * ink.unit * ratio), band=at == 0,
        )  # fmt: skip
        if image is not None:
            painter.drawImage(QPointF(plot.left(), plot.top()), image)
    _names(ink, body, plot)
    for part, text in body.limits:
        line = QRectF(plot.right(), y(part) - tall / 2, beside, tall)
        ink.text(line, text, shade=ink.theme.dim, align=RIGHT)
        pen = QPen(colour(ink.theme.level(Level.RAISED)), 1, Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(QLineF(plot.left(), y(part), plot.right(), y(part)))
    if body.peak is not None:
        _peak(ink, body, plot)
    for part, label in body.marks:
        x = plot.left() + part * plot.width()
        where = QRectF(x, plot.bottom(), plot.width() * 0.16, below)
        if where.right() <= plot.right() + 2:
            ink.text(where, label, shade=ink.theme.dim)


def _names(ink: Ink, body: RibbonBody, plot: QRectF) -> None:
    """Each trace's name where it begins, in its colour; one alone is named by the title."""
    if len(body.traces) < 2:
        return
    height = 21 * ink.unit * 1.3
    used: list[float] = []
    for at, trace in enumerate(body.traces):
        parts = trace.envelope.segments()
        if not parts:
            continue
        # Over whatever the trace does where its name stands.
        first = trace.envelope.high[parts[0][: max(1, len(trace.envelope) // 6)]]
        value = float(np.nanmax(first))
        share = min(1.0, max(0.0, (value - body.low) / (body.high - body.low)))
        top = plot.bottom() - share * plot.height() - height - 3 * ink.unit
        while any(abs(top - other) < height for other in used) and top > plot.top():
            top -= height * 0.5
        used.append(top)
        shade = ink.theme.traces[at % len(ink.theme.traces)]
        ink.text(QRectF(plot.left() + 4, max(top, plot.top()), plot.width() * 0.3, height),
                 trace.name, shade=shade, weight=MEDIUM)  # fmt: skip


def _peak(ink: Ink, body: RibbonBody, plot: QRectF) -> None:
    assert body.peak is not None
    height = 21 * ink.unit * 1.3
    x = plot.left() + body.peak.x * plot.width()
    y = plot.bottom() - body.peak.y * plot.height()
    top = max(plot.top(), y - height)
    ink.painter.setPen(QPen(colour(ink.theme.ink), max(1.0, 2 * ink.unit)))
    ink.painter.drawLine(QLineF(x, top, x, min(y, top + height)))
    is_right = x > plot.left() + plot.width() * 0.72
    room = plot.width() * 0.3
    where = QRectF(x - room - 6 if is_right else x + 6, top, room, height)
    ink.text(where, body.peak.text, weight=BOLD, align=RIGHT if is_right else LEFT)

"""Panes that draw, inked: columns over places, ribbons over time."""

from __future__ import annotations

from collections import OrderedDict
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPen

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.freshness import Freshness
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.wall.painter import LEAST_PX, LEFT, RIGHT, PanePainter, advance
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.pane_views import ColumnFigure, ColumnsBody, RibbonBody

_NAME = 21.0
_MARK = 11.0
_BAND_OPACITY = 0.16


def draw_columns(ink: PanePainter, body: ColumnsBody, area: QRectF) -> None:
    """A thin line a place, today's span thick on it, a mark where it is now, its value beside."""
    count = max(len(body.columns), 1)
    step = area.width() / count
    name = min(_NAME * 1.35 * ink.unit, area.height() * 0.24)
    # All in letters of one size, or the short names would look the weightier.
    names, room = [one.name for one in body.columns], step - 8 * ink.unit
    letters = ink.one_size(names, room, name)
    if letters < 0.8 * name:
        names = [one.short for one in body.columns]
        letters = ink.one_size(names, room, name)
    told = [one.value.text for one in body.columns]
    beside = step - (2 * _MARK + 12) * ink.unit
    tall = min((area.height() - name * 1.2) * 0.42, 38 * ink.unit)
    values = ink.one_size(told, beside, tall, BOLD)
    is_narrow = max(advance(one, LEAST_PX + 2, BOLD) for one in told or [""]) > beside
    if is_narrow and max(advance(one, LEAST_PX, BOLD) for one in told or [""]) > step - 2:
        words = tr("This pane is too small for {0} places.", len(body.columns))
        ink.wrapped(area, words, shade=ink.theme.dim, most=20 * ink.unit)
        return
    # Where there is no room beside a post its value stands under it.
    under = name * 1.2 + (name if is_narrow else 0.0)
    asked = ink.painter.clipBoundingRect() if ink.painter.hasClipping() else area
    if body.against is not None:
        _across(ink, body.against, area.adjusted(0, 0, 0, -under))
    for at, column in enumerate(body.columns):
        part = QRectF(area.left() + at * step, area.top(), step - 3 * ink.unit, area.height())
        if not part.intersects(asked):
            continue
        ink.fade(column.value.freshness)
        post = part.adjusted(0, 0, 0, -under)
        _post(ink, column, post)
        if is_narrow:
            line = QRectF(part.left(), post.bottom(), part.width(), name)
            level = column.value.level
            taken = ink.text(line, column.value.text, weight=BOLD, shade=ink.shade(level))
            if level is not Level.SETTLED:
                # Never by colour alone: where there is no room beside it, over it.
                height = min(line.height() * 0.8, post.height() * 0.4)
                left = line.left() + min(taken + 2, max(0.0, line.width() - height))
                ink.strokes(level, left, post.bottom() - height, height)
        else:
            _value_beside(ink, column, post, values)
        line = QRectF(part.left(), part.bottom() - name, part.width(), name)
        ink.text(line, names[at], shade=ink.theme.dim, most=letters, least=0.5)
    ink.fade(Freshness.FRESH)


def _across(ink: PanePainter, against: tuple[float, str], area: QRectF) -> None:
    """The level of a guideline as a dashed line behind the posts, its words at the right."""
    level, words = against
    y = area.bottom() - level * area.height()
    ink.painter.setPen(QPen(colour(ink.theme.dim), max(1.0, ink.unit), Qt.PenStyle.DashLine))
    ink.painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
    tall = max(LEAST_PX + 4.0, min(18 * ink.unit, area.height() * 0.25))
    over = y - tall if y - tall > area.top() else y
    line = QRectF(area.right() - area.width() / 2, over, area.width() / 2, tall)
    ink.text(line, words, shade=ink.theme.dim, align=RIGHT)


def sizes_agree(one: ColumnsBody, other: ColumnsBody) -> bool:
    """True if two bodies are written in letters of the same sizes, column by column."""

    def widest(body: ColumnsBody) -> float:
        return max(advance(column.value.text, 24, BOLD) for column in body.columns)

    return (
        len(one.columns) == len(other.columns) > 0
        and [column.name for column in one.columns] == [column.name for column in other.columns]
        and one.against == other.against
        and widest(one) == widest(other)
    )


def _post(ink: PanePainter, column: ColumnFigure, area: QRectF) -> None:
    """A thin line with today's span thick on it and a mark where it is now."""
    painter, mark = ink.painter, min(_MARK * ink.unit, area.width() / 3)
    x = area.left() + mark

    def y(part: float) -> float:
        return area.bottom() - part * area.height()

    thin = max(1.0, 1.5 * ink.unit)
    painter.fillRect(
        QRectF(x - thin / 2, area.top(), thin, area.height()), colour(ink.theme.strong_rule)
    )
    if column.low is not None and column.high is not None:
        band = QRectF(
            x - 4 * ink.unit, y(column.high), 8 * ink.unit, max(2.0, y(column.low) - y(column.high))
        )
        painter.fillRect(band, colour(ink.theme.ribbon))
    if column.at is not None:
        thick = max(2.0, 3 * ink.unit)
        now = QRectF(x - mark, y(column.at) - thick / 2, 2 * mark, thick)
        painter.fillRect(now, colour(ink.shade(column.value.level)))


def _value_beside(ink: PanePainter, column: ColumnFigure, area: QRectF, height: float) -> None:
    level = column.value.level
    left = area.left() + (2 * _MARK + 6) * ink.unit
    line = QRectF(left, area.top() + area.height() * 0.12, area.right() - left, height)
    ink.text(line, column.value.text, weight=BOLD, shade=ink.shade(level))
    if level is not Level.SETTLED:
        ink.strokes(level, line.left(), line.bottom() + 4 * ink.unit, height * 0.7)


class _Look(NamedTuple):
    """The style of a trace."""

    value_range: tuple[float, float]
    size: tuple[int, int]
    shade: int
    ratio: float
    thickness: float
    is_band: bool


_MOST_TRACES = 24
_traces: OrderedDict[tuple[int, _Look], tuple[Envelope, QImage | None]] = OrderedDict()


def _trace(envelope: Envelope, look: _Look) -> QImage | None:
    """A trace's picture, kept while its readings and its look stay: a sheet that is uncovered, or
    dims, has nothing new to ink."""
    key = id(envelope), look
    kept = _traces.get(key)
    # The envelope is kept as well, so that its number cannot become another's.
    if kept is not None and kept[0] is envelope:
        _traces.move_to_end(key)
        return kept[1]
    image = trace_image(
        envelope,
        look.value_range,
        look.size,
        QColor.fromRgba(look.shade),
        ratio=look.ratio,
        thickness=look.thickness,
        band=look.is_band,
    )
    _traces[key] = envelope, image
    if len(_traces) > _MOST_TRACES:
        _traces.popitem(last=False)
    return image


def draw_ribbon(ink: PanePainter, body: RibbonBody, area: QRectF) -> None:
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
        look = _Look(
            (body.low, body.high),
            size,
            shade.rgba(),
            ratio,
            max(1.6, 2.2 * ink.unit * ratio),
            is_band=at == 0,
        )
        image = _trace(body.traces[at].envelope, look)
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


def _names(ink: PanePainter, body: RibbonBody, plot: QRectF) -> None:
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
        ink.text(
            QRectF(plot.left() + 4, max(top, plot.top()), plot.width() * 0.3, height),
            trace.name,
            shade=shade,
            weight=MEDIUM,
        )


def _peak(ink: PanePainter, body: RibbonBody, plot: QRectF) -> None:
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

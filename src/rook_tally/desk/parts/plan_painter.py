"""Plans drawn: the picture, and on it a square a station with its values."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QImage, QPainter, QPen

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import LIGHT, Theme
from rook_tally.desk.parts.drawing import draw_strokes
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face
from rook_tally.wall.pane_views import PlanBody, PlanMark

SQUARE = 20.0
_LINE, _FIRST, _SECOND, _UNIT, _NOTE = 23.0, 19, 13, 11, 11


def picture_area(body: PlanBody, area: QRectF) -> QRectF:
    """Where the picture of a plan lies in an area: as large as fits, in its middle."""
    if not body.width or not body.height:
        return area
    scale = min(area.width() / body.width, area.height() / body.height)
    wide, tall = body.width * scale, body.height * scale
    return QRectF(area.center().x() - wide / 2, area.center().y() - tall / 2, wide, tall)


def mark_area(mark: PlanMark, inside: QRectF, unit: float = 1.0) -> QRectF:
    """The square of a mark; `inside` is where the picture lies."""
    size = SQUARE * unit
    at = QPointF(inside.left() + mark.x * inside.width(), inside.top() + mark.y * inside.height())
    return QRectF(at.x() - size / 2, at.y() - size / 2, size, size)


def draw_plan(
    painter: QPainter,
    theme: Theme,
    body: PlanBody,
    picture: QImage | None,
    area: QRectF,
    *,
    unit: float = 1.0,
    picked: str = "",
) -> None:
    """Draw a plan into an area; without its picture, which may be on its way, the marks alone."""
    inside = picture_area(body, area)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    if picture is not None:
        painter.drawImage(inside, picture)
        # Pictures are of paper, at night too: what is written on them is written as by day.
        theme = LIGHT
    else:
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawRect(inside)
    for mark in body.marks:
        draw_mark(painter, theme, mark, inside, unit, is_picked=mark.station == picked)


def draw_mark(
    painter: QPainter,
    theme: Theme,
    mark: PlanMark,
    inside: QRectF,
    unit: float,
    *,
    is_picked: bool = False,
) -> None:
    """Draw a station: its square with the strokes of its level, its values, what is late."""
    box = mark_area(mark, inside, unit)
    is_faint = not mark.freshness.is_telling
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.fillRect(box, colour(theme.sheet))
    if mark.freshness is Freshness.MAINTAINED:
        painter.fillRect(box, QBrush(colour(theme.strong_rule), Qt.BrushStyle.BDiagPattern))
    edge = theme.sheen if is_picked else theme.dim if is_faint else theme.ink
    painter.setPen(QPen(colour(edge), 3 * unit if is_picked else 1.6 * unit))
    painter.drawRect(box)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if mark.level:
        draw_strokes(
            painter, theme, mark.level, box.left() + 4 * unit, box.top() + 4 * unit, 12 * unit
        )
    left, top = box.right() + 8 * unit, box.center().y() - _LINE * unit / 2
    for at, value in enumerate(mark.values):
        size = round((_FIRST if at == 0 else _SECOND) * unit)
        # Faint is too faint to be read.
        shade = theme.dim if is_faint else theme.ink
        if not is_faint and value.level >= Level.RAISED:
            shade = theme.level(value.level)
        _write(painter, theme, value.text, value.unit, left, top, size, shade, unit)
        top += (_LINE if at == 0 else _LINE * 0.8) * unit
    if mark.note:
        painter.setFont(face(round(_NOTE * unit)))
        late = mark.freshness.is_overdue
        painter.setPen(colour(theme.level(Level.HIGH) if late else theme.dim))
        painter.drawText(QPointF(box.left(), top + 12 * unit), mark.note)
    painter.restore()


def _write(
    painter: QPainter,
    theme: Theme,
    text: str,
    symbol: str,
    left: float,
    top: float,
    size: int,
    shade: str,
    unit: float,
) -> None:
    font, small = face(size, MEDIUM), face(round(_UNIT * unit))
    wide = QFontMetricsF(font).horizontalAdvance(text)
    room = wide + (QFontMetricsF(small).horizontalAdvance(symbol) + 5 * unit if symbol else 0)
    line = QRectF(left, top, room, _LINE * unit if size > _SECOND * unit else _LINE * unit * 0.8)
    # Lines of the picture under a figure would make another of it.
    painter.fillRect(line.adjusted(-2, 2, 2, -2), colour(theme.sheet, 0.8))
    painter.setFont(font)
    painter.setPen(colour(shade))
    painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
    if symbol:
        painter.setFont(small)
        painter.setPen(colour(theme.dim))
        painter.drawText(
            line.adjusted(wide + 4 * unit, 2 * unit, 0, 0),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            symbol,
        )

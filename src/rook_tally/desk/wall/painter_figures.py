"""Panes of one value, inked: figure, dial, day, own words."""

from __future__ import annotations

import math
from functools import lru_cache
from html import escape

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen, QTextDocument

from rook_tally.core.quantities.levels import Level
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.wall.painter import CENTRE, LEAST_PX, PanePainter
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.pane_views import DayBody, DialBody, FigureBody, ValueText, WordsBody

_LINE = 1.4


def draw_figure(ink: PanePainter, body: FigureBody, area: QRectF) -> None:
    """A value as large as its pane carries, and a sentence."""
    if not body.sentence:
        ink.value(area, body.value)
        return
    line = min(26 * ink.unit * _LINE, area.height() * 0.26)
    ink.value(area.adjusted(0, 0, 0, -line * 1.15), body.value)
    ink.text(QRectF(area.left(), area.bottom() - line, area.width(), line), body.sentence)


def draw_dial(ink: PanePainter, body: DialBody, area: QRectF) -> None:
    """Half a circle with the limits' zones on it, the value inside, the sentence beside."""
    is_wide = area.width() > 1.75 * area.height() and bool(body.sentence)
    line = min(24 * ink.unit * _LINE, area.height() * 0.2)
    room = QRectF(area)
    if is_wide:
        room.setWidth(min(area.width() * 0.64, area.height() * 2.1))
    elif body.sentence:
        room.setHeight(area.height() - line * 1.1)
    width = max(4.0, 9 * ink.unit)
    radius = max(4.0, min(room.width() / 2 - width, room.height() - width * 2.6))
    whole = radius + width * 2.6 + (0.0 if is_wide or not body.sentence else line * 1.1)
    top = area.top() + max(0.0, (area.height() - whole) / 2)
    middle = room.left() + radius + width / 2 if is_wide else room.center().x()
    centre = QPointF(middle, top + radius + width / 2)
    arc = QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius)
    _arc(ink, arc, 0.0, 1.0, ink.theme.strong_rule, max(1.5, 2 * ink.unit))
    for low, high, level in body.zones:
        _arc(ink, arc, low, high, ink.theme.level(level), width)
    if body.at is not None:
        _hand(ink, centre, radius, body.at, width)
    inside = QRectF(
        centre.x() - radius * 0.68, centre.y() - radius * 0.52, radius * 1.36, radius * 0.5
    )
    _centred_value(ink, body.value, inside)
    ends = QRectF(arc.left() - width, centre.y() + width * 0.2, radius * 0.6, width * 2)
    ink.text(ends, body.low, shade=ink.theme.dim, most=18 * ink.unit * _LINE)
    ends.moveRight(arc.right() + width)
    ink.text(
        ends,
        body.high,
        shade=ink.theme.dim,
        most=18 * ink.unit * _LINE,
        align=Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
    )
    if is_wide:
        left = room.right() + 16 * ink.unit
        beside = QRectF(
            left, area.top() + area.height() * 0.3, area.right() - left, area.height() * 0.6
        )
        ink.wrapped(beside, body.sentence, most=24 * ink.unit)
    elif body.sentence:
        under = QRectF(area.left(), centre.y() + width * 2.4, area.width(), line)
        ink.text(under, body.sentence, align=CENTRE)


def _arc(ink: PanePainter, arc: QRectF, low: float, high: float, shade: str, width: float) -> None:
    pen = QPen(colour(shade), width)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    ink.painter.setPen(pen)
    ink.painter.drawArc(arc, round((180 - 180 * low) * 16), round(-180 * (high - low) * 16))


def _hand(ink: PanePainter, centre: QPointF, radius: float, at: float, width: float) -> None:
    """A stroke across the arc where the value is."""
    angle = math.pi * (1 - at)
    x, y = math.cos(angle), -math.sin(angle)
    pen = QPen(colour(ink.theme.ink), max(2.0, 4 * ink.unit))
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    ink.painter.setPen(pen)
    inner, outer = radius - width * 1.6, radius + width * 1.0
    ink.painter.drawLine(
        QLineF(
            centre.x() + x * inner,
            centre.y() + y * inner,
            centre.x() + x * outer,
            centre.y() + y * outer,
        )
    )


def _centred_value(ink: PanePainter, value: ValueText, area: QRectF) -> None:
    """A value in the middle of its room: measured first at nothing, then written."""
    painter = ink.painter
    painter.save()
    painter.setOpacity(0.0)
    taken = ink.value(area, value)
    painter.restore()
    shift = max(0.0, (area.width() - taken.width()) / 2)
    ink.value(area.translated(shift, 0), value)


def draw_day(ink: PanePainter, body: DayBody, area: QRectF) -> None:
    """The day's lowest and highest side by side, each with its time."""
    is_tall = area.height() > area.width()
    gap = 16 * ink.unit
    for at, (name, value, when) in enumerate(
        ((tr("lowest"), body.low, body.low_at), (tr("highest"), body.high, body.high_at))
    ):
        if is_tall:
            half = (area.height() - gap) / 2
            part = QRectF(area.left(), area.top() + at * (half + gap), area.width(), half)
        else:
            half = (area.width() - gap) / 2
            part = QRectF(area.left() + at * (half + gap), area.top(), half, area.height())
        line = min(22 * ink.unit * _LINE, part.height() * 0.28)
        told = tr("{0} at {1}", name, when) if when else name
        ink.value(part.adjusted(0, 0, 0, -line * 1.1), value)
        ink.text(
            QRectF(part.left(), part.bottom() - line, part.width(), line), told, shade=ink.theme.dim
        )


def draw_words(ink: PanePainter, body: WordsBody, area: QRectF) -> None:
    """Own text, as large as it fits, values in the colour of their level with their strokes."""
    html = "".join(
        escape(one).replace("\n", "<br>") if isinstance(one, str) else _told(ink, one)
        for one in body.parts
    )
    html = f'<div style="color:{ink.theme.ink}">{html}</div>'
    width, height = int(area.width()), int(area.height())
    most = max(LEAST_PX, int(min(area.height() * 0.8, 120 * ink.unit)))
    size = _size_of_words(html, width, height, most)
    painter = ink.painter
    picture = _words_picture(html, width, size, painter.device().devicePixelRatioF())
    painter.save()
    painter.setClipRect(area, Qt.ClipOperation.IntersectClip)
    spare = max(0.0, area.height() - picture.deviceIndependentSize().height())
    painter.drawImage(QPointF(area.left(), area.top() + spare / 2), picture)
    painter.restore()


@lru_cache(16)
def _words_picture(html: str, width: int, size: int, ratio: float) -> QImage:
    """Words in their lines, kept: they stay as they are until a value in them moves."""
    document = QTextDocument()
    document.setDocumentMargin(0)
    _lay_out(document, html, size, width)
    tall = math.ceil(document.size().height())
    image = QImage(
        round(width * ratio), round(tall * ratio), QImage.Format.Format_ARGB32_Premultiplied
    )
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    document.drawContents(painter)
    painter.end()
    return image


@lru_cache(64)
def _size_of_words(html: str, width: int, height: int, most: int) -> int:
    """The largest letters in which a text fits, found by halving."""
    document = QTextDocument()
    document.setDocumentMargin(0)
    low, high = LEAST_PX, most
    while low < high:
        size = (low + high + 1) // 2
        _lay_out(document, html, size, width)
        if document.size().height() <= height and document.idealWidth() <= width + 1:
            low = size
        else:
            high = size - 1
    return low


def _lay_out(document: QTextDocument, html: str, size: int, width: int) -> None:
    document.setDefaultFont(face(size))
    document.setTextWidth(width)
    document.setHtml(html)


def _told(ink: PanePainter, value: ValueText) -> str:
    told = f"{value.text} {value.unit}".rstrip()
    shade = ink.shade(value.level)
    strokes = f" {'|' * int(value.level)}" if value.level is not Level.SETTLED else ""
    return f'<b style="color:{shade}">{escape(told)}{strokes}</b>'

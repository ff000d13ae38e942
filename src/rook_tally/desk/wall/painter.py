"""The painter of panes: text sized to its room, values with their strokes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QImage, QPainter, QStaticText, QTransform

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import draw_strokes, strokes_width
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, REGULAR, colour, face
from rook_tally.desk.parts.pictures import PictureSource, no_pictures
from rook_tally.wall.pane_views import ValueText

LEAST_PX = 8
"""Smaller letters cannot be read; what needs them is cut short instead."""
_LARGE_PX = 60
_OPACITY = {
    Freshness.FRESH: 1.0,
    Freshness.MAINTAINED: 0.4,
    Freshness.LATE: 0.65,
    Freshness.SILENT: 0.4,
}
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter


@dataclass(frozen=True, slots=True)
class PanePainter:
    """A painter with the theme, and the unit of all sizes: a pixel at the design size."""

    painter: QPainter
    theme: Theme
    unit: float
    pictures: PictureSource = no_pictures

    def shade(self, level: Level, plain: str = "") -> str:
        """A level's colour; of what is settled the ink's, or another."""
        return self.theme.level(level) if level is not Level.SETTLED else plain or self.theme.ink

    def fitted(self, text: str, width: float, height: float, weight: QFont.Weight = REGULAR) -> int:
        """The size in pixels of the largest letters in which a text of one line fits."""
        size = max(height * 0.82, 1.0)
        wide = advance(text, max(LEAST_PX, round(size)), weight)
        if wide > width:
            size = max(size, LEAST_PX) * width / wide
        return max(LEAST_PX, int(size))

    def width(self, text: str, height: float, weight: QFont.Weight = REGULAR) -> float:
        """Width of a line of this height."""
        return advance(text, self.fitted(text, 1e9, height), weight)

    def one_size(
        self, texts: Sequence[str], width: float, height: float, weight: QFont.Weight = REGULAR
    ) -> float:
        """The greatest height at which all texts fit a width: at most `height`, and no smaller than
        can be read from a way off; what is longer then is cut short."""
        widest = max((self.width(text, height, weight) for text in texts), default=0.0)
        size = height if widest <= width else height * width / widest
        return max(size, min(height, 21 * self.unit))

    def text(
        self,
        area: QRectF,
        text: str,
        *,
        weight: QFont.Weight = REGULAR,
        shade: str = "",
        align: Qt.AlignmentFlag = LEFT,
        most: float = 1e9,
        least: float = 0.0,
    ) -> float:
        """Write a line as large as its area lets it, at most `most` high; returns its width.

        What is longer than the smallest letters let it is cut short. `least` is the share of that
        height below which they do not shrink: among lines that are read together, letters half as
        large as their neighbours say less than a name cut short.
        """
        if area.width() <= 1 or area.height() <= 1 or not text:
            return 0.0
        height = min(area.height(), most)
        size = self.fitted(text, area.width(), height, weight)
        size = max(size, int(height * least), LEAST_PX)
        wide = advance(text, size, weight)
        # Letters are hinted: a size's width is not quite in proportion.
        for smaller in range(size - 1, max(LEAST_PX, size - 3) - 1, -1):
            if wide <= area.width() + 1:
                break
            size, wide = smaller, advance(text, smaller, weight)
        if wide > area.width() + 1:
            metrics = QFontMetricsF(face(size, weight))
            text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, area.width() + 1)
            wide = metrics.horizontalAdvance(text)
        left = area.left()
        if align & Qt.AlignmentFlag.AlignRight:
            left = area.right() - wide
        elif align & Qt.AlignmentFlag.AlignHCenter:
            left = area.center().x() - wide / 2
        tall, _, _ = _heights(size, weight)
        self._write(text, size, weight, left, area.center().y() - tall / 2, shade)
        return wide

    def _write(
        self, text: str, size: int, weight: QFont.Weight, left: float, top: float, shade: str
    ) -> None:
        """Letters laid out once and kept: the same few words are written again and again."""
        shade = shade or self.theme.ink
        if size > _LARGE_PX:
            ratio = self.painter.device().devicePixelRatioF()
            self.painter.drawImage(QPointF(left, top), _picture(text, size, weight, shade, ratio))
            return
        self.painter.setFont(face(size, weight))
        self.painter.setPen(colour(shade))
        self.painter.drawStaticText(QPointF(left, top), _laid_out(text, size, weight))

    def wrapped(self, area: QRectF, text: str, *, shade: str = "", most: float) -> None:
        """Write a text over several lines, as large as its area lets it."""
        size = int(max(LEAST_PX, min(most, area.height() * 0.5)))
        flags = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignTop)
        while size > LEAST_PX:
            need = QFontMetricsF(face(size)).boundingRect(area, flags, text)
            if need.height() <= area.height() and need.width() <= area.width() + 1:
                break
            size -= 1
        self.painter.save()
        self.painter.setClipRect(area)
        self.painter.setFont(face(size))
        self.painter.setPen(colour(shade or self.theme.ink))
        self.painter.drawText(area, flags, text)
        self.painter.restore()

    def value(self, area: QRectF, value: ValueText, *, is_strong: bool = True) -> QRectF:
        """Write a value as large as it fits, its unit small beside it, then its strokes; returns
        what it takes."""
        unit = f" {value.unit}" if value.unit else ""
        weight = BOLD if is_strong else MEDIUM
        # The unit is written at this share of the figure's size.
        share = 0.42 if len(value.unit) > 1 else 0.6
        most = max(area.height() * 0.95, 1.0)

        def widths(px: float) -> tuple[float, float, float]:
            figure = advance(value.text, max(LEAST_PX, int(px)), weight)
            small = advance(unit, max(LEAST_PX, int(px * share)), REGULAR)
            return figure, small, self._strokes_room(value.level, px)

        def fitting() -> float:
            whole = sum(widths(most))
            return most if whole <= area.width() else most * area.width() / whole

        size = fitting()
        if unit and sum(widths(size)) > area.width() + 1:
            # Too small for both: the figure goes before its unit.
            unit = ""
            size = fitting()
        figure_wide, unit_wide, _ = widths(size)
        px, small = max(LEAST_PX, int(size)), max(LEAST_PX, int(size * share))
        tall, ascent, cap = _heights(px, weight)
        top = area.top() + max(0.0, (area.height() - tall) / 2)
        base = top + ascent
        self._write(value.text, px, weight, area.left(), top, self.shade(value.level))
        if unit:
            _, under, _ = _heights(small, REGULAR)
            left = area.left() + figure_wide
            self._write(unit, small, REGULAR, left, base - under, self.theme.dim)
        right = area.left() + figure_wide + unit_wide
        if value.level is not Level.SETTLED:
            self.strokes(value.level, right + cap * 0.3, base - cap, cap)
            right += self._strokes_room(value.level, size)
        return QRectF(area.left(), base - cap, right - area.left(), cap)

    def _strokes_room(self, level: Level, px: float) -> float:
        if level is Level.SETTLED:
            return 0.0
        cap = px * 0.73
        return strokes_width(level, cap) + cap * 0.4

    def strokes(self, level: Level, x: float, y: float, height: float) -> None:
        """A level's strokes from their upper left corner."""
        draw_strokes(self.painter, self.theme, level, x, y, height)

    def fade(self, freshness: Freshness) -> None:
        """Ink fainter what is late, and fainter still what is silent."""
        self.painter.setOpacity(_OPACITY[freshness])


@lru_cache(4096)
def advance(text: str, size: int, weight: QFont.Weight) -> float:
    """Width of a text, pixels."""
    return QFontMetricsF(face(size, weight)).horizontalAdvance(text)


@lru_cache(512)
def _heights(size: int, weight: QFont.Weight) -> tuple[float, float, float]:
    """Height of a line, of what stands over its base line, of a capital."""
    metrics = QFontMetricsF(face(size, weight))
    return metrics.height(), metrics.ascent(), metrics.capHeight()


@lru_cache(2048)
def _laid_out(text: str, size: int, weight: QFont.Weight) -> QStaticText:
    made = QStaticText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.prepare(QTransform(), face(size, weight))
    return made


@lru_cache(64)
def _picture(text: str, size: int, weight: QFont.Weight, shade: str, ratio: float) -> QImage:
    """Letters so large that Qt keeps no picture of them and fills their outlines every time."""
    told = _laid_out(text, size, weight)
    tall, _, _ = _heights(size, weight)
    wide = max(advance(text, size, weight), told.size().width())
    image = QImage(
        math.ceil(wide * ratio) + 2,
        math.ceil(tall * ratio) + 2,
        QImage.Format.Format_ARGB32_Premultiplied,
    )
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(face(size, weight))
    painter.setPen(colour(shade))
    painter.drawStaticText(QPointF(0, 0), told)
    painter.end()
    return image

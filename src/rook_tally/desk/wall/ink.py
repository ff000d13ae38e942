"""What panes are inked with: text sized to its room, values with their strokes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter

from rook_tally.core.freshness import Freshness
from rook_tally.core.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import draw_strokes, strokes_width
from rook_tally.desk.parts.ink import BOLD, MEDIUM, REGULAR, colour, face
from rook_tally.wall.faces import Value

LEAST_PX = 8
"""Smaller letters cannot be read; what needs them is cut short instead."""
_OPACITY = {Freshness.FRESH: 1.0, Freshness.LATE: 0.65, Freshness.SILENT: 0.4}
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter


@dataclass(frozen=True, slots=True)
class Ink:
    """A painter with the theme, and the unit of all sizes: a pixel at the design size."""

    painter: QPainter
    theme: Theme
    unit: float

    def shade(self, level: Level, plain: str = "") -> str:
        """A level's colour; of what is settled the ink's, or another."""
        return self.theme.level(level) if level is not Level.SETTLED else plain or self.theme.ink

    def fitted(
        self, text: str, width: float, height: float, weight: QFont.Weight = REGULAR
    ) -> QFont:
        """The largest letters in which a text of one line fits."""
        size = max(height * 0.82, 1.0)
        wide = QFontMetricsF(face(round(max(size, LEAST_PX)), weight)).horizontalAdvance(text)
        if wide > width:
            size = max(size, LEAST_PX) * width / wide
        return face(max(LEAST_PX, int(size)), weight)

    def width(self, text: str, height: float) -> float:
        """How wide a line of this height is."""
        return QFontMetricsF(self.fitted(text, 1e9, height)).horizontalAdvance(text)

    def one_size(self, texts: Sequence[str], width: float, height: float) -> float:
        """How tall lines may be so that each of some texts fits a width: at most `height`, and
        no smaller than can be read from a way off; what is longer then is cut short."""
        widest = max((self.width(text, height) for text in texts), default=0.0)
        size = height if widest <= width else height * width / widest
        return max(size, min(height, 15 * self.unit))

    def text(
        self, area: QRectF, text: str, *, weight: QFont.Weight = REGULAR, shade: str = "",
        align: Qt.AlignmentFlag = LEFT, most: float = 1e9,
    ) -> float:  # fmt: skip
        """Write a line as large as its area lets it, at most `most` high; returns its width."""
        if area.width() <= 1 or area.height() <= 1 or not text:
            return 0.0
        height = min(area.height(), most)
        font = self.fitted(text, area.width(), height, weight)
        if font.pixelSize() < 0.5 * height:
            # Letters half as large as their neighbours say less than a name cut short.
            font = face(max(LEAST_PX, int(height * 0.5)), weight)
        self.painter.setFont(font)
        self.painter.setPen(colour(shade or self.theme.ink))
        metrics = QFontMetricsF(font)
        told = metrics.elidedText(text, Qt.TextElideMode.ElideRight, area.width() + 1)
        self.painter.drawText(area, align, told)
        return metrics.horizontalAdvance(told)

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

    def value(self, area: QRectF, value: Value, *, is_strong: bool = True) -> QRectF:
        """Write a value as large as it fits, its unit small beside it, then its strokes; returns
        what it takes."""
        unit = f" {value.unit}" if value.unit else ""
        weight = BOLD if is_strong else MEDIUM
        # The unit is written at this share of the figure's size.
        share = 0.42 if len(value.unit) > 1 else 0.6
        size = max(area.height() * 0.95, 1.0)

        def widths(px: float) -> tuple[float, float, float]:
            figure = QFontMetricsF(face(max(LEAST_PX, int(px)), weight))
            small = QFontMetricsF(face(max(LEAST_PX, int(px * share)), REGULAR))
            strokes = self._strokes_room(value.level, px)
            return figure.horizontalAdvance(value.text), small.horizontalAdvance(unit), strokes

        whole = sum(widths(size))
        if whole > area.width():
            size = size * area.width() / whole
        figure_wide, unit_wide, _ = widths(size)
        font = face(max(LEAST_PX, int(size)), weight)
        metrics = QFontMetricsF(font)
        top = area.top() + max(0.0, (area.height() - metrics.height()) / 2)
        base = top + metrics.ascent()
        painter = self.painter
        painter.setFont(font)
        painter.setPen(colour(self.shade(value.level)))
        painter.drawText(QPointF(area.left(), base), value.text)
        painter.setFont(face(max(LEAST_PX, int(size * share)), REGULAR))
        painter.setPen(colour(self.theme.dim))
        painter.drawText(QPointF(area.left() + figure_wide, base), unit)
        right = area.left() + figure_wide + unit_wide
        cap = metrics.capHeight()
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

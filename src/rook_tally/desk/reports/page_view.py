"""The pages of a report on the screen, one below the other."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QAccessible, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from rook_tally.core.reports.drawing import Box, Boxes, Item, Lines, Shape, Stroke, Text
from rook_tally.core.reports.paging import Page
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import BOLD, REGULAR, colour, face

_GAP = 18.0
_MOST_WIDE = 760
# Pages are drawn in pixels of 1/72 inch; a screen has 96 of them.
_POINTS_A_PIXEL = 72 / 96


class PagesWidget(QWidget):
    """Draws pages as paper: white in every theme, as they are printed."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.Document)
        self._theme = theme
        self.pages: tuple[Page, ...] = ()
        self._family = ""

    def show_pages(self, pages: tuple[Page, ...], family: str, spoken: str) -> None:
        """Show these from now on, in the letters they are laid out for."""
        self.pages, self._family = pages, family
        self.setAccessibleName(spoken)
        self.fit(self.width())
        self.update()

    @property
    def _scale(self) -> float:
        if not self.pages:
            return 1.0
        return max(0.3, min(self.width() - 2 * _GAP, _MOST_WIDE) / self.pages[0].width)

    def fit(self, width: int) -> None:
        """As high as all pages are at a width."""
        self.resize(width, self.height())
        height = sum(one.height * self._scale + _GAP for one in self.pages) + _GAP
        self.setMinimumHeight(round(height) if self.pages else 0)

    def sizeHint(self) -> QSize:
        """What it has."""
        return QSize(600, self.minimumHeight())

    def top_of(self, number: int) -> int:
        """Where a page begins, counted from 1."""
        if not self.pages:
            return 0
        return round((number - 1) * (self.pages[0].height * self._scale + _GAP))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the pages that are seen."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale, top = self._scale, _GAP
        for page in self.pages:
            area = QRectF(
                (self.width() - page.width * scale) / 2,
                top,
                page.width * scale,
                page.height * scale,
            )
            if area.toAlignedRect().intersects(event.rect()):
                painter.save()
                painter.setClipRect(area)
                painter.translate(area.topLeft())
                painter.scale(scale, scale)
                for item in page.items:
                    _draw(painter, item, self._family)
                painter.restore()
                painter.setPen(QPen(colour(self._theme.strong_rule), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(area)
            top += page.height * scale + _GAP


def _draw(painter: QPainter, item: Item, family: str) -> None:
    match item:
        case Box():
            painter.fillRect(
                QRectF(item.x, item.y, item.width, item.height), colour(item.fill, item.opacity)
            )
        case Boxes():
            told = item.rects
            rects = zip(told[::4], told[1::4], told[2::4], told[3::4], strict=True)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(item.fill, item.opacity))
            painter.drawRects([QRectF(*one) for one in rects])
            painter.setBrush(Qt.BrushStyle.NoBrush)
        case Lines():
            ends = zip(
                item.ends[::4], item.ends[1::4], item.ends[2::4], item.ends[3::4], strict=True
            )
            painter.setPen(QPen(colour(item.ink), item.thick))
            painter.drawLines([QLineF(*one) for one in ends])
        case Stroke():
            style = Qt.PenStyle.DashLine if item.dashed else Qt.PenStyle.SolidLine
            painter.setPen(QPen(colour(item.ink), item.thick, style))
            painter.drawPolyline(_polygon(item.points))
        case Shape():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(item.fill, item.opacity))
            painter.drawPolygon(_polygon(item.points))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        case Text():
            font = _font(item, family)
            painter.setFont(font)
            painter.setPen(colour(item.ink))
            x = item.x
            if item.side != "l":
                width = QFontMetricsF(font).horizontalAdvance(item.text)
                x -= width / 2 if item.side == "m" else width
            painter.drawText(QPointF(x, item.y), item.text)


def _font(item: Text, family: str) -> QFont:
    made = QFont(face(10, BOLD if item.is_strong else REGULAR))
    if family:
        made.setFamily(family)
    # As fine as sizes of letters are told: in pixels they are whole numbers.
    made.setPointSizeF(item.size * _POINTS_A_PIXEL)
    made.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    return made


def _polygon(points: tuple[float, ...]) -> QPolygonF:
    return QPolygonF([QPointF(points[at], points[at + 1]) for at in range(0, len(points) - 1, 2)])

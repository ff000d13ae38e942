"""The Ledger's cells, drawn: value, strokes, the last day as a ribbon.

A cell is inked once for as long as it says the same; a repaint lays down pictures. All cells that
have to be inked anew, fifty while the time rail is dragged, have their ribbons worked out together.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPen, QPixmap, QPolygonF

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import Theme
from rook_tally.desk.ledger.cell_view import Cell
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.parts.antialias import ribbon_strengths
from rook_tally.desk.parts.drawing import draw_strokes, peak_column
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face
from rook_tally.desk.parts.trace import tinted

# So many pixels of Qt's a ribbon's line may reach over its area.
_OVER = 2
_LEFT, _TOP, _RIBBON_TOP, _BELOW = 10, 10, 35, 43
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

Where = tuple[int, int]


ALSO_LEFT = 30
_LINE, _TALLEST_LINE = 15, 20


class CellPainter:
    """Pictures of cells, kept by where they stand. `on_painted` hears of every cell laid down."""

    def __init__(self, model: LedgerModel, theme: Theme) -> None:
        self._model, self._theme = model, theme
        self.on_painted: Callable[[int, int], None] | None = None
        self._inked_on = theme.sheet
        self._kept: dict[Where, tuple[Cell, QSize, float, QPixmap]] = {}

    def forget(self) -> None:
        """Rows or columns have changed: nothing stands where it stood."""
        self._kept.clear()

    def ink(self, shown: Sequence[tuple[Where, QSize]], ratio: float) -> None:
        """Ink those of the cells shown that say something new, or have another size."""
        if self._inked_on != self._theme.sheet:
            self._inked_on = self._theme.sheet
            self.forget()
        stale: list[tuple[Where, QSize, Cell]] = []
        for where, size in shown:
            cell = self._model.cell(*where)
            if cell is None:
                self._kept.pop(where, None)
                continue
            kept = self._kept.get(where)
            if kept is None or kept[0] is not cell or kept[1] != size or kept[2] != ratio:
                stale.append((where, size, cell))
        for where, size, cell, ribbon in self._with_ribbons(stale, ratio):
            self._kept[where] = (cell, size, ratio, self._picture(cell, size, ratio, ribbon))

    def _with_ribbons(
        self, stale: Sequence[tuple[Where, QSize, Cell]], ratio: float
    ) -> list[tuple[Where, QSize, Cell, QImage | None]]:
        """Each with its ribbon; those of one size are worked out together."""
        by_size: dict[tuple[int, int, int], list[int]] = {}
        for at, (_, size, cell) in enumerate(stale):
            if cell.ribbon is not None and not cell.ribbon.is_empty:
                key = (size.width(), size.height(), len(cell.ribbon))
                by_size.setdefault(key, []).append(at)
        ribbons: dict[int, QImage] = {}
        for (width, height, _), places in by_size.items():
            told = [stale[at][2] for at in places]
            inset = round(_OVER * ratio)
            pixels = (
                round((width - 2 * _LEFT) * ratio) + 2 * inset,
                max(4, round((height - _BELOW) * ratio)) + 2 * inset,
            )
            means = np.array([one.ribbon.mean for one in told if one.ribbon is not None])
            ranges = np.array([one.value_range for one in told])
            inked = ribbon_strengths(
                means, ranges[:, 0], ranges[:, 1], pixels, thickness=1.3 * ratio, inset=inset
            )
            for at, one, strength in zip(places, told, inked, strict=True):
                ribbons[at] = tinted(strength, self._ribbon_shade(one), ratio)
        return [(*one, ribbons.get(at)) for at, one in enumerate(stale)]

    def _ribbon_shade(self, cell: Cell) -> QColor:
        level = _level_shown(cell)
        name = self._theme.level(level) if level else self._theme.ribbon
        return colour(name, 1.0 if cell.freshness.is_telling else 0.55)

    def lay(self, painter: QPainter, where: Where, rect: QRect, *, is_current: bool) -> None:
        """Lay down an inked cell."""
        kept = self._kept.get(where)
        if kept is not None:
            painter.drawPixmap(rect.topLeft(), kept[3])
        if is_current:
            painter.setPen(QPen(colour(self._theme.sheen), 2))
            painter.drawRect(QRectF(rect).adjusted(1, 1, -2, -2))
        if self.on_painted is not None and kept is not None:
            self.on_painted(*where)

    def _picture(self, cell: Cell, size: QSize, ratio: float, ribbon: QImage | None) -> QPixmap:
        theme = self._theme
        picture = QPixmap(size * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(colour(theme.sheet))
        painter = QPainter(picture)
        rect = QRect(0, 0, size.width(), size.height())
        if cell.lines:
            self._write_lines(painter, cell, rect)
            painter.end()
            return picture
        level = _level_shown(cell)
        if level >= Level.RAISED:
            painter.fillRect(rect.adjusted(1, 0, -2, -1), colour(theme.tint(level)))
        if cell.freshness is Freshness.MAINTAINED:
            hatch(painter, theme, rect.adjusted(1, 0, -2, -1))
        draw_rule(painter, theme, rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_strokes(painter, theme, level, _LEFT, _TOP, 14)
        if cell.alarm is not None:
            self._notch(painter, cell.alarm, rect)
        self._write(painter, cell, rect)
        if ribbon is not None:
            area = QRectF(_LEFT, _RIBBON_TOP, rect.width() - 2 * _LEFT, rect.height() - _BELOW)
            painter.drawImage(QPointF(area.left() - _OVER, area.top() - _OVER), ribbon)
            self._mark(painter, cell, area)
        painter.end()
        return picture

    def _write_lines(self, painter: QPainter, cell: Cell, rect: QRect) -> None:
        """What else a place tells: strokes, name and value, a line each; more are counted."""
        theme = self._theme
        draw_rule(painter, theme, rect)
        room, high = also_room(rect.height(), len(cell.lines))
        for at, line in enumerate(cell.lines[:room]):
            top = 3 + at * high
            area = QRect(ALSO_LEFT, top, rect.width() - ALSO_LEFT - 10, high)
            if line.level >= Level.RAISED:
                painter.fillRect(
                    QRect(1, top, rect.width() - 3, high), colour(theme.tint(line.level))
                )
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if line.level:
                draw_strokes(painter, theme, line.level, _LEFT, top + 2, high - 5)
            painter.setFont(face(12, MEDIUM))
            ink = theme.dim if line.is_faint else theme.ink
            if line.alarm is not None:
                ink = theme.level(max(line.alarm, Level.NOTICED))
            painter.setPen(colour(ink))
            painter.drawText(area, _RIGHT_MIDDLE, line.value)
            left = painter.fontMetrics().horizontalAdvance(line.value) + 8
            painter.setFont(face(12))
            painter.setPen(colour(theme.dim))
            is_last = at == room - 1 and room < len(cell.lines)
            more = f" +{len(cell.lines) - room}" if is_last else ""
            left += painter.fontMetrics().horizontalAdvance(more)
            name = painter.fontMetrics().elidedText(
                line.name, Qt.TextElideMode.ElideRight, area.width() - left
            )
            painter.drawText(area, _LEFT_MIDDLE, name + more)

    def _notch(self, painter: QPainter, level: Level, rect: QRect) -> None:
        """A corner turned down: something stands of it."""
        right = float(rect.right()) - 1
        corners = [QPointF(right - 13, 0.0), QPointF(right, 0.0), QPointF(right, 13.0)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(self._theme.level(max(level, Level.NOTICED))))
        painter.drawPolygon(QPolygonF(corners))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _write(self, painter: QPainter, cell: Cell, rect: QRect) -> None:
        """The figure, and how many more stations tell it."""
        theme = self._theme
        is_faint = not cell.freshness.is_telling or cell.is_suspect
        painter.setFont(face(20, MEDIUM))
        # Faint is too faint to be read (2.6 : 1); dim is 4.5 and more.
        painter.setPen(colour(theme.dim if is_faint else theme.ink))
        # The figure stays inside the cell whatever its length.
        text = cell.text if not cell.is_suspect else f"({cell.text})"
        if painter.fontMetrics().horizontalAdvance(text) > rect.width() - 30:
            painter.setFont(face(16, MEDIUM))
        painter.drawText(rect.adjusted(0, 4, -10, 4 - rect.height() + 26), _RIGHT, text)
        if cell.within:
            taken = painter.fontMetrics().horizontalAdvance(text) + 14
            painter.setFont(face(10))
            painter.setPen(colour(theme.dim))
            beside = rect.adjusted(0, 7, -taken, 7 - rect.height() + 26)
            painter.drawText(beside, _RIGHT, cell.within)
        if cell.is_off:
            # Two sensors that do not say the same.
            painter.setFont(face(12, MEDIUM))
            painter.setPen(colour(theme.sheen))
            spot = rect.adjusted(40, 8, -rect.width() + 58, 8 - rect.height() + 18)
            painter.drawText(spot, Qt.AlignmentFlag.AlignLeft, "≠")
        if cell.others:
            painter.setFont(face(10))
            painter.setPen(colour(theme.faint))
            painter.drawText(
                rect.adjusted(20, 8, -rect.width() + 44, 8 - rect.height() + 18),
                Qt.AlignmentFlag.AlignLeft,
                f"+{cell.others}",
            )

    def _mark(self, painter: QPainter, cell: Cell, area: QRectF) -> None:
        """The ribbon's peak ticked, the limit dotted where it is in range."""
        assert cell.ribbon is not None
        shade = self._ribbon_shade(cell)
        low, high = cell.value_range

        def y_of(value: float) -> float:
            return area.bottom() - (value - low) / (high - low) * area.height()

        if cell.limit is not None and low < cell.limit < high:
            painter.setPen(QPen(shade, 1, Qt.PenStyle.DotLine))
            y = y_of(cell.limit)
            painter.drawLine(QLineF(area.left(), y, area.right(), y))
        peak = peak_column(cell.ribbon)
        if peak is not None:
            x = area.left() + (peak + 0.5) * area.width() / len(cell.ribbon)
            top = y_of(float(cell.ribbon.mean[peak]))
            painter.setPen(QPen(shade, 1))
            painter.drawLine(QLineF(x, top - 6, x, top - 2.5))


def also_room(height: int, count: int) -> tuple[int, int]:
    """Lines that fit into a last cell, and the height of each, pixels."""
    room = max(1, min(count, (height - 4) // _LINE))
    return room, min(_TALLEST_LINE, (height - 4) // room)


def also_line_at(y: int, height: int, count: int) -> int | None:
    """The line of a last cell that lies so far below its top; None between them."""
    if not count:
        return None
    room, high = also_room(height, count)
    line = (y - 3) // high
    return line if 0 <= line < room else None


_RIGHT_MIDDLE = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT_MIDDLE = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


def _level_shown(cell: Cell) -> Level:
    return Level.SETTLED if cell.is_suspect else cell.level


def hatch(painter: QPainter, theme: Theme, rect: QRect) -> None:
    """Fine slanting lines: what lies under them is under maintenance."""
    painter.fillRect(rect, QBrush(colour(theme.rule), Qt.BrushStyle.BDiagPattern))


def draw_rule(painter: QPainter, theme: Theme, rect: QRect) -> None:
    """The hairline under a row."""
    painter.setPen(QPen(colour(theme.rule), 1))
    y = rect.bottom() + 0.5
    painter.drawLine(QLineF(rect.left(), y, rect.right() + 1, y))

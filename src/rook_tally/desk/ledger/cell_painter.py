"""The Ledger's cells, drawn: value, strokes, the last day as a ribbon.

A cell is inked once for as long as it says the same, into the picture of its row; a repaint lays
down rows. All cells that have to be inked anew, fifty while the time rail is dragged, have their
ribbons worked out together.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import groupby
from typing import NamedTuple, TypeAlias

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPixmap, QPolygonF, QTransform

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import Theme
from rook_tally.desk.ledger.cell_view import Cell
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.parts.antialias import ribbon_strengths
from rook_tally.desk.parts.drawing import draw_strokes
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face, pen
from rook_tally.desk.parts.trace import tinted_together

# So many pixels of Qt's a ribbon's line may reach over its area.
_OVER = 2
_LEFT, _TOP, _RIBBON_TOP, _BELOW = 10, 10, 35, 43
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

# Where each column of a whole row begins, and how wide it is.
Spans: TypeAlias = tuple[tuple[int, int], ...]
_MOST_ROWS = 80
# A figure of so many signs has room in the narrowest column.
_FITS = 4


ALSO_LEFT = 30
_LINE, _TALLEST_LINE = 15, 20


class _Ribbon(NamedTuple):
    """A ribbon as a picture, and the column that holds its highest reading."""

    image: QImage
    peak: int


@dataclass(slots=True, eq=False)
class _RowPicture:
    """The cells of a row side by side, and which ones they are, by column; `is_sketch` while their
    ribbons are still to come."""

    spans: Spans
    height: int
    picture: QPixmap
    is_sketch: bool = False
    cells: dict[int, Cell] = field(default_factory=dict)


class _Stale(NamedTuple):
    """Names a cell that has to be inked: its row, its rectangle there, the cell (None where the row
    no longer has one), and whether the rectangle is still blank."""

    row: _RowPicture
    area: QRect
    cell: Cell | None
    is_blank: bool


class CellPainter:
    """Pictures of rows, kept for as long as their cells say the same. `on_painted` hears of every
    cell laid down."""

    def __init__(self, model: LedgerModel, theme: Theme) -> None:
        self._model, self._theme = model, theme
        self.on_painted: Callable[[int, int], None] | None = None
        self._inked_on = theme.sheet
        # So many rows are kept; whoever shows more at once says so.
        self.most_rows = _MOST_ROWS
        self._kept: dict[int, _RowPicture] = {}

    def forget(self) -> None:
        """Rows or columns have changed: nothing stands where it stood."""
        self._kept.clear()

    def ink(
        self,
        rows: Sequence[tuple[int, int]],
        columns: Sequence[int],
        spans: Spans,
        ratio: float,
        *,
        sketches: bool = False,
    ) -> bool:
        """Ink those of these cells that say something new, or stand elsewhere; True if there were
        any.

        Parameters
        ----------
        rows : their numbers and heights
        columns : their numbers
        spans : where each column of the whole row begins, and how wide it is
        sketches : rows that are new go without their ribbons, which take longest, for now
        """
        if self._inked_on != self._theme.sheet:
            self._inked_on = self._theme.sheet
            self.forget()
        stale: list[_Stale] = []
        for row, height in rows:
            kept = self._row(row, height, spans, ratio)
            if sketches and not kept.cells:
                kept.is_sketch = True
            is_finished = kept.is_sketch and not sketches
            # A row is finished whole: a column may be out of sight by now.
            for column in sorted({*columns, *kept.cells}) if is_finished else columns:
                cell, before = self._model.cell(row, column), kept.cells.get(column)
                if cell is before and not (is_finished and cell is not None):
                    continue
                area = QRect(spans[column][0], 0, spans[column][1], height)
                stale.append(_Stale(kept, area, cell, is_blank=before is None))
                if cell is None:
                    del kept.cells[column]
                else:
                    kept.cells[column] = cell
            kept.is_sketch = kept.is_sketch and sketches
        ribbons = self._ribbons([one for one in stale if not one.row.is_sketch], ratio)
        for kept, several in groupby(stale, key=lambda one: one.row):
            painter = QPainter(kept.picture)
            for one in several:
                self._draw(painter, one, ribbons.get(id(one)))
            painter.end()
        while len(self._kept) > max(self.most_rows, len(rows)):
            del self._kept[next(iter(self._kept))]
        return bool(stale)

    def _row(self, row: int, height: int, spans: Spans, ratio: float) -> _RowPicture:
        """The picture of a row, blank where it stood otherwise; the one seen last goes last."""
        kept = self._kept.pop(row, None)
        if (
            kept is None
            or kept.spans != spans
            or kept.height != height
            or kept.picture.devicePixelRatio() != ratio
        ):
            left, width = spans[-1]
            picture = QPixmap(QSize(left + width, height) * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(colour(self._theme.sheet))
            painter = QPainter(picture)
            draw_rule(painter, self._theme, QRect(0, 0, left + width, height))
            painter.end()
            kept = _RowPicture(spans, height, picture)
        self._kept[row] = kept
        return kept

    def _ribbons(self, stale: Sequence[_Stale], ratio: float) -> dict[int, _Ribbon]:
        """The ribbons of cells, by the id of what is stale; those of one size are worked out
        together."""
        by_size: dict[tuple[int, int, int], list[_Stale]] = {}
        for one in stale:
            if (
                one.cell is not None
                and one.cell.ribbon is not None
                and not one.cell.ribbon.is_empty
            ):
                key = (one.area.width(), one.area.height(), len(one.cell.ribbon))
                by_size.setdefault(key, []).append(one)
        ribbons: dict[int, _Ribbon] = {}
        for (width, height, _), several in by_size.items():
            cells = [one.cell for one in several if one.cell is not None]
            envelopes = [cell.ribbon for cell in cells if cell.ribbon is not None]
            inset = round(_OVER * ratio)
            pixels = (
                round((width - 2 * _LEFT) * ratio) + 2 * inset,
                max(4, round((height - _BELOW) * ratio)) + 2 * inset,
            )
            ranges = np.array([one.value_range for one in cells])
            inked = ribbon_strengths(
                np.array([one.mean for one in envelopes]),
                ranges[:, 0],
                ranges[:, 1],
                pixels,
                thickness=1.3 * ratio,
                inset=inset,
            )
            peaks = np.nanargmax(np.array([one.high for one in envelopes]), axis=1).tolist()
            images = tinted_together(inked, [self._ribbon_shade(one) for one in cells], ratio)
            ribbons.update(zip(map(id, several), map(_Ribbon, images, peaks), strict=True))
        return ribbons

    def _ribbon_tone(self, cell: Cell) -> tuple[str, float]:
        level = _level_shown(cell)
        name = self._theme.level(level) if level else self._theme.ribbon
        return name, 1.0 if cell.freshness.is_telling else 0.55

    def _ribbon_shade(self, cell: Cell) -> QColor:
        return colour(*self._ribbon_tone(cell))

    def lay(self, painter: QPainter, row: int, left: int, top: int, columns: Sequence[int]) -> None:
        """Lay down an inked row, of which these columns are in sight."""
        kept = self._kept.get(row)
        if kept is None:
            return
        painter.drawPixmap(left, top, kept.picture)
        for column in columns:
            # Who hears of it may have heard enough by the one before.
            if column in kept.cells and self.on_painted is not None:
                self.on_painted(row, column)

    def frame(self, painter: QPainter, rect: QRect) -> None:
        """Frame the current cell."""
        painter.setPen(pen(self._theme.sheen, 2))
        painter.drawRect(QRectF(rect).adjusted(1, 1, -2, -2))

    def _draw(self, painter: QPainter, one: _Stale, ribbon: _Ribbon | None) -> None:
        """Draw a cell into its row."""
        theme, cell = self._theme, one.cell
        rect = QRect(0, 0, one.area.width(), one.area.height())
        painter.setTransform(QTransform.fromTranslate(one.area.left(), 0))
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        if not one.is_blank:
            painter.fillRect(rect, colour(theme.sheet))
            draw_rule(painter, theme, rect)
        if cell is None:
            return
        if cell.lines:
            self._write_lines(painter, cell, rect)
            return
        level = _level_shown(cell)
        if level >= Level.RAISED:
            painter.fillRect(rect.adjusted(1, 0, -2, -1), colour(theme.tint(level)))
        if cell.freshness is Freshness.MAINTAINED:
            hatch(painter, theme, rect.adjusted(1, 0, -2, -1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_strokes(painter, theme, level, _LEFT, _TOP, 14)
        if cell.alarm is not None:
            self._notch(painter, cell.alarm, rect)
        self._write(painter, cell, rect)
        if ribbon is not None:
            area = QRectF(_LEFT, _RIBBON_TOP, rect.width() - 2 * _LEFT, rect.height() - _BELOW)
            painter.drawImage(QPointF(area.left() - _OVER, area.top() - _OVER), ribbon.image)
            self._mark(painter, cell, area, ribbon.peak)

    def _write_lines(self, painter: QPainter, cell: Cell, rect: QRect) -> None:
        """What else a place tells: strokes, name and value, a line each; more are counted."""
        theme = self._theme
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
        # Few figures fit into every cell: they need not be measured.
        if len(text) > _FITS and painter.fontMetrics().horizontalAdvance(text) > rect.width() - 30:
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

    def _mark(self, painter: QPainter, cell: Cell, area: QRectF, peak: int) -> None:
        """The ribbon's peak ticked, the limit dotted where it is in range."""
        assert cell.ribbon is not None
        name, opacity = self._ribbon_tone(cell)
        low, high = cell.value_range

        def y_of(value: float) -> float:
            return area.bottom() - (value - low) / (high - low) * area.height()

        if cell.limit is not None and low < cell.limit < high:
            painter.setPen(pen(name, 1, opacity, Qt.PenStyle.DotLine))
            y = y_of(cell.limit)
            painter.drawLine(QLineF(area.left(), y, area.right(), y))
        x = area.left() + (peak + 0.5) * area.width() / len(cell.ribbon)
        top = y_of(float(cell.ribbon.mean[peak]))
        painter.setPen(pen(name, 1, opacity))
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
    painter.setPen(pen(theme.rule, 1))
    y = rect.bottom() + 0.5
    painter.drawLine(QLineF(rect.left(), y, rect.right() + 1, y))

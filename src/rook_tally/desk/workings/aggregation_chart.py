"""Ways of adding up over the same days, and why the score is what it is at the cursor."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from rook_tally.core.formulas.scoring import Composite
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.theme import Theme
from rook_tally.core.workings.binding import SCORE_LIMITS
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.day_chart import bands_of
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.workings.draft_score import WhyPart
from rook_tally.desk.workings.texts import tr
from rook_tally.desk.workings.traces import HOURS_ROOM, HourMarks, write_hours

_HEAD = 24


class AggregationChart(QWidget):
    """Scores over the window, one line a way; drag or use the arrows to move the cursor, which is
    sent as 0…1 by `moved`."""

    moved = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.Chart)
        self._theme = theme
        self._ways: list[tuple[str, Composite]] = []
        self._parted: list[tuple[float, float]] = []
        self._words, self._title = "", ""
        self._cursor = 1.0
        self._hours: HourMarks = ()
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("scores over the window"))

    def show_ways(
        self,
        ways: list[tuple[str, Composite]],
        title: str,
        words: str,
        parted: list[tuple[float, float]],
        cursor: float,
        hours: HourMarks = (),
    ) -> None:
        """Show these; `parted` are stretches of the width, 0…1, in which they disagree."""
        self._ways, self._title, self._words = ways, title, words
        self._parted, self._cursor, self._hours = parted, cursor, hours
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw them."""
        theme = self._theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(face(13, BOLD))
        painter.setPen(colour(theme.ink))
        head = QRectF(0, 0, self.width(), _HEAD)
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, self._title)
        painter.setFont(face(12))
        painter.setPen(colour(theme.traces[1] if self._parted else theme.dim))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(head, right, self._words)
        plot = QRectF(0, _HEAD, self.width(), self.height() - _HEAD - HOURS_ROOM)

        def y_of(score: float) -> float:
            return plot.bottom() - score / 100 * plot.height()

        for band in bands_of(SCORE_LIMITS, (0.0, 100.0)):
            painter.fillRect(
                QRectF(0, y_of(band.high), plot.width(), y_of(band.low) - y_of(band.high)),
                colour(theme.level(band.level), 0.10),
            )
        for start, end in self._parted:
            painter.fillRect(
                QRectF(
                    start * plot.width(),
                    plot.top(),
                    max((end - start) * plot.width(), 1),
                    plot.height(),
                ),
                colour(theme.level(Level.RAISED), 0.16),
            )
        for at, (name, told) in enumerate(self._ways):
            self._draw_way(painter, plot, name, told, at)
        x = self._cursor * (plot.width() - 1)
        painter.setPen(QPen(colour(theme.sheen), 1.6 if self.hasFocus() else 1))
        painter.drawLine(QLineF(x, plot.top(), x, plot.bottom()))
        write_hours(painter, theme, self._hours, plot.width(), self.size())

    def _draw_way(
        self, painter: QPainter, plot: QRectF, name: str, told: Composite, at: int
    ) -> None:
        shade = colour(self._theme.traces[at % len(self._theme.traces)])
        score = told.score
        known = np.flatnonzero(np.isfinite(score))
        if not len(known):
            return
        x = np.arange(len(score)) / max(len(score) - 1, 1) * plot.width()
        y = plot.bottom() - score / 100 * plot.height()
        painter.setPen(QPen(shade, 1.6))
        for part in np.split(known, np.flatnonzero(np.diff(known) > 1) + 1):
            points = [
                QPointF(*pair) for pair in zip(x[part].tolist(), y[part].tolist(), strict=True)
            ]
            painter.drawPolyline(QPolygonF(points))
        painter.setFont(face(11, BOLD))
        # Together in a corner: at the lines' beginnings they would often lie on one another.
        left = 8 + 20.0
        top = plot.bottom() - 18 - 17 * (len(self._ways) - 1 - at)
        painter.drawLine(QLineF(8, top + 7, 22, top + 7))
        painter.drawText(QRectF(left, top, 240, 14), Qt.AlignmentFlag.AlignVCenter, name)

    def _move_to(self, x: float) -> None:
        self.moved.emit(min(max(x / max(self.width() - 1, 1), 0.0), 1.0))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Put the cursor there."""
        self._move_to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it along."""
        self._move_to(event.position().x())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move it by a step."""
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.moved.emit(min(max(self._cursor + step, 0.0), 1.0))


class WhyBar(QWidget):
    """Points that each input takes away: bars as long as what they cost, the worst first."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._title = ""
        self._parts: list[WhyPart] = []
        self.setFixedHeight(26)
        self.setMinimumWidth(360)

    def show_parts(self, title: str, parts: list[WhyPart]) -> None:
        """Show these."""
        self._title, self._parts = title, parts
        self.setAccessibleName(title)
        told = ", ".join(f"{one.name} {figure(-one.loss, 0)}" for one in parts)
        self.setAccessibleDescription(told)
        self.update()

    @property
    def told(self) -> str:
        """The bars in words."""
        return self.accessibleDescription()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw them."""
        theme = self._theme
        painter = QPainter(self)
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        left = painter.fontMetrics().horizontalAdvance(self._title) + 16.0
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, 0, left, self.height()), middle, self._title)
        texts = [f"{one.name}  {figure(-one.loss, 0)}" for one in self._parts]
        widths = [painter.fontMetrics().horizontalAdvance(text) + 20.0 for text in texts]
        room = max(self.width() - left - sum(widths), 0.0)
        losses = sum(max(one.loss, 0.0) for one in self._parts) or 1.0
        shades = (theme.level(Level.HIGH), theme.level(Level.RAISED), theme.level(Level.NOTICED))
        for at, (one, text, width) in enumerate(zip(self._parts, texts, widths, strict=True)):
            whole = width + room * max(one.loss, 0.0) / losses
            shade = shades[at] if at < len(shades) and one.loss >= 0.5 else theme.ribbon
            painter.fillRect(QRectF(left, 2, whole - 2, self.height() - 4), colour(shade, 0.22))
            painter.fillRect(QRectF(left, 2, 3, self.height() - 4), colour(shade))
            painter.drawText(QRectF(left + 9, 0, whole, self.height()), middle, text)
            left += whole

"""Lanes under one another: a formula's result, and under it what it rests on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, tzinfo
from typing import TypeAlias

import numpy as np
from PySide6.QtCore import QLineF, QRectF, QSize, Qt
from PySide6.QtGui import QAccessible, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.theme import Theme
from rook_tally.core.ticks import time_ticks, value_ticks
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.day_chart import bands_of, draw_gaps
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.workings.texts import tr

_LABEL = 20
_LEAST = 46
_SCALE_ROOM = 52
HOURS_ROOM = 18
"""What the hours take at a chart's foot, px."""
_MOST_TICKS = 9

HourMarks: TypeAlias = tuple[tuple[float, str], ...]
"""Where along a window, 0…1, which round moments are."""


def hours_of(start_us: int, end_us: int, zone: tzinfo) -> HourMarks:
    """The round moments of a window, as the clocks of a zone show them."""
    return tuple(
        ((one.time_us - start_us) / (end_us - start_us), one.label)
        for one in time_ticks(start_us, end_us, zone, _MOST_TICKS)
    )


def write_hours(
    painter: QPainter, theme: Theme, hours: HourMarks, span: float, chart: QSize
) -> None:
    """Write them at a chart's foot, along the part of its width that the window spans; one that its
    edges would cut is left out."""
    painter.setFont(face(11))
    painter.setPen(colour(theme.dim))
    for share, label in hours:
        half = painter.fontMetrics().horizontalAdvance(label) / 2 + 1
        where = QRectF(share * span - half, chart.height() - HOURS_ROOM, 2 * half, HOURS_ROOM)
        if where.left() >= 0 and where.right() <= chart.width():
            painter.drawText(where, Qt.AlignmentFlag.AlignCenter, label)


@dataclass(frozen=True, slots=True)
class LaneTrace:
    """One lane: its name, what is drawn in it, how much taller than an ordinary one it is."""

    name: str
    value: str
    envelope: Envelope
    shown: DisplayUnit
    share: float = 1.0


class TracesChart(QWidget):
    """Draws lanes over one window."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        give_role(self, QAccessible.Role.Chart)
        self._theme = theme
        self._lanes: tuple[LaneTrace, ...] = ()
        self._is_stale = False
        self._hours: HourMarks = ()
        self.setMinimumHeight(180)
        self.setAccessibleName(tr("what the formula comes to"))

    def show_lanes(
        self, lanes: tuple[LaneTrace, ...], *, zone: tzinfo = UTC, is_stale: bool = False
    ) -> None:
        """Show these, with the hours of a zone under them; `is_stale` when they are of an earlier
        formula."""
        self._lanes, self._is_stale = lanes, is_stale
        if lanes:
            self._hours = hours_of(lanes[0].envelope.start_us, lanes[0].envelope.end_us, zone)
        told = ", ".join(f"{one.name} {one.value}" for one in lanes)
        self.setAccessibleDescription(told)
        self.update()

    @property
    def lanes(self) -> tuple[LaneTrace, ...]:
        """The lanes drawn."""
        return self._lanes

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw them."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour(self._theme.sheet))
        painter.setOpacity(0.35 if self._is_stale else 1.0)
        room = self.height() - _LABEL * len(self._lanes) - HOURS_ROOM
        shares = sum(one.share for one in self._lanes)
        top = 0.0
        for one in self._lanes:
            height = max(_LEAST, room * one.share / max(shares, 1e-9))
            if top + _LABEL + _LEAST > self.height() - HOURS_ROOM:
                break
            self._draw(painter, one, QRectF(0, top, self.width(), height + _LABEL))
            top += height + _LABEL
        if self._lanes:
            span = self.width() - _SCALE_ROOM
            write_hours(painter, self._theme, self._hours, span, self.size())

    def _draw(self, painter: QPainter, lane: LaneTrace, area: QRectF) -> None:
        theme = self._theme
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        head = QRectF(area.left(), area.top(), area.width(), _LABEL)
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, lane.name)
        painter.drawText(
            head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, lane.value
        )
        plot = QRectF(
            area.left(), area.top() + _LABEL, area.width() - _SCALE_ROOM, area.height() - _LABEL - 6
        )
        painter.setPen(QPen(colour(theme.rule), 1))
        painter.drawLine(QLineF(plot.left(), plot.bottom(), area.right(), plot.bottom()))
        envelope = lane.envelope
        if envelope.is_empty:
            painter.setFont(face(12))
            painter.setPen(colour(theme.dim))
            painter.drawText(
                plot, Qt.AlignmentFlag.AlignCenter, tr("There is nothing of it in this window.")
            )
            return
        low, high = float(np.nanmin(envelope.low)), float(np.nanmax(envelope.high))
        low, high = honest_range(low, high, lane.shown.quantity.accuracy)
        height = high - low

        def y_of(value: float) -> float:
            return plot.bottom() - (value - low) / height * plot.height()

        for band in bands_of(lane.shown.quantity.limits, (low, high)):
            painter.fillRect(
                QRectF(
                    plot.left(), y_of(band.high), plot.width(), y_of(band.low) - y_of(band.high)
                ),
                colour(theme.level(band.level), 0.12),
            )
        draw_gaps(painter, theme, envelope, plot)
        ratio = self.devicePixelRatioF()
        image = trace_image(
            envelope,
            (low, high),
            (round(plot.width() * ratio), round(plot.height() * ratio)),
            colour(theme.traces[0] if lane.share > 1 else theme.traces[4]),
            ratio=ratio,
            thickness=1.3 * ratio,
        )
        if image is not None:
            painter.drawImage(plot.topLeft(), image)
        self._write_scale(painter, lane, plot, (low, high))

    def _write_scale(
        self, painter: QPainter, lane: LaneTrace, plot: QRectF, value_range: tuple[float, float]
    ) -> None:
        painter.setFont(face(11))
        painter.setPen(colour(self._theme.dim))
        low, high = (lane.shown.value(one) for one in value_range)
        for tick in value_ticks(min(low, high), max(low, high), 3 if lane.share > 1 else 1):
            y = plot.bottom() - (tick - low) / (high - low) * plot.height()
            painter.drawText(
                QRectF(plot.right() + 6, y - 8, _SCALE_ROOM - 6, 16),
                Qt.AlignmentFlag.AlignVCenter,
                f"{tick:g}".replace("-", "−"),
            )

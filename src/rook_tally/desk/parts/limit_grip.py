"""The hand on a chart's limits: a line is taken hold of on the axis, dragged, and let go."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QMouseEvent, QPainter
from PySide6.QtWidgets import QWidget

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.theme import Theme
from rook_tally.desk.data.limit_drag import LimitDrag, LimitLine, lines_of, stepped, with_line_at
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.store.site import Series

_REACH = 5.0
# By then what was saved has been read back, if it still stands.
_READ_WITHIN_MS = 2_000


class LimitChart(Protocol):
    """A chart with limits on it, its values from the bottom to the top."""

    @property
    def limits_drawn(self) -> tuple[Limits, tuple[float, float], DisplayUnit | None]:
        """The limits, the lowest and the highest value, and the unit they are written in."""
        ...

    def draw_limits(self, limits: Limits) -> None:
        """Draw these instead."""
        ...


class LimitGrip:
    """Takes the mouse of a chart while a line is dragged.

    `left`, `right` bound the axis: pixels from the chart's left edge, negative from its right one.
    """

    def __init__(
        self, chart: QWidget, limits: LimitChart, drag: LimitDrag, left: int, right: int
    ) -> None:
        self._chart, self._limits, self._drag = chart, limits, drag
        self._left, self._right = left, right
        self._is_gone = False
        chart.destroyed.connect(self._on_gone)
        self._series: Series | None = None
        self._line: LimitLine | None = None
        self._began: Limits | None = None
        # What is drawn until the store has it.
        self.draft: Limits | None = None

    @property
    def is_held(self) -> bool:
        """True while a line is dragged."""
        return self._line is not None

    @property
    def series(self) -> Series | None:
        """The series whose limits are dragged; None lets nothing be dragged."""
        return self._series

    @series.setter
    def series(self, series: Series | None) -> None:
        if series is None or self._series is None or series.id != self._series.id:
            self.draft = self._line = None
        self._series = series

    def _on_gone(self) -> None:
        self._is_gone = True

    def _update(self) -> None:
        # Lanes are built anew when the site changes, also under a hand.
        if not self._is_gone:
            self._chart.update()

    def _forget(self) -> None:
        """Draw what is in force again: it was not saved."""
        if self.draft is not None and self._began is not None and not self._is_gone:
            self._limits.draw_limits(self._began)
        self.draft = None

    def _expire_soon(self) -> None:
        """Once it is saved, what is read is what is in force, also where it was undone before
        anybody read it: then that is what was drawn at the beginning."""
        saved = self.draft

        def expire() -> None:
            if saved is None or self.draft is not saved or self.is_held or self._is_gone:
                return
            self.draft = None
            if self._series is not None:
                self._limits.draw_limits(self._series.limits)

        QTimer.singleShot(_READ_WITHIN_MS, self._chart, expire)

    def kept(self, limits: Limits) -> Limits:
        """The limits to draw where these were read: the draft until it is in the store."""
        if self.draft is not None and not self.is_held and limits != self._began:
            self.draft = None
        return limits if self.draft is None else self.draft

    def _on_axis(self, x: float) -> bool:
        wide = self._chart.width()
        left, right = (one if one >= 0 else wide + one for one in (self._left, self._right))
        return left <= x <= right

    def _line_at(self, event: QMouseEvent) -> LimitLine | None:
        limits, _, shown = self._limits.limits_drawn
        if self.series is None or shown is None or not self._on_axis(event.position().x()):
            return None
        near = [
            (abs(self._y_of(value) - event.position().y()), line)
            for line, value in lines_of(limits)
        ]
        best = min(near, key=lambda one: one[0], default=(_REACH + 1, None))
        return best[1] if best[0] <= _REACH else None

    def _y_of(self, value: float) -> float:
        _, (low, high), _ = self._limits.limits_drawn
        return self._chart.height() * (1 - (value - low) / (high - low))

    def press(self, event: QMouseEvent) -> bool:
        """True if a line was taken hold of."""
        line = self._line_at(event) if event.button() is Qt.MouseButton.LeftButton else None
        if line is None or self.series is None:
            return False
        self._line, self._began = line, self._limits.limits_drawn[0]
        self._drag.on_answer = self._update
        self._drag.on_refused = self._forget
        self._drag.on_saved = self._expire_soon
        self._drag.begin(self.series)
        return True

    def move(self, event: QMouseEvent) -> bool:
        """True if a line follows the mouse; the cursor shows where one can be taken."""
        if self._line is None:
            if self._line_at(event) is not None:
                self._chart.setCursor(Qt.CursorShape.SizeVerCursor)
            else:
                self._chart.unsetCursor()
            return False
        limits, value_range, shown = self._limits.limits_drawn
        if shown is not None:
            low, high = value_range
            share = 1 - event.position().y() / max(self._chart.height(), 1)
            value = stepped(low + share * (high - low), value_range, shown)
            self.draft = with_line_at(limits, self._line, value)
            self._limits.draw_limits(self.draft)
        return True

    def release(self) -> bool:
        """True if a line was let go."""
        if self._line is None:
            return False
        self._line = None
        if self.draft is not None and self.draft != self._began:
            self._drag.drop(self.draft)
        else:
            self.draft = None
        self._chart.update()
        return True

    def draw(self, painter: QPainter, theme: Theme) -> None:
        """Write the line's words beside it while it is held."""
        limits, _, shown = self._limits.limits_drawn
        if self._line is None or shown is None:
            return
        value = next((value for line, value in lines_of(limits) if line == self._line), None)
        if value is None:
            return
        text = self._drag.words(limits, self._line, shown)
        painter.setFont(face(11, BOLD))
        room = self._chart.width() - 18
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room)
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        y = self._y_of(value)
        top = y + 3 if y < self._chart.height() / 2 else y - 19
        # Beside the axis, where the chart has one of its own.
        left = self._right + 4 if self._right >= 0 else 4
        behind = QRectF(left, top, min(width, self._chart.width() - 8), 16)
        painter.fillRect(behind, colour(theme.sheet, 0.9))
        painter.setPen(colour(theme.level(self._line.level)))
        painter.drawText(behind, Qt.AlignmentFlag.AlignCenter, text)

"""The lane of remarks over the others: spans as bars, pins as small triangles."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QAccessible, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from rook_tally.core.remarks import Remark
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.parts.label import plain_tip
from rook_tally.desk.strip.lane_head import HEAD_WIDTH
from rook_tally.desk.strip.remarks import PlacedSpan, RemarksModel
from rook_tally.desk.strip.texts import tr

REMARKS_HEIGHT = 62
_TOP, _BAR, _STEP = 6, 19, 22
_MOST_ROWS = 2
_PIN_Y = 40
_EDGE_REACH = 5
# The beginning of a bar, and all of one that is too short to be seen.
_HAIR = 3.0
_PINS_APART = 12
# More than these in the window and their words would say nothing any more.
_MOST_WITH_WORDS = 24
_SHORTEST_US = SECOND_US


class RemarksHead(QWidget):
    """The head of the remarks lane."""

    def __init__(self, theme: Theme, model: RemarksModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self.setFixedSize(HEAD_WIDTH, REMARKS_HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme = self._theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(theme.paper))
        painter.setFont(face(13, BOLD))
        painter.setPen(colour(theme.ink))
        painter.drawText(QRectF(16, 6, HEAD_WIDTH - 24, 20), _LEFT, tr("Remarks"))
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        painter.drawText(QRectF(16, 25, HEAD_WIDTH - 24, 18), _LEFT, self._model.counted())
        painter.setPen(QPen(colour(theme.strong_rule), 1))
        painter.drawLine(QLineF(self.width() - 0.5, 0, self.width() - 0.5, self.height()))


class RemarksLane(QWidget):
    """Draws remarks over the window. `altered` carries a remark dragged to another
    time and as it was, `opened`
    one to be edited."""

    altered = Signal(Remark, Remark)
    opened = Signal(Remark)

    def __init__(self, theme: Theme, model: RemarksModel) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.List)
        self._theme, self._model = theme, model
        # What is dragged, and as it is drawn meanwhile.
        self._dragged: Remark | None = None
        self._moved: Remark | None = None
        self._holds_end = False
        self._read_out: list[Remark] = []
        self.setFixedHeight(REMARKS_HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("remarks"))

    def refresh(self) -> None:
        """Draw it anew."""
        inside = self._model.inside
        # A frame of a pan mostly shows the same remarks: their words need not be put together anew.
        if inside != self._read_out:
            self._read_out = inside
            self.setAccessibleDescription(", ".join(one.text for one in inside))
        self.update()

    def x_of(self, time_us: int) -> float:
        """Where a moment stands."""
        window = self._model.state.window
        return (time_us - window.start_us) / window.span_us * self.width()

    def _moment_at(self, x: float) -> int:
        window = self._model.state.window
        return window.start_us + round(x / max(1, self.width()) * window.span_us)

    def _bar(self, placed: PlacedSpan) -> QRectF:
        one = self._moved if self._is_moved(placed.remark) else placed.remark
        assert one is not None
        assert one.end_us is not None
        left, right = self.x_of(one.start_us), self.x_of(one.end_us)
        top = _TOP + min(placed.row, _MOST_ROWS - 1) * _STEP
        return QRectF(left, top, max(_HAIR, right - left), _BAR)

    def _is_moved(self, one: Remark) -> bool:
        return self._moved is not None and self._moved.id == one.id

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.sheet))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        # Spans too short to be seen at this scale: one hair for all that fall on the same pixel.
        drawn = [-1.0] * _MOST_ROWS
        is_dense = len(self._model.inside) > _MOST_WITH_WORDS
        moved = self._moved
        window = self._model.state.window
        # A year of remarks is hundreds, and each is looked at with every frame of a pan.
        start_us, pixels = window.start_us, self.width() / window.span_us
        for placed in self._model.spans:
            row = min(placed.row, _MOST_ROWS - 1)
            one = placed.remark
            if moved is None:
                left = (one.start_us - start_us) * pixels
                right = max(left + _HAIR, ((one.end_us or 0) - start_us) * pixels)
                if right <= drawn[row] + 1:
                    continue
            bar = self._bar(placed)
            if bar.right() > drawn[row] + 1:
                drawn[row] = bar.right()
                self._draw_span(painter, placed, bar, with_words=not is_dense)
        pins = self._model.pins_apart(window.span_us * _PINS_APART // max(1, self.width()))
        for at, pin in enumerate(pins):
            after = self.x_of(pins[at + 1].start_us) if at + 1 < len(pins) else float(self.width())
            self._draw_pin(painter, pin, after - 8, with_words=not is_dense)

    def _draw_span(
        self, painter: QPainter, placed: PlacedSpan, bar: QRectF, *, with_words: bool
    ) -> None:
        theme = self._theme
        name = theme.traces[placed.remark.shade % len(theme.traces)]
        if bar.width() > _HAIR:
            painter.fillRect(bar, colour(name, 0.22))
        painter.fillRect(QRectF(bar.left(), bar.top(), _HAIR, bar.height()), colour(name))
        if placed.remark.id == self._model.picked_id:
            painter.setPen(QPen(colour(theme.sheen), 2))
            painter.drawRect(bar.adjusted(1, 1, -1, -1))
        left = max(bar.left(), 0.0) + 8
        room = min(bar.right(), float(self.width())) - left - 4
        if room > 14 and with_words:
            painter.setFont(face(12, MEDIUM))
            painter.setPen(colour(theme.ink))
            text = painter.fontMetrics().elidedText(
                placed.remark.text, Qt.TextElideMode.ElideRight, int(room)
            )
            painter.drawText(QRectF(left, bar.top(), room, bar.height()), _LEFT, text)

    def _draw_pin(self, painter: QPainter, pin: Remark, until: float, *, with_words: bool) -> None:
        """Draw a pin, its words up to where the next one stands."""
        theme = self._theme
        shown = self._moved if self._is_moved(pin) and self._moved is not None else pin
        x = self.x_of(shown.start_us)
        is_picked = pin.id == self._model.picked_id
        painter.setPen(QPen(colour(theme.sheen if is_picked else theme.ink), 1.4))
        painter.setBrush(colour(theme.traces[pin.shade % len(theme.traces)], 0.25))
        top = float(_PIN_Y)
        triangle = [QPointF(x - 5, top), QPointF(x + 5, top), QPointF(x, top + 8)]
        painter.drawPolygon(QPolygonF(triangle))
        if not with_words:
            return
        painter.setPen(QPen(colour(theme.faint), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(round(x) + 0.5, top + 9, round(x) + 0.5, self.height()))
        painter.setFont(face(11, BOLD if is_picked else face(11).weight()))
        room = until - x - 9
        if room > 24:
            text = painter.fontMetrics().elidedText(
                pin.text, Qt.TextElideMode.ElideRight, int(room)
            )
            painter.setPen(colour(theme.ink))
            painter.drawText(QRectF(x + 9, top - 4, room + 4, 16), _LEFT, text)

    def remark_at(self, at: QPointF) -> Remark | None:
        """The remark under the pointer; pins before spans."""
        for pin in self._model.pins:
            if abs(self.x_of(pin.start_us) - at.x()) <= 8 and at.y() >= _PIN_Y - 4:
                return pin
        for placed in reversed(self._model.spans):
            if self._bar(placed).adjusted(-_EDGE_REACH, 0, _EDGE_REACH, 0).contains(at):
                return placed.remark
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick what is there; its edges can be dragged."""
        one = self.remark_at(event.position())
        self._model.pick(one)
        if event.button() is not Qt.MouseButton.LeftButton:
            # A menu takes the release, and what is not let go would be dragged.
            return
        self._dragged = one
        if one is not None and one.end_us is not None:
            x = event.position().x()
            to_start, to_end = abs(x - self.x_of(one.start_us)), abs(x - self.x_of(one.end_us))
            self._holds_end = to_end < to_start
            if min(to_start, to_end) > _EDGE_REACH:
                self._dragged = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag an edge or a pin, or say what is there."""
        one, at_us = self._dragged, self._moment_at(event.position().x())
        if one is None:
            there = self.remark_at(event.position())
            self.setToolTip("" if there is None else plain_tip(there.text))
            return
        if one.end_us is None:
            self._moved = replace(one, start_us=at_us)
        elif self._holds_end:
            self._moved = replace(one, end_us=max(at_us, one.start_us + _SHORTEST_US))
        else:
            self._moved = replace(one, start_us=min(at_us, one.end_us - _SHORTEST_US))
        self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go: a remark that was dragged is altered."""
        moved, begun = self._moved, self._dragged
        self._dragged = self._moved = None
        if moved is not None and begun is not None and moved != begun:
            self.altered.emit(moved, begun)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Edit what is there."""
        one = self.remark_at(event.position())
        if one is not None:
            self.opened.emit(one)


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter

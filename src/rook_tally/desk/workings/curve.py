"""A curve from readings to points, over how the site's readings are spread; dragged by hand."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QMenu, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import plain_tip
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.workings.curve_points import FEWEST, Points, points_text, typed_points
from rook_tally.desk.workings.queries import Histogram
from rook_tally.desk.workings.texts import tr

_RADIUS = 4.5
_REACH = 12.0


class CurveChart(QWidget):
    """Points that are dragged. `changed` is sent with them while they move.

    A double click adds a point or takes one away; with the keyboard, Tab and Left/Right pick a
    point, the arrows with Ctrl move it, Delete takes it away, Enter lets all be typed.
    """

    changed = Signal(tuple)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        give_role(self, QAccessible.Role.Chart)
        self._theme = theme
        self._points: Points = ()
        self._usual: Histogram | None = None
        self._now = math.nan
        self._name = ""
        self._held: int | None = None
        self.picked = 0
        self.setMinimumHeight(44)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def show_curve(self, points: Points, usual: Histogram | None, now: float, name: str) -> None:
        """Show these points, over this spread, with a mark at what is read now."""
        self._points, self._usual, self._now = points, usual, now
        self.picked = min(self.picked, max(len(points) - 1, 0))
        self._name = name
        self.setAccessibleName(tr("curve of {0}", name))
        self.setToolTip(plain_tip(self._told()))
        self.update()

    def _told(self) -> str:
        return ", ".join(f"{x:g} → {score:.0f}" for x, score in self._points)

    @property
    def span(self) -> tuple[float, float]:
        """The readings shown, from the left edge to the right."""
        ends = [x for x, _ in self._points]
        if self._usual is not None:
            ends += [self._usual.low, self._usual.high]
        low, high = min(ends, default=0.0), max(ends, default=1.0)
        return (low, high) if high > low else (low - 0.5, high + 0.5)

    def _x(self, value: float) -> float:
        low, high = self.span
        return 6 + (value - low) / (high - low) * (self.width() - 12)

    def _y(self, score: float) -> float:
        return 7 + (100 - score) / 100 * (self.height() - 14)

    def place_of(self, at: int) -> QPointF:
        """Where a point is drawn."""
        x, score = self._points[at]
        return QPointF(self._x(x), self._y(score))

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw the spread, the curve, its points, what is read now."""
        theme = self._theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_spread(painter)
        if not self._points:
            return
        line = [QPointF(0, self._y(self._points[0][1]))]
        line += [self.place_of(at) for at in range(len(self._points))]
        line.append(QPointF(self.width(), self._y(self._points[-1][1])))
        painter.setPen(QPen(colour(theme.traces[0]), 1.6))
        painter.drawPolyline(QPolygonF(line))
        if math.isfinite(self._now):
            painter.setPen(QPen(colour(theme.level(Level.HIGH)), 1.4, Qt.PenStyle.DashLine))
            x = min(max(self._x(self._now), 1), self.width() - 1)
            painter.drawLine(QLineF(x, 0, x, self.height()))
        for at in range(len(self._points)):
            is_picked = self.hasFocus() and at == self.picked
            painter.setPen(QPen(colour(theme.sheen if is_picked else theme.traces[0]), 1.6))
            painter.setBrush(colour(theme.sheen if is_picked else theme.sheet))
            painter.drawEllipse(self.place_of(at), _RADIUS, _RADIUS)
        shown = self._held if self._held is not None else self.picked if self.hasFocus() else None
        if shown is not None:
            x, score = self._points[shown]
            painter.setFont(face(11, BOLD))
            painter.setPen(colour(theme.ink))
            where = self.place_of(shown)
            left = min(max(where.x() - 50, 0), self.width() - 100)
            top = where.y() + 6 if where.y() < self.height() / 2 else where.y() - 20
            painter.drawText(
                QRectF(left, top, 100, 14), Qt.AlignmentFlag.AlignCenter, f"{x:.4g} → {score:.0f}"
            )

    def _draw_spread(self, painter: QPainter) -> None:
        usual = self._usual
        if usual is None:
            return
        edges = np.linspace(usual.low, usual.high, len(usual.shares))
        ground = self.height() - 2
        shape = [QPointF(self._x(usual.low), ground)]
        shape += [
            QPointF(self._x(edge), ground - share * (self.height() - 12) * 0.75)
            for edge, share in zip(edges.tolist(), np.sqrt(usual.shares).tolist(), strict=True)
        ]
        shape.append(QPointF(self._x(usual.high), ground))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(self._theme.ribbon, 0.22))
        painter.drawPolygon(QPolygonF(shape))

    def _near(self, where: QPointF) -> int | None:
        distances = [
            math.hypot(*(self.place_of(at) - where).toTuple()) for at in range(len(self._points))
        ]
        best = min(range(len(distances)), key=lambda at: distances[at], default=None)
        return best if best is not None and distances[best] <= _REACH else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the point under the mouse."""
        self._held = self._near(event.position())
        if self._held is not None:
            self.picked = self._held
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it."""
        if self._held is None:
            near = self._near(event.position()) is not None
            self.setCursor(Qt.CursorShape.OpenHandCursor if near else Qt.CursorShape.ArrowCursor)
            return
        low, high = self.span
        x = low + (event.position().x() - 6) / max(self.width() - 12, 1) * (high - low)
        score = 100 - (event.position().y() - 7) / max(self.height() - 14, 1) * 100
        self.move_point(self._held, x, score)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let it go."""
        self._held = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Add a point, or take the one there away."""
        near = self._near(event.position())
        if near is not None:
            self.remove_point(near)
            return
        low, high = self.span
        x = low + (event.position().x() - 6) / max(self.width() - 12, 1) * (high - low)
        readings, scores = zip(*self._points, strict=True)
        score = float(np.interp(x, readings, scores))
        self.changed.emit(tuple(sorted((*self._points, (_round(x, high - low), round(score))))))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Pick and move points."""
        low, high = self.span
        steps = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        step = steps.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Delete:
            self.remove_point(self.picked)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_points()
        elif step is None or not self._points:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            x, score = self._points[self.picked]
            self.move_point(self.picked, x + step[0] * (high - low) / 100, score + step[1])
        elif step[0]:
            self.picked = min(max(self.picked + step[0], 0), len(self._points) - 1)
            self.update()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the curve, or with the point that is there."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(tr("Type the points…")).triggered.connect(self.type_points)
        near = self._near(QPointF(event.pos()))
        if near is not None:
            remove = menu.addAction(tr("Delete this point"))
            remove.setEnabled(len(self._points) > FEWEST)
            remove.triggered.connect(lambda: self.remove_point(near))
        menu.popup(event.globalPos())

    def type_points(self) -> None:
        """Let all points be typed."""
        ValueDialog(
            self._theme,
            self,
            title=tr("Curve of {0}", self._name),
            label=tr("Points"),
            value=points_text(self._points),
            take=self._take_points,
            main_words=tr("Take"),
        ).open()

    def _take_points(self, text: str) -> None:
        self.changed.emit(typed_points(text))

    def move_point(self, at: int, x: float, score: float) -> None:
        """Move a point as far as its neighbours let it."""
        low, high = self.span
        least = (high - low) / 1000
        if at > 0:
            x = max(x, self._points[at - 1][0] + least)
        if at < len(self._points) - 1:
            x = min(x, self._points[at + 1][0] - least)
        moved = (_round(x, high - low), float(round(min(max(score, 0.0), 100.0))))
        self._points = (*self._points[:at], moved, *self._points[at + 1 :])
        self.changed.emit(self._points)
        self.update()

    def remove_point(self, at: int) -> None:
        """Take a point away, if enough are left."""
        if len(self._points) > FEWEST:
            self.changed.emit((*self._points[:at], *self._points[at + 1 :]))


def _round(x: float, span: float) -> float:
    """A reading as exact as the hand is."""
    return round(x, max(0, 3 - math.ceil(math.log10(span)))) if span > 0 else x

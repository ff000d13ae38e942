"""The plan as it is drawn and dragged upon."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.pictures import PictureSource
from rook_tally.desk.parts.plan_painter import draw_plan, mark_area, picture_area
from rook_tally.desk.plan.model import PlanModel
from rook_tally.desk.plan.texts import tr
from rook_tally.wall.pane_views import PlanBody

STATION_MIME = "application/x-rook-tally-station"
_STEP = 0.005
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class PlanCanvas(QWidget):
    """Draws the plan that is shown. A station is picked with the mouse or Tab and carried with the
    mouse or the arrows; stations of the list are dropped here.

    `picked` hears which, `hung` where it was let go, `opened` a double click, `off` Delete,
    `menu_wanted` where a menu is to open.
    """

    picked = Signal(str)
    hung = Signal(str, float, float)
    opened = Signal(str)
    off = Signal(str)
    menu_wanted = Signal(object)

    def __init__(self, theme: Theme, model: PlanModel, pictures: PictureSource) -> None:
        super().__init__()
        self._theme, self._model, self._pictures = theme, model, pictures
        self._carried: tuple[str, QPointF] | None = None
        self._at: tuple[float, float] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setMinimumSize(420, 300)
        self.setAccessibleName(tr("the plan"))
        give_role(self, QAccessible.Role.Graphic)

    @property
    def inside(self) -> QRectF:
        """Where the picture lies."""
        plan = self._model.plan
        if plan is None:
            return self._area
        return picture_area(PlanBody(plan.picture_id, plan.width, plan.height, ()), self._area)

    @property
    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(16, 8, -16, -16)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.sheet))
        body = self._shown()
        if body is None:
            painter.setFont(face(14))
            painter.setPen(colour(self._theme.dim))
            painter.drawText(
                self.rect().adjusted(40, 0, -40, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                tr(
                    "No plan yet. Put up a picture of a floor or of the plot, a PNG, a JPEG or an "
                    "SVG, and drag stations to where they hang."
                ),
            )
            return
        picture = self._pictures(body.picture_id)
        area = self._area
        draw_plan(painter, self._theme, body, picture, area, picked=self._model.picked)

    def _shown(self) -> PlanBody | None:
        """The plan with what is carried where it is carried to."""
        body = self._model.body
        if body is None or self._carried is None or self._at is None:
            return body
        key, at = self._carried[0], self._at
        marks = tuple(
            replace(one, x=at[0], y=at[1]) if one.station == key else one for one in body.marks
        )
        return replace(body, marks=marks)

    def _station_at(self, at: QPointF) -> str:
        body, inside = self._model.body, self.inside
        for one in reversed(() if body is None else body.marks):
            # What is written beside belongs to it too.
            if mark_area(one, inside).adjusted(-5, -5, 70, 14).contains(at):
                return one.station
        return ""

    def _share(self, at: QPointF) -> tuple[float, float]:
        inside = self.inside
        x = (at.x() - inside.left()) / max(inside.width(), 1)
        y = (at.y() - inside.top()) / max(inside.height(), 1)
        return min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)

    # Mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick a station, and be ready to carry it."""
        key = self._station_at(event.position())
        self.picked.emit(key)
        if key and event.button() is Qt.MouseButton.LeftButton:
            self._carried = (key, event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry it."""
        if self._carried is None:
            return
        if self._at is not None or (event.position() - self._carried[1]).manhattanLength() > 6:
            self._at = self._share(event.position())
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let it hang there."""
        carried, at = self._carried, self._at
        self._carried = self._at = None
        if carried is not None and at is not None:
            self.hung.emit(carried[0], *at)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open the station."""
        key = self._station_at(event.position())
        if key:
            self.opened.emit(key)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the station under the mouse."""
        self.picked.emit(self._station_at(QPointF(event.pos())))
        self.menu_wanted.emit(event.globalPos())

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Stations may be dropped here."""
        if self._model.plan is not None and event.mimeData().hasFormat(STATION_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A station was dropped."""
        key = bytes(event.mimeData().data(STATION_MIME).data()).decode()
        self.hung.emit(key, *self._share(event.position()))
        event.acceptProposedAction()

    # Keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows carry the picked station, N picks the next, Delete takes it off."""
        body = self._model.body
        marks = () if body is None else body.marks
        mark = next((one for one in marks if one.station == self._model.picked), None)
        key = Qt.Key(event.key())
        if key is Qt.Key.Key_N and marks:
            keys = [one.station for one in marks]
            at = keys.index(mark.station) + 1 if mark is not None else 0
            self.picked.emit(keys[at % len(keys)])
        elif mark is not None and key in _ARROWS:
            across, down = _ARROWS[key]
            fast = 8 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            x, y = mark.x + across * _STEP * fast, mark.y + down * _STEP * fast
            self.hung.emit(mark.station, min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))
        elif mark is not None and key is Qt.Key.Key_Delete:
            self.off.emit(mark.station)
        elif mark is not None and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(mark.station)
        else:
            super().keyPressEvent(event)

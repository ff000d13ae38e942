"""A sheet on paper: each pane is inked again when it says something else."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QAccessible, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QRegion
from PySide6.QtWidgets import QWidget

from rook_tally.core.theme import Theme
from rook_tally.core.wall.tiling import COLUMNS, ROWS, Area, Side, with_edge_moved
from rook_tally.desk.parts.accessible_role import give_role
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.pictures import PictureSource, no_pictures
from rook_tally.desk.wall.arranging import SheetEditor
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.painter_frame import changed_part, draw_pane, unit_of
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.pane_views import PaneView

_GRIP_PX = 6
_EDGE_SHARE = 0.22
"""So much of a pane along each side means beside it, when another is dropped there."""


class WallCanvas(QWidget):
    """Draws the sheet in hand. With `is_arranged` panes are picked, moved and sized."""

    opened = Signal(int)

    def __init__(
        self, theme: Theme, model: WallModel, arranging: SheetEditor | None = None
    ) -> None:
        super().__init__()
        self._theme, self._model, self._arranging = theme, model, arranging
        # As they were inked, or are about to be.
        self._shown: tuple[PaneView, ...] = ()
        self._grip: tuple[int, Side] | None = None
        self._carried: int | None = None
        self._press = QPoint()
        self._drop: tuple[int, Side | None] | None = None
        self._areas_before: tuple[Area, ...] = ()
        self.is_arranged = False
        self.pictures: PictureSource = no_pictures
        # Every pixel is ours: nothing need be laid under it first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(400, 240)
        self.setAccessibleName(tr("the sheet"))
        give_role(self, QAccessible.Role.Graphic)
        model.laid_out.append(self._on_laid_out)
        model.faces_changed.append(self._on_faces_changed)

    def leave(self) -> None:
        """Follow the model no longer: the window this is in goes."""
        self._model.laid_out.remove(self._on_laid_out)
        self._model.faces_changed.remove(self._on_faces_changed)

    def set_theme(self, theme: Theme) -> None:
        """Ink everything in other colours."""
        if theme is not self._theme:
            self._theme = theme
            self.update()

    def arrange(self, is_arranged: bool) -> None:
        """Let panes be picked and moved, or only looked at."""
        self.is_arranged = is_arranged
        self.update()

    def sizeHint(self) -> QSize:
        """The design size."""
        return QSize(1280, 700)

    # Drawing

    def rect_of(self, area: Area) -> QRect:
        """Where an area of the grid lies, in pixels."""
        wide, tall = self.width(), self.height()
        left, right = round(area.x * wide / COLUMNS), round(area.right * wide / COLUMNS)
        top, bottom = round(area.y * tall / ROWS), round(area.bottom * tall / ROWS)
        return QRect(left, top, right - left, bottom - top)

    def _on_laid_out(self) -> None:
        self._shown = self._model.faces
        self._announce()
        self.update()

    def _on_faces_changed(self, moved: set[int]) -> None:
        before, self._shown = self._shown, self._model.faces
        unit = unit_of(self.width(), self.height())
        for at in moved:
            if self._model.sheet is None or at >= len(self._model.sheet.panes):
                continue
            rect = self.rect_of(self._model.sheet.panes[at].area)
            if at < len(before):
                part = changed_part(before[at], self._model.faces[at], QRectF(rect), unit)
                rect = part.toAlignedRect().intersected(rect)
            self.update(rect)
        self._announce()

    def _announce(self) -> None:
        """Tell a screen reader every pane's title and newest words."""
        told = [f"{face.title} {face.aside} {face.note}".strip() for face in self._model.faces]
        self.setAccessibleDescription("; ".join(told))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ink the panes that are asked for: Qt keeps the others as they were."""
        painter = QPainter(self)
        sheet, faces = self._model.sheet, self._model.faces
        if sheet is None or not faces or len(faces) != len(sheet.panes):
            painter.fillRect(event.rect(), colour(self._theme.sheet))
            return
        region = event.region()
        if not self.devicePixelRatioF().is_integer():
            # Rows and columns of pixels that lie half in a pane and half in the next.
            painter.fillRect(event.rect().adjusted(-1, -1, 1, 1), colour(self._theme.sheet))
        unit = unit_of(self.width(), self.height())
        for at, pane in enumerate(sheet.panes):
            rect = self.rect_of(pane.area)
            if region.intersects(rect):
                painter.setClipRegion(region.intersected(rect))
                draw_pane(painter, self._theme, faces[at], QRectF(rect), unit, self.pictures)
        painter.setClipRegion(region)
        self._draw_rules(painter, region)
        if self.is_arranged:
            self._draw_hands(painter)

    def _draw_rules(self, painter: QPainter, region: QRegion) -> None:
        assert self._model.sheet is not None
        wide = max(1, round(1.4 * unit_of(self.width(), self.height())))
        painter.setPen(QPen(colour(self._theme.strong_rule), wide))
        for area in self._model.sheet.areas:
            rect = self.rect_of(area)
            if not region.intersects(rect):
                continue
            if area.x:
                painter.drawLine(rect.topLeft(), rect.bottomLeft())
            if area.y:
                painter.drawLine(rect.topLeft(), rect.topRight())

    def _draw_hands(self, painter: QPainter) -> None:
        """The picked pane, and where one would be dropped."""
        sheet = self._model.sheet
        if sheet is None or not sheet.panes:
            return
        painter.setPen(QPen(colour(self._theme.sheen), 2))
        picked = self.rect_of(sheet.panes[self._model.picked].area)
        painter.drawRect(picked.adjusted(1, 1, -2, -2))
        if self._drop is not None:
            target, side = self._drop
            rect = QRectF(self.rect_of(sheet.panes[target].area))
            painter.fillRect(_half(rect, side), colour(self._theme.sheen, 0.25))
        if self.hasFocus():
            painter.setFont(face(11))

    # Hands

    def pane_at(self, point: QPoint) -> int | None:
        """The pane under a point."""
        sheet = self._model.sheet
        for at, pane in enumerate(() if sheet is None else sheet.panes):
            if self.rect_of(pane.area).contains(point):
                return at
        return None

    def pick_for_menu(self, under: QPoint | None) -> QPoint | None:
        """Pick the pane under a point of the screen, for a menu of it; without a point the picked
        one. Returns where the menu belongs; None where there is no pane."""
        sheet = self._model.sheet
        if sheet is None or not sheet.panes:
            return None
        if under is None:
            return self.mapToGlobal(self.rect_of(sheet.panes[self._model.picked].area).center())
        at = self.pane_at(self.mapFromGlobal(under))
        if at is None:
            return None
        self._model.pick(at)
        return under

    def _edge_at(self, point: QPoint) -> tuple[int, Side] | None:
        """The pane and its side whose hairline is under a point; none of the sheet's own edges."""
        sheet = self._model.sheet
        for at, pane in enumerate(() if sheet is None else sheet.panes):
            rect = self.rect_of(pane.area)
            if not rect.adjusted(-_GRIP_PX, -_GRIP_PX, _GRIP_PX, _GRIP_PX).contains(point):
                continue
            if pane.area.x and abs(point.x() - rect.left()) < _GRIP_PX:
                return at, Side.LEFT
            if pane.area.y and abs(point.y() - rect.top()) < _GRIP_PX:
                return at, Side.UP
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a hairline or a pane."""
        if not self.is_arranged or event.button() is not Qt.MouseButton.LeftButton:
            event.ignore()
            return
        point = event.position().toPoint()
        self._press = point
        self._grip = self._edge_at(point)
        sheet = self._model.sheet
        if self._grip is not None and sheet is not None:
            self._areas_before = sheet.areas
            return
        at = self.pane_at(point)
        if at is not None:
            self._model.pick(at)
            self._carried = at

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Let the hairline follow, or show where the pane would be dropped."""
        point = event.position().toPoint()
        if self._grip is not None:
            self._model.preview(self._with_edge_at(point))
        elif self._carried is not None:
            if (point - self._press).manhattanLength() > 12:
                self._drop = self._drop_at(point)
                self.update()
        elif self.is_arranged:
            edge = self._edge_at(point)
            self.setCursor(
                Qt.CursorShape.ArrowCursor
                if edge is None
                else Qt.CursorShape.SizeHorCursor
                if edge[1] is Side.LEFT
                else Qt.CursorShape.SizeVerCursor
            )

    def _with_edge_at(self, point: QPoint) -> tuple[Area, ...]:
        assert self._grip is not None
        at, side = self._grip
        area = self._areas_before[at]
        if side is Side.LEFT:
            by = area.x - round(point.x() * COLUMNS / self.width())
        else:
            by = area.y - round(point.y() * ROWS / self.height())
        return with_edge_moved(self._areas_before, at, side, by)

    def _drop_at(self, point: QPoint) -> tuple[int, Side | None] | None:
        target = self.pane_at(point)
        if target is None or target == self._carried or self._model.sheet is None:
            return None
        rect = self.rect_of(self._model.sheet.panes[target].area)
        x = (point.x() - rect.left()) / max(rect.width(), 1)
        y = (point.y() - rect.top()) / max(rect.height(), 1)
        near = min(
            ((x, Side.LEFT), (1 - x, Side.RIGHT), (y, Side.UP), (1 - y, Side.DOWN)),
            key=lambda one: one[0],
        )
        return target, near[1] if near[0] < _EDGE_SHARE else None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        if self._arranging is None:
            return
        if self._grip is not None:
            areas = self._with_edge_at(event.position().toPoint())
            self._grip = None
            if areas != self._areas_before:
                self._arranging.keep_areas(areas, tr("pane resized"))
        elif self._carried is not None and self._drop is not None:
            carried, (target, side) = self._carried, self._drop
            self._arranging.drop_pane(carried, target, side)
        self._carried = self._drop = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open what a pane shows."""
        at = self.pane_at(event.position().toPoint())
        if at is None or self._arranging is None:
            event.ignore()
        else:
            self.opened.emit(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows pick; with Ctrl they move the pane, with Shift its edges; Enter opens it."""
        side = _SIDES.get(Qt.Key(event.key()))
        model, arranging = self._model, self._arranging
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and model.pane is not None:
            if arranging is None:
                super().keyPressEvent(event)
            else:
                self.opened.emit(model.picked)
        elif side is None or arranging is None or not self.is_arranged:
            super().keyPressEvent(event)
        elif event.modifiers() == Qt.KeyboardModifier.NoModifier:
            model.pick_beside(side)
        elif event.modifiers() == Qt.KeyboardModifier.ControlModifier:
            arranging.move_pane(side)
        elif event.modifiers() == Qt.KeyboardModifier.ShiftModifier:
            arranging.move_edge(side, 1)
        elif event.modifiers() == Qt.KeyboardModifier.AltModifier:
            arranging.move_edge(side, -1)
        else:
            super().keyPressEvent(event)


_SIDES = {
    Qt.Key.Key_Left: Side.LEFT,
    Qt.Key.Key_Right: Side.RIGHT,
    Qt.Key.Key_Up: Side.UP,
    Qt.Key.Key_Down: Side.DOWN,
}


def _half(rect: QRectF, side: Side | None) -> QRectF:
    """The half of a rectangle at a side; the whole of it for none."""
    wide, tall = rect.width() / 2, rect.height() / 2
    if side is Side.LEFT:
        return rect.adjusted(0, 0, -wide, 0)
    if side is Side.RIGHT:
        return rect.adjusted(wide, 0, 0, 0)
    if side is Side.UP:
        return rect.adjusted(0, 0, 0, -tall)
    if side is Side.DOWN:
        return rect.adjusted(0, tall, 0, 0)
    return rect

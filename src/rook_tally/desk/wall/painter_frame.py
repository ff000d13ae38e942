"""A pane on paper: its title, its body, what has to be said of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import Theme
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour
from rook_tally.desk.parts.pictures import PictureSource, no_pictures
from rook_tally.desk.parts.plan_painter import draw_plan
from rook_tally.desk.wall.painter import RIGHT, PanePainter
from rook_tally.desk.wall.painter_charts import draw_columns, draw_ribbon, sizes_agree
from rook_tally.desk.wall.painter_figures import draw_day, draw_dial, draw_figure, draw_words
from rook_tally.desk.wall.painter_lists import draw_lamps, draw_score, draw_standing, draw_table
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.pane_views import (
    Body,
    ColumnsBody,
    DayBody,
    DialBody,
    FigureBody,
    LampsBody,
    PaneView,
    PlanBody,
    RibbonBody,
    ScoreBody,
    StandingBody,
    TableBody,
    WordsBody,
)

DESIGN_WIDTH, DESIGN_HEIGHT = 1280, 740
_TITLE, _ASIDE, _NOTE = 24.0, 19.0, 17.0


def draw_plan_pane(ink: PanePainter, body: PlanBody, area: QRectF) -> None:
    """A plan, as in Stations; its letters are as large as the pane lets them be read."""
    unit = max(ink.unit, 0.7)
    picture = ink.pictures(body.picture_id)
    ink.painter.save()
    # What hangs at an edge would be written into the next pane.
    ink.painter.setClipRect(area, Qt.ClipOperation.IntersectClip)
    draw_plan(ink.painter, ink.theme, body, picture, area, unit=unit)
    ink.painter.restore()


_DRAW: dict[type, Callable[..., None]] = {
    FigureBody: draw_figure,
    DialBody: draw_dial,
    DayBody: draw_day,
    WordsBody: draw_words,
    ColumnsBody: draw_columns,
    RibbonBody: draw_ribbon,
    LampsBody: draw_lamps,
    ScoreBody: draw_score,
    StandingBody: draw_standing,
    TableBody: draw_table,
    PlanBody: draw_plan_pane,
}


def unit_of(width: float, height: float) -> float:
    """Pixels for a pixel of the design size on a sheet of this size."""
    return min(width / DESIGN_WIDTH, height / DESIGN_HEIGHT)


def draw_pane(
    painter: QPainter,
    theme: Theme,
    face: PaneView,
    area: QRectF,
    unit: float,
    pictures: PictureSource = no_pictures,
) -> None:
    """Ink a pane into an area, its ground included."""
    ink = PanePainter(painter, theme, unit, pictures)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(area, colour(theme.sheet))
    inner = _inner(area, unit)
    if face.is_trial:
        _mark_trial(ink, area)
    inner = _draw_title(ink, face, inner)
    if face.note:
        inner = _draw_note(ink, face, inner)
    if face.trouble:
        ink.wrapped(inner, face.trouble, shade=theme.dim, most=22 * unit)
        return
    if face.body is not None:
        ink.fade(face.freshness)
        _draw_body(ink, face.body, inner)
        painter.setOpacity(1.0)


def _inner(area: QRectF, unit: float) -> QRectF:
    """The part of a pane that is written in."""
    beside, over = min(30 * unit, 0.08 * area.width()), min(22 * unit, 0.1 * area.height())
    return area.adjusted(beside, over, -beside, -over)


def changed_part(before: PaneView, after: PaneView, area: QRectF, unit: float) -> QRectF:
    """The part of a pane to be painted again: of columns those that moved, of others all of it."""
    old, new = before.body, after.body
    if not isinstance(old, ColumnsBody) or not isinstance(new, ColumnsBody):
        return area
    if replace(before, body=None) != replace(after, body=None) or not sizes_agree(old, new):
        return area
    inner = _inner(area, unit)
    step = inner.width() / len(new.columns)
    moved = [at for at, one in enumerate(new.columns) if one != old.columns[at]]
    left, right = inner.left() + min(moved) * step, inner.left() + (max(moved) + 1) * step
    return QRectF(left - 2, area.top(), right - left + 4, area.height())


def _draw_body(ink: PanePainter, body: Body, area: QRectF) -> None:
    if area.width() < 4 or area.height() < 4:
        return
    _DRAW[type(body)](ink, body, area)


def _draw_title(ink: PanePainter, face: PaneView, inner: QRectF) -> QRectF:
    """The title and what stands beside it, or under a score's; returns the room left."""
    if not face.title:
        return inner
    height = min(_TITLE * 1.35 * ink.unit, inner.height() * 0.24)
    if face.kind is PaneKind.SCORE:
        height *= 1.25
        ink.text(inner.adjusted(0, 0, 0, height - inner.height()), face.title, weight=BOLD)
        under = QRectF(inner.left(), inner.top() + height, inner.width(), height * 0.72)
        ink.text(under, face.aside, shade=ink.theme.dim)
        return inner.adjusted(0, height * 1.8, 0, 0)
    line = QRectF(inner.left(), inner.top(), inner.width(), height)
    room = line.width() * (0.62 if face.aside else 1.0)
    taken = ink.text(
        QRectF(line.topLeft(), line.size()).adjusted(0, 0, room - line.width(), 0),
        face.title,
        weight=BOLD,
    )
    if face.aside:
        beside = line.adjusted(taken + height * 0.5, 0, 0, 0)
        most = min(height, _ASIDE * 1.35 * ink.unit)
        ink.text(beside, face.aside, shade=ink.theme.dim, align=RIGHT, most=most)
    return inner.adjusted(0, height * 1.2, 0, 0)


def _draw_note(ink: PanePainter, face: PaneView, inner: QRectF) -> QRectF:
    height = min(_NOTE * 1.4 * ink.unit, inner.height() * 0.2)
    line = QRectF(inner.left(), inner.bottom() - height, inner.width(), height)
    is_old = face.freshness is not Freshness.FRESH
    shade = ink.theme.ink if is_old else ink.theme.dim
    ink.text(line, face.note, weight=MEDIUM, shade=shade)
    return inner.adjusted(0, 0, 0, -height * 1.1)


def _mark_trial(ink: PanePainter, area: QRectF) -> None:
    """A dashed frame, and a word in a corner: nobody takes it for what is so."""
    pen = QPen(colour(ink.theme.sheen), max(2.0, 3 * ink.unit), Qt.PenStyle.DashLine)
    ink.painter.setPen(pen)
    ink.painter.drawRect(area.adjusted(3, 3, -3, -3))
    height = min(18 * ink.unit + 4, area.height() * 0.16)
    tag = QRectF(area.right() - height * 3.2 - 4, area.bottom() - height - 4, height * 3.2, height)
    ink.painter.fillRect(tag, colour(ink.theme.sheen))
    ink.text(
        tag,
        tr("trial"),
        weight=MEDIUM,
        shade=ink.theme.on_sheen,
        align=Qt.AlignmentFlag.AlignCenter,
    )

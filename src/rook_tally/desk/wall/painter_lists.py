"""Panes of lines, inked: lamps, a score with what spoils it, what stands, newest readings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TypeVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPen

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.desk.parts.drawing import strokes_width
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, REGULAR, colour
from rook_tally.desk.wall.painter import LEAST_PX, RIGHT, PanePainter
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.pane_views import (
    Lamp,
    LampsBody,
    LampState,
    Loss,
    ScoreBody,
    StandingBody,
    StandingLine,
    TableBody,
    TableLine,
)

_ROW, _LEAST_ROW = 36.0, 19.0
_T = TypeVar("_T")


def _rows(
    ink: PanePainter,
    area: QRectF,
    lines: Sequence[_T],
    draw: Callable[[PanePainter, _T, QRectF], None],
) -> None:
    """Lines one under the other, as tall as there is room for; what does not fit is counted."""
    if not lines:
        return
    height = min(_ROW * ink.unit, max(area.height() / len(lines), _LEAST_ROW * ink.unit))
    fitting = max(1, int(area.height() / height + 0.01))
    shown = lines if len(lines) <= fitting else lines[: fitting - 1]
    for at, one in enumerate(shown):
        draw(ink, one, QRectF(area.left(), area.top() + at * height, area.width(), height))
    if len(shown) < len(lines):
        last = QRectF(area.left(), area.top() + len(shown) * height, area.width(), height)
        told = tr("{0} more: this pane is too small for them", len(lines) - len(shown))
        ink.text(last, told, shade=ink.theme.dim, most=22 * ink.unit)


def draw_lamps(ink: PanePainter, body: LampsBody, area: QRectF) -> None:
    """A square a lamp, filled when it is on; its name and its words."""
    _rows(ink, area, body.lamps, _lamp)


def _lamp(ink: PanePainter, one: Lamp, line: QRectF) -> None:
    ink.painter.save()
    ink.fade(one.freshness if one.freshness is Freshness.SILENT else Freshness.FRESH)
    size = min(16 * ink.unit, line.height() * 0.5)
    box = QRectF(line.left() + 1, line.center().y() - size / 2, size, size)
    on = ink.theme.here
    if one.state is LampState.ON:
        ink.painter.fillRect(box, colour(on))
    elif one.state is LampState.OFF:
        ink.painter.setPen(QPen(colour(ink.theme.dim), max(1.2, 1.8 * ink.unit)))
        ink.painter.drawRect(box)
    elif one.level is not Level.SETTLED:
        ink.strokes(one.level, box.left(), box.top(), size)
    left = line.adjusted(max(size, strokes_width(one.level, size)) + 12 * ink.unit, 0, 0, 0)
    is_on = one.state is not LampState.OFF
    name = left.adjusted(0, 0, -left.width() * 0.6, 0)
    most = 24 * ink.unit * 1.2
    taken = ink.text(
        name,
        one.name,
        weight=BOLD if is_on else MEDIUM,
        shade=ink.theme.ink if is_on else ink.theme.dim,
        most=most,
    )
    words = left.adjusted(max(left.width() * 0.33, taken + 14 * ink.unit), 0, 0, 0)
    ink.text(words, one.words, shade=ink.theme.dim, most=most * 0.9)
    ink.painter.restore()


def draw_score(ink: PanePainter, body: ScoreBody, area: QRectF) -> None:
    """The score large, what spoils it in words, what each input takes as a bar."""
    line = min(28 * ink.unit * 1.35, area.height() * 0.12)
    if line < LEAST_PX * 1.3:
        ink.value(area, body.value)
        return
    bars = min(len(body.losses), 5) if area.height() > 9 * line else 0
    foot = bars * line * 1.1
    words = (2.1 if body.sentence else 1.1) * line if body.spoils else 0.0
    ink.value(area.adjusted(0, 0, 0, -(foot + words + line * 0.6)), body.value)
    top = area.bottom() - foot - words - line * 0.2
    ink.text(
        QRectF(area.left(), top, area.width(), line),
        body.spoils,
        weight=BOLD,
        shade=ink.shade(body.value.level),
    )
    ink.text(QRectF(area.left(), top + line, area.width(), line * 0.92), body.sentence)
    for at, loss in enumerate(body.losses[:bars]):
        row = QRectF(area.left(), area.bottom() - foot + at * line * 1.1, area.width(), line)
        _loss(ink, loss, row)


def _loss(ink: PanePainter, loss: Loss, line: QRectF) -> None:
    most = 21 * ink.unit * 1.25
    ink.text(line.adjusted(0, 0, -line.width() * 0.8, 0), loss.name, shade=ink.theme.dim, most=most)
    room = line.width() * 0.58
    bar = QRectF(
        line.left() + line.width() * 0.22,
        line.center().y() - line.height() * 0.26,
        max(2.0, room * loss.share),
        line.height() * 0.52,
    )
    ink.painter.fillRect(bar, colour(ink.theme.level(loss.level)))
    beside = QRectF(
        bar.right() + 8 * ink.unit, line.top(), line.right() - bar.right(), line.height()
    )
    ink.text(beside, loss.text, weight=MEDIUM, most=most)


def draw_standing(ink: PanePainter, body: StandingBody, area: QRectF) -> None:
    """Draw alarms, the worst first; one line when there is none."""
    if not body.lines:
        line = QRectF(area.left(), area.top(), area.width(), min(area.height(), _ROW * ink.unit))
        ink.text(line, body.calm, shade=ink.theme.dim, most=26 * ink.unit)
        return
    _rows(ink, area, body.lines, _standing)


def _standing(ink: PanePainter, one: StandingLine, line: QRectF) -> None:
    height = min(24 * ink.unit, line.height() * 0.62)
    ink.strokes(one.level, line.left() + 1, line.center().y() - height / 2, height)
    most = 24 * ink.unit * 1.2
    name = line.adjusted(40 * ink.unit, 0, -line.width() * 0.26, 0)
    ink.text(name, one.name, weight=REGULAR if one.is_seen else BOLD, most=most)
    age = line.adjusted(line.width() * 0.74, 0, 0, 0)
    ink.text(age, one.age, shade=ink.theme.dim, align=RIGHT, most=most * 0.9)


def draw_table(ink: PanePainter, body: TableBody, area: QRectF) -> None:
    """A series a line: its name, its value, how old that is."""
    most = 23 * ink.unit * 1.2
    # One size for all names, and one for all values: no line is more than another.
    names = ink.one_size([one.name for one in body.lines], area.width() * 0.42, most)
    told = [f"{one.value.text} {one.value.unit}".rstrip() for one in body.lines]
    values = ink.one_size(told, area.width() * 0.26, most, BOLD)
    _rows(ink, area, body.lines, partial(_table_line, sizes=(names, values)))


def _table_line(ink: PanePainter, one: TableLine, line: QRectF, sizes: tuple[float, float]) -> None:
    ink.painter.save()
    ink.fade(one.value.freshness)
    names, values = sizes
    ink.text(line.adjusted(0, 0, -line.width() * 0.58, 0), one.name, most=names, least=0.5)
    told = f"{one.value.text} {one.value.unit}".rstrip()
    value = line.adjusted(line.width() * 0.44, 0, -line.width() * 0.3, 0)
    ink.text(
        value,
        told,
        weight=BOLD,
        shade=ink.shade(one.value.level),
        align=RIGHT,
        most=values,
        least=0.0,
    )
    if one.value.level is not Level.SETTLED:
        height = line.height() * 0.5
        ink.strokes(
            one.value.level, value.right() + 8 * ink.unit, line.center().y() - height / 2, height
        )
    ink.text(
        line.adjusted(line.width() * 0.8, 0, 0, 0),
        one.age,
        shade=ink.theme.dim,
        align=RIGHT,
        most=min(names, values) * 0.9,
    )
    ink.painter.restore()

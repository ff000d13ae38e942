"""The pictures of reports, from whole arrays to drawings.

Values are in the unit shown. Every picture can be read without its colours: levels bear strokes,
shades go with an edge that names lowest and highest.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray
from rook_tally.core.quantities.levels import Level
from rook_tally.core.reports.drawing import (
    DIM,
    RULE,
    STRONG_RULE,
    Box,
    Boxes,
    Drawing,
    Item,
    Lines,
    Shape,
    Stroke,
    Text,
)
from rook_tally.core.theme import LIGHT

WIDTH = 487.0
"""Points: what a page has room for."""
_MARGIN = 34.0
_SHADE = 0.02
_SMALL = 8.0
_TRACE = LIGHT.traces[0]
_EMPTY = "#EFEBDF"
Mark = tuple[float, str]
"""A place on an axis and what is written there."""


def lane_chart(
    low: FloatArray,
    mean: FloatArray,
    high: FloatArray,
    *,
    limits: Sequence[tuple[float, Level, str]],
    x_marks: Sequence[Mark],
    y_marks: Sequence[Mark],
    span: tuple[float, float],
    height: float = 92.0,
) -> Drawing:
    """The course of a series: (C,) means as a line, lowest to highest as a band, limits beside."""
    scale = _Scale(span, _MARGIN, WIDTH - 2, 4.0, height - 16)
    items: list[Item] = [*_frame(scale, x_marks, y_marks)]
    for value, level, words in limits:
        if span[0] <= value <= span[1]:
            y = scale.y(value)
            items.append(Stroke((scale.left, y, scale.right, y), LIGHT.levels[level], 0.9, True))
            items.append(Text(scale.right - 3, y - 2, words, 7, ink=LIGHT.levels[level], side="r"))
    x = scale.left + (np.arange(len(mean)) + 0.5) * (scale.right - scale.left) / max(1, len(mean))
    for part in _known_parts(np.isfinite(mean)):
        across, up, down = x[part], scale.ys(high[part]), scale.ys(low[part])
        shape = np.concatenate((across, across[::-1])), np.concatenate((up, down[::-1]))
        items.append(Shape(_pairs(*shape), _TRACE, 0.18))
        items.append(Stroke(_pairs(across, scale.ys(mean[part])), _TRACE, 0.9))
    return Drawing(WIDTH, height, tuple(items))


def hour_sheet(
    level: IntArray, value: FloatArray, day_marks: Sequence[Mark], *, height: float = 118.0
) -> Drawing:
    """Days across, hours down: (D, 24) levels, -1 where nothing was heard. Raised ones bear as many
    strokes as their level says; what is settled is the darker the higher it is."""
    days = len(level)
    left, top, bottom = 26.0, 2.0, height - 14
    wide, tall = (WIDTH - left) / max(1, days), (bottom - top) / 24
    known = value[np.isfinite(value)]
    lowest, highest = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    gap = 0.6 if wide > 3 else 0.15
    room = wide - gap, tall - gap
    corner = np.empty((days, 24, 2))
    corner[..., 0] = left + wide * np.arange(days)[:, None]
    corner[..., 1] = top + tall * np.arange(24)
    share = np.nan_to_num((value - lowest) / ((highest - lowest) or 1.0))
    step = np.round((0.06 + 0.4 * share) / _SHADE).astype(np.int64)
    items: list[Item] = []
    for at in np.unique(step[level == Level.SETTLED]).tolist():
        mask = (level == Level.SETTLED) & (step == at)
        items.append(_boxes(corner[mask], room, LIGHT.sheen, round(at * _SHADE, 2)))
    raised = [at for at in np.unique(level).tolist() if at > Level.SETTLED]
    items += [_boxes(corner[level == at], room, LIGHT.levels[at], 1.0) for at in raised]
    unheard = corner[level < 0] + np.array([0.0, tall / 2])
    to = unheard + np.array([wide - gap, 0.0])
    items += _lines(np.hstack((unheard, to)), RULE, 0.4)
    for at in raised:
        items += _strokes(corner[level == at], *room, at)
    items += [
        Text(left - 5, top + hour * tall + 6, f"{hour:02d}", _SMALL, ink=DIM, side="r")
        for hour in (0, 6, 12, 18)
    ]
    items += [Text(left + at * wide, height - 3, words, _SMALL, ink=DIM) for at, words in day_marks]
    return Drawing(WIDTH, height, tuple(items))


class _Cells:
    """Cells of a table, those of one shade as one item."""

    def __init__(self) -> None:
        self._rects: dict[tuple[str, float], list[float]] = {}

    def add(
        self, x: float, y: float, width: float, height: float, fill: str, opacity: float
    ) -> None:
        """One more; its shade is one of fifty."""
        key = fill, round(round(opacity / _SHADE) * _SHADE, 2)
        self._rects.setdefault(key, []).extend(
            (round(x, 2), round(y, 2), round(width, 2), round(height, 2))
        )

    @property
    def items(self) -> list[Item]:
        """All of them."""
        return [Boxes(tuple(told), *key) for key, told in self._rects.items()]


def _boxes(corner: FloatArray, room: tuple[float, float], fill: str, opacity: float) -> Boxes:
    """Cells of one size and shade by their corners, (N, 2)."""
    rects = np.empty((len(corner), 4))
    rects[:, :2], rects[:, 2:] = corner, room
    return Boxes(tuple(rects.round(2).ravel().tolist()), fill, opacity)


def _lines(ends: FloatArray, ink: str, thick: float) -> list[Item]:
    """Lines by both of their ends, (N, 4)."""
    return [Lines(tuple(ends.round(2).ravel().tolist()), ink, thick)] if len(ends) else []


def _strokes(corner: FloatArray, width: float, height: float, count: int) -> list[Item]:
    """As many short strokes as a level has, across cells that have room for them."""
    if width < 4 or height < 2.5:
        return []
    step = width / (count + 1)
    several = [
        np.hstack([corner + np.array([step * at, height * part]) for part in (0.22, 0.78)])
        for at in range(1, count + 1)
    ]
    return _lines(np.concatenate(several), "#FFFFFF", 0.8)


def profile_chart(
    median: FloatArray,
    low: FloatArray,
    high: FloatArray,
    y_marks: Sequence[Mark],
    span: tuple[float, float],
    height: float = 92.0,
) -> Drawing:
    """A usual day: (24,) medians with the quarter below and above."""
    marks = [(hour / 24, f"{hour:02d}") for hour in (0, 6, 12, 18)]
    return lane_chart(
        low, median, high, limits=(), x_marks=marks, y_marks=y_marks, span=span, height=height
    )


def week_chart(value: FloatArray, names: Sequence[str], height: float = 84.0) -> Drawing:
    """Seven days of 24 hours, (7, 24): the darker the higher; empty where nothing was heard."""
    left, top, foot = 40.0, 2.0, 12.0
    wide, tall = (WIDTH - left) / 24, (height - top - foot) / 7
    known = value[np.isfinite(value)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    items: list[Item] = []
    cells = _Cells()
    unheard: list[tuple[float, ...]] = []
    for row in range(7):
        items.append(
            Text(left - 6, top + row * tall + tall * 0.75, names[row], _SMALL, ink=DIM, side="r")
        )
        for hour in range(24):
            told = float(value[row, hour])
            x, y = left + hour * wide, top + row * tall
            if not math.isfinite(told):
                unheard.append((x, y + tall / 2, x + wide - 1, y + tall / 2))
                continue
            share = (told - low) / ((high - low) or 1.0)
            cells.add(x, y, wide - 0.8, tall - 0.8, _TRACE, 0.06 + 0.8 * share)
    items += [*cells.items, *_lines(np.array(unheard).reshape(-1, 4), RULE, 0.5)]
    items += [
        Text(left + hour * wide, height - 2, f"{hour:02d}", _SMALL, ink=DIM)
        for hour in (0, 6, 12, 18)
    ]
    return Drawing(WIDTH, height, tuple(items))


def column_chart(
    values: FloatArray, marks: Sequence[Mark], y_marks: Sequence[Mark], height: float = 76.0
) -> Drawing:
    """A column a day, (D,); nothing where nothing is known."""
    known = values[np.isfinite(values)]
    top = max(float(known.max()) if len(known) else 1.0, 1e-9)
    scale = _Scale((0.0, top * 1.05), _MARGIN, WIDTH - 2, 4.0, height - 16)
    step = (scale.right - scale.left) / max(1, len(values))
    items: list[Item] = [*_frame(scale, marks, y_marks)]
    for at, one in enumerate(values.tolist()):
        if math.isfinite(one) and one > 0:
            y = scale.y(one)
            x = scale.left + at * step + 0.12 * step
            items.append(Box(x, y, 0.76 * step, scale.bottom - y, _TRACE, 0.75))
    return Drawing(WIDTH, height, tuple(items))


def wind_chart(table: FloatArray, calm: float, classes: Sequence[str]) -> Drawing:
    """A wind rose: (S, K) shares by the direction it comes from and by speed; calm in words."""
    size = 190.0
    middle, reach = size / 2, size / 2 - 16
    most = float(table.sum(axis=1).max()) if table.size else 0.0
    scale = reach / (most or 1.0)
    items: list[Item] = []
    for ring in (0.25, 0.5, 0.75, 1.0):
        items.append(Stroke(_ring(middle, middle, reach * ring), RULE, 0.5))
    for words, east, south in (("N", 0, -1), ("E", 1, 0), ("S", 0, 1), ("W", -1, 0)):
        items.append(
            Text(
                middle + east * (reach + 9),
                middle + south * (reach + 8) + 3,
                words,
                8,
                ink=DIM,
                side="m",
            )
        )
    sectors, speeds = table.shape
    half = math.pi / max(1, sectors) * 0.82
    for sector in range(sectors):
        turn, inner = 2 * math.pi * sector / sectors, 0.0
        for speed in range(speeds):
            outer = inner + float(table[sector, speed]) * scale
            if outer > inner:
                shade = 0.25 + 0.7 * (speed + 1) / speeds
                items.append(
                    Shape(_wedge(middle, turn, half, inner, outer), _TRACE, round(shade, 2))
                )
            inner = outer
    x = size + 30
    items.append(Text(x, 24, f"{100 * calm:.0f} % calm", 9, True))
    items.append(Text(x, 38, f"outer ring {100 * most:.0f} % of the time", 8.5, ink=DIM))
    for at, words in enumerate(classes):
        shade = round(0.25 + 0.7 * (at + 1) / speeds, 2)
        items.append(Box(x, 50 + 14 * at, 9, 9, _TRACE, shade))
        items.append(Text(x + 15, 58 + 14 * at, words, 8.5))
    return Drawing(WIDTH, size, tuple(items))


def _wedge(
    middle: float, turn: float, half: float, inner: float, outer: float
) -> tuple[float, ...]:
    angles = np.linspace(turn - half, turn + half, 7)
    x = np.concatenate((np.sin(angles) * outer, np.sin(angles[::-1]) * inner)) + middle
    y = middle - np.concatenate((np.cos(angles) * outer, np.cos(angles[::-1]) * inner))
    return _pairs(x, y)


def _ring(x: float, y: float, radius: float) -> tuple[float, ...]:
    angles = np.linspace(0, 2 * math.pi, 49)
    return _pairs(x + radius * np.cos(angles), y + radius * np.sin(angles))


def season_sheet(
    value: FloatArray, month_marks: Sequence[Mark], low_words: str, high_words: str
) -> Drawing:
    """A year as days across and hours down, (D, 24): the darker the higher. The same in bands
    below: every band has an edge, so it is read in grey or on a copy as well."""
    days, height = len(value), 132.0
    left, top, bottom = 26.0, 2.0, height - 26
    wide, tall = (WIDTH - left) / max(1, days), (bottom - top) / 24
    known = value[np.isfinite(value)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    steps = 8
    with np.errstate(invalid="ignore"):
        band = np.clip((value - low) / ((high - low) or 1.0) * steps, 0, steps - 1)
    items: list[Item] = [Box(left, top, WIDTH - left, bottom - top, _EMPTY)]
    cells = _Cells()
    for hour in range(24):
        # Neighbouring days of one band are one box: a year has 8,760 cells.
        column = np.where(np.isfinite(band[:, hour]), np.floor(band[:, hour]), -1).astype(np.int64)
        edges = np.flatnonzero(np.diff(column)) + 1
        for begin, end in zip([0, *edges.tolist()], [*edges.tolist(), days], strict=True):
            at = int(column[begin]) if days else -1
            if at >= 0:
                x, y = left + begin * wide, top + hour * tall
                cells.add(x, y, (end - begin) * wide, tall, _TRACE, _band_shade(at, steps))
    items += cells.items
    items += [
        Text(left - 5, top + hour * tall + 6, f"{hour:02d}", _SMALL, ink=DIM, side="r")
        for hour in (0, 6, 12, 18)
    ]
    items += [
        Text(left + at * wide, bottom + 10, words, _SMALL, ink=DIM) for at, words in month_marks
    ]
    x, y = WIDTH - 176, height - 9
    items.append(Text(x - 6, y + 7, low_words, _SMALL, ink=DIM, side="r"))
    for at in range(steps):
        shade = _band_shade(at, steps)
        items.append(Box(x + 12 * at, y, 12, 8, _TRACE, shade))
        items.append(Stroke(_box_edge(x + 12 * at, y, 12, 8), STRONG_RULE, 0.4))
    items.append(Text(x + 12 * steps + 6, y + 7, high_words, _SMALL, ink=DIM))
    return Drawing(WIDTH, height, tuple(items))


def _box_edge(x: float, y: float, width: float, height: float) -> tuple[float, ...]:
    return (x, y, x + width, y, x + width, y + height, x, y + height, x, y)


class _Scale:
    """Where values lie on the ground of a picture."""

    def __init__(
        self, span: tuple[float, float], left: float, right: float, top: float, bottom: float
    ) -> None:
        self.left, self.right, self.top, self.bottom = left, right, top, bottom
        self._low, self._high = span

    def y(self, value: float) -> float:
        share = (value - self._low) / ((self._high - self._low) or 1.0)
        return self.bottom - share * (self.bottom - self.top)

    def ys(self, values: FloatArray) -> FloatArray:
        share = (values - self._low) / ((self._high - self._low) or 1.0)
        return np.clip(self.bottom - share * (self.bottom - self.top), self.top, self.bottom)


def _frame(scale: _Scale, x_marks: Sequence[Mark], y_marks: Sequence[Mark]) -> list[Item]:
    items: list[Item] = []
    for value, words in y_marks:
        y = scale.y(value)
        if scale.top - 0.5 <= y <= scale.bottom + 0.5:
            items.append(Stroke((scale.left, y, scale.right, y), RULE, 0.5))
            items.append(Text(scale.left - 5, y + 3, words, _SMALL, ink=DIM, side="r"))
    for at, words in x_marks:
        x = scale.left + at * (scale.right - scale.left)
        items.append(Stroke((x, scale.bottom, x, scale.bottom + 3), STRONG_RULE, 0.5))
        items.append(Text(x + 2, scale.bottom + 10, words, _SMALL, ink=DIM))
    edge = (scale.left, scale.bottom, scale.right, scale.bottom)
    return [*items, Stroke(edge, STRONG_RULE, 0.7)]


def _known_parts(known: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> list[slice]:
    edges = np.flatnonzero(np.diff(np.concatenate(([False], known, [False])).astype(np.int8)))
    return [
        slice(begin, end)
        for begin, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    ]


def _pairs(x: FloatArray, y: FloatArray) -> tuple[float, ...]:
    return tuple(np.column_stack((x, y)).round(2).ravel().tolist())


def _band_shade(at: int, steps: int) -> float:
    return round(round((0.08 + 0.88 * at / (steps - 1)) / _SHADE) * _SHADE, 2)

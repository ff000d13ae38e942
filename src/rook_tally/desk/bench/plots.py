"""Small plots as plain values: what is drawn where. A widget draws them, a file gets their data."""

from __future__ import annotations

import enum
import math
from typing import TypeAlias

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray


class Ink(enum.Enum):
    """What a mark stands for; the theme says in which colour that is drawn."""

    FIRST = "first"
    SECOND = "second"
    STRONG = "strong"
    FAINT = "faint"
    AFTER = "after"
    TODAY = "today"


class PlotLine(msgspec.Struct, frozen=True):
    """A line through (N,) points; NaN cuts it."""

    x: FloatArray
    y: FloatArray
    ink: Ink
    name: str = ""
    thick: float = 1.3
    dashed: bool = False


class Between(msgspec.Struct, frozen=True):
    """The ground between two lines."""

    x: FloatArray
    low: FloatArray
    high: FloatArray
    ink: Ink


class Dots(msgspec.Struct, frozen=True):
    """(N,) points."""

    x: FloatArray
    y: FloatArray
    ink: Ink
    size: float = 3.0


class LevelLine(msgspec.Struct, frozen=True):
    """A level all across, or with `upright` a moment all the way up, with words at its end."""

    at: float
    ink: Ink
    words: str = ""
    dashed: bool = True
    upright: bool = False


class Bars(msgspec.Struct, frozen=True):
    """Bars from 0 up between (N + 1,) edges."""

    edges: FloatArray
    height: FloatArray
    ink: Ink


Mark: TypeAlias = PlotLine | Between | Dots | LevelLine | Bars


class Axis(enum.Enum):
    """What an axis tells; its words are made by whoever knows zone and unit."""

    VALUE = "value"
    TIME = "time"


class Plot(msgspec.Struct, frozen=True):
    """One plot. `x_range` and `y_range`: what is shown; `x_marks` and `y_marks`: words at values.

    `title` stands above it; `weight`: its share of the height; `legend`: words with their ink.
    """

    title: str
    marks: tuple[Mark, ...]
    x_range: tuple[float, float]
    y_range: tuple[float, float]
    x_marks: tuple[tuple[float, str], ...] = ()
    y_marks: tuple[tuple[float, str], ...] = ()
    legend: tuple[tuple[str, Ink], ...] = ()
    weight: float = 1.0
    spoken: str = ""


class HeatTable(msgspec.Struct, frozen=True):
    """A table of the week: (7, 24) values and how much of each was heard, with words for both ends.

    `row_names` and `column_marks` are written beside and below it.
    """

    title: str
    value: FloatArray
    share: FloatArray
    low_words: str
    high_words: str
    row_names: tuple[str, ...]
    column_marks: tuple[tuple[int, str], ...]
    weight: float = 1.0
    spoken: str = ""


Picture: TypeAlias = tuple[tuple[Plot | HeatTable, ...], ...]
"""Rows of plots; those of one row share its height, the first one's weight counts."""


def range_of(*several: FloatArray, margin: float = 0.06) -> tuple[float, float]:
    """From the lowest to the highest known value with a little room; never nothing."""
    known = [one[np.isfinite(one)] for one in several]
    told = np.concatenate(known) if known else np.empty(0)
    if not len(told):
        return 0.0, 1.0
    low, high = float(told.min()), float(told.max())
    room = (high - low) * margin or max(abs(low) * 0.01, 0.5)
    return low - room, high + room


def known_of(x: FloatArray, y: FloatArray) -> BoolArray:
    """Which of (N,) points can be drawn."""
    return np.isfinite(x) & np.isfinite(y)


def columns_of(picture: Picture) -> list[tuple[str, FloatArray]]:
    """Every column of numbers in a picture, by a name for each: what a file of it holds."""
    found: list[tuple[str, FloatArray]] = []

    def add(name: str, values: FloatArray) -> None:
        found.append((name, np.asarray(values, np.float64)))

    for row in picture:
        for plot in row:
            if isinstance(plot, HeatTable):
                add(plot.title, plot.value.ravel())
                add(f"{plot.title}: heard", plot.share.ravel())
                continue
            for number, mark in enumerate(plot.marks, 1):
                name = f"{plot.title} {number}" if plot.title else f"{number}"
                if isinstance(mark, PlotLine) and mark.name:
                    name = mark.name
                if isinstance(mark, PlotLine | Dots):
                    add(f"{name} x", mark.x)
                    add(f"{name} y", mark.y)
                elif isinstance(mark, Between):
                    add(f"{name} x", mark.x)
                    add(f"{name} low", mark.low)
                    add(f"{name} high", mark.high)
                elif isinstance(mark, Bars):
                    add(f"{name} from", mark.edges[:-1])
                    add(f"{name} share", mark.height)
                elif math.isfinite(mark.at):
                    add(f"{name} {mark.words}".rstrip(), np.array([mark.at]))
    return found

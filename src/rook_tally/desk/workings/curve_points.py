"""Points of a curve as a person writes them: `0 → 100; 15 → 80; 75 → 0`."""

from __future__ import annotations

import re
from itertools import pairwise

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.desk.workings.texts import tr

Points = tuple[tuple[float, float], ...]
FEWEST = 2
_ARROW = re.compile(r"→|->|=|:")


def points_text(points: Points) -> str:
    """The points of a curve on one line, to be typed over."""
    return "; ".join(f"{number_text(x)} → {number_text(score)}" for x, score in points)


def typed_points(text: str) -> Points:
    """The points that a person typed: readings that rise, each with its score from 0 to 100.

    Raises
    ------
    UsageError
        When one is no point, when there are fewer than two, or when two are at one reading.
    """
    parts = [one for one in re.split(r"[;\n]", text) if one.strip()]
    points = tuple(sorted(_point(one) for one in parts))
    if len(points) < FEWEST:
        raise UsageError(tr("a curve has two points or more"), remedy=_example())
    for (x, _), (other, _) in pairwise(points):
        if x == other:
            raise UsageError(tr("two points are at {0}", number_text(x)), remedy=_example())
    return points


def _point(text: str) -> tuple[float, float]:
    sides = _ARROW.split(text)
    if len(sides) != 2:
        raise UsageError(tr("{0} is no point", repr(text.strip())), remedy=_example())
    x, score = typed_number(sides[0]), typed_number(sides[1])
    if not 0 <= score <= 100:
        raise UsageError(tr("a score is from 0 to 100, not {0}", number_text(score)))
    return x, score


def _example() -> str:
    return tr("write each as a reading and its score: 0 → 100; 15 → 80; 75 → 0")

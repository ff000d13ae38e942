"""Numbers for the templates' drawings: points of traces, arcs of dials, widths of words."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope
from rook_tally.wall.pane_views import ValueText

_NARROW = frozenset(".,:;|'!ilj I1\u2009")
_WIDE = frozenset("mwMW%—–@")


def text_width(text: str) -> float:
    """About how wide a text is in letters of size 100; a little more rather than less."""
    return sum(40.0 if c in _NARROW else 98.0 if c in _WIDE else 70.0 for c in text)


def letters_of(parts: Sequence[str | ValueText]) -> int:
    """Length of own words, in eights of letters: the style sheet has a size for each."""
    letters = sum(
        len(one) if isinstance(one, str) else len(f"{one.text} {one.unit}") for one in parts
    )
    return min(160, max(8, -(-letters // 8) * 8))


def trace_points(envelope: Envelope, low: float, high: float) -> tuple[str, ...]:
    """The mean as polylines over a square of 1000, one a stretch without a gap."""
    parts = envelope.segments()
    if not parts:
        return ()
    scale = 1000 / max(high - low, 1e-12)
    x = (np.arange(len(envelope)) + 0.5) * (1000 / len(envelope))
    y = np.clip((high - envelope.mean) * scale, -50, 1050)
    told = []
    for part in parts:
        columns = part if len(part) > 1 else np.repeat(part, 2)
        pairs = np.column_stack((x[columns], y[columns])).round(1).tolist()
        told.append(" ".join(f"{a:g},{b:g}" for a, b in pairs))
    return tuple(told)


def arc_path(low: float, high: float, radius: float) -> str:
    """A part of the upper half circle around (0, 0), as an SVG path."""

    def point(part: float) -> str:
        angle = math.pi * (1 - part)
        return f"{radius * math.cos(angle):.2f},{-radius * math.sin(angle):.2f}"

    return f"M{point(low)} A{radius},{radius} 0 0 1 {point(high)}"


def hand_ends(at: float, inner: float, outer: float) -> tuple[float, float, float, float]:
    """A stroke across the arc at a part of it: x1, y1, x2, y2."""
    angle = math.pi * (1 - at)
    x, y = math.cos(angle), -math.sin(angle)
    return round(x * inner, 2), round(y * inner, 2), round(x * outer, 2), round(y * outer, 2)


def strokes_of(level: Level, height: float) -> tuple[float, ...]:
    """Where a level's strokes stand, from 0 on, for strokes of a height."""
    return tuple(round(at * height * 0.3 + height * 0.06, 2) for at in range(int(level)))

"""The four ways to average a quantity: what lies between two readings, and what is summed.

Every statistic of a stretch is an integral over the straight pieces between neighbouring readings.
What is straight between them is not always the value itself: of a level in decibels it is the power
(L_eq, ISO 1996-1:2016), of a direction the unit vector (mean direction; spread after Yamartino
1984, J. Climate Appl. Meteor. 23:1362-1366), and a state or a counter holds until the next word.
The quantity summed is called its *component* here: real, or complex for a direction.
"""

from __future__ import annotations

import enum
import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import FloatArray

Component = NDArray[np.inexact[Any]]
"""Float64, or complex128 for directions."""

_FULL_TURN = 360.0
# A resultant shorter than this is rounding noise: opposite directions have no mean.
_NO_DIRECTION = 1e-9


class Averaging(enum.Enum):
    """The four ways to average readings; each quantity has one."""

    ARITHMETIC = "arithmetic"
    ENERGETIC = "energetic"
    CIRCULAR = "circular"
    HELD = "held"

    @property
    def is_plain(self) -> bool:
        """True if values themselves are summed, so that they may be used as they stand."""
        return self in (Averaging.ARITHMETIC, Averaging.HELD)


def component_of(averaging: Averaging, value: FloatArray) -> Component:
    """Return what an average sums for each value, in the shape of `value`.

    float64; for directions complex128 of length 1.
    """
    if averaging is Averaging.ENERGETIC:
        return np.asarray(10.0 ** (value / 10.0), np.float64)
    if averaging is Averaging.CIRCULAR:
        return np.exp(1j * np.deg2rad(value))
    return value


def value_of(averaging: Averaging, component: Component) -> FloatArray:
    """The values that mean components stand for; directions in [0, 360), NaN for none."""
    if averaging is Averaging.ENERGETIC:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(10.0 * np.log10(component.real), np.float64)
    if averaging is Averaging.CIRCULAR:
        turned = np.rad2deg(np.angle(component)) % _FULL_TURN
        # A tiny negative angle comes out as 360 itself.
        turned = np.where(turned >= _FULL_TURN, 0.0, turned)
        return np.where(np.abs(component) > _NO_DIRECTION, turned, np.nan)
    return np.asarray(component.real, np.float64)


def mean_value(averaging: Averaging, value: FloatArray) -> float:
    """Mean of (N,) values that count alike; NaN is left out, and the answer without one.

    Of places as of moments: levels by their energy, directions by their vectors.
    """
    known = value[np.isfinite(value)]
    if not len(known):
        return math.nan
    component = np.mean(component_of(averaging, known))
    return float(value_of(averaging, np.atleast_1d(component))[0])


def spread_of_directions(resultant: float) -> float:
    """Standard deviation of directions in degrees from the length of their mean vector, 0 to 1.

    Yamartino 1984: σ = asin(ε)·(1 + 0.1547·ε³), ε = √(1 − R²).
    """
    if not math.isfinite(resultant):
        return math.nan
    epsilon = math.sqrt(max(0.0, 1.0 - min(1.0, resultant) ** 2))
    return math.degrees(math.asin(min(1.0, epsilon)) * (1.0 + 0.1547 * epsilon**3))


def change(averaging: Averaging, first: float, second: float) -> float:
    """Return `second` less `first`; directions turn the shorter way round, in (−180, 180]."""
    if averaging is not Averaging.CIRCULAR:
        return second - first
    turned = (second - first) % _FULL_TURN
    return turned - _FULL_TURN if turned > _FULL_TURN / 2 else turned


def unwound(value: FloatArray) -> FloatArray:
    """(N,) directions as an angle without jumps: each the shorter way round from the one before."""
    if len(value) < 2:
        return value
    step = (np.diff(value) + _FULL_TURN / 2) % _FULL_TURN - _FULL_TURN / 2
    return np.concatenate((value[:1], value[0] + np.cumsum(step)))


def arc_of(low: FloatArray, high: FloatArray) -> tuple[float, float]:
    """The shortest arc over (N,) arcs from low to high, clockwise, in degrees.

    A direction of its own is an arc from itself to itself. The result begins in [0, 360) and ends
    less than a full turn later, so that its end may lie past 360; NaN twice without an arc.
    """
    known = np.isfinite(low) & np.isfinite(high)
    if not known.any():
        return math.nan, math.nan
    begin, width = low[known] % _FULL_TURN, np.maximum(high[known] - low[known], 0.0)
    order = np.argsort(begin, kind="stable")
    begin, width = begin[order], width[order]
    reached = np.maximum.accumulate(begin + width)
    # An arc over north reaches the first ones from behind.
    wrapped = reached[-1] - _FULL_TURN
    following = np.append(begin[1:], begin[0] + _FULL_TURN)
    free = following - np.maximum(reached, max(wrapped, 0.0))
    widest = int(np.argmax(free))
    if free[widest] <= 0:
        return 0.0, math.nextafter(_FULL_TURN, 0.0)
    start = float(following[widest] % _FULL_TURN)
    return start, start + _FULL_TURN - float(free[widest])


def lies_on_arc(value: float, low: float, high: float) -> bool:
    """True if a direction lies on the arc from low to high, ends included."""
    return (value - low) % _FULL_TURN <= high - low

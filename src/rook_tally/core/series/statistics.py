"""Time-weighted statistics of irregular readings with gaps (section H of our formulas).

Every two neighbours of one run give a straight *piece*, clipped to the window with linear
values at the cut, so that two adjoining windows add up exactly. A lone reading inside the window
is a flat piece one cadence long, never clipped. Pass readings from `start - max_gap_s` to
`end + max_gap_s`: runs are found before the window is applied. The trapezoid is plain
mathematics; the treatment of gaps and lone readings is our own definition. Unknown answers are
NaN (or None where a time is meant), never 0.

What is straight is the quantity's *component* (`core.averaging`): of a level the power, of a
direction the unit vector; a state holds its value over the whole piece.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, inner, quantiles_of
from rook_tally.core.quantities.averaging import (
    Averaging,
    Component,
    component_of,
    spread_of_directions,
    value_of,
)
from rook_tally.core.series.gaps import check_window, cleaned, inside, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

HOUR_S = 3600.0


class Window(msgspec.Struct, frozen=True):
    """The stretch a statistic is about, half-open [start, end); None leaves an edge open."""

    start_us: int | None = None
    end_us: int | None = None

    def __post_init__(self) -> None:
        check_window(self.start_us, self.end_us)


EVERYTHING = Window()
_BLOCK = 1 << 14


class Pieces(msgspec.Struct, frozen=True):
    """Straight pieces under the readings of a window, (P,) each.

    `length_s` is a piece's length, float64; `left` and `right` its end components, which are the
    values themselves unless the quantity averages otherwise.
    """

    length_s: FloatArray
    left: Component
    right: Component
    averaging: Averaging = Averaging.ARITHMETIC

    @property
    def covered_s(self) -> float:
        """Total length, s."""
        return float(self.length_s.sum())

    @property
    def ends(self) -> tuple[FloatArray, FloatArray]:
        """The values at both ends of each piece; of directions the second may lie past 360."""
        left = value_of(self.averaging, self.left)
        right = value_of(self.averaging, self.right)
        if self.averaging is Averaging.CIRCULAR:
            right = left + (right - left + 180.0) % 360.0 - 180.0
        return left, right


class Extreme(msgspec.Struct, frozen=True):
    """A lowest or highest reading and its moment; both None when there is none."""

    value: float | None
    time_us: int | None


class Completeness(msgspec.Struct, frozen=True):
    """Share of the expected readings that came: by count, and by time covered (both 0–1)."""

    heard: int
    expected: int
    completeness: float
    covered_fraction: float


def pieces_of(
    readings: Readings,
    *,
    max_gap_s: float,
    cadence_s: float,
    window: Window = EVERYTHING,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> Pieces:
    """The straight pieces of a window; a piece of no width is left out."""
    time_us, told = cleaned(readings)
    value = component_of(averaging, told)
    is_held = averaging is Averaging.HELD
    if not len(time_us):
        nothing = np.empty(0)
        return Pieces(nothing, value, value, averaging)
    steps_us = np.diff(time_us)
    joined = steps_us <= microseconds(max_gap_s)
    if window == EVERYTHING and len(time_us) > 1 and joined.all():
        # One run, all of it: nothing to cut and nothing alone.
        right = value[:-1] if is_held else value[1:]
        return Pieces(steps_us / SECOND_US, value[:-1], right, averaging)
    lone = ~np.concatenate(([False], joined)) & ~np.concatenate((joined, [False]))
    lone[: inside(time_us, window.start_us, window.end_us).start] = False
    lone[inside(time_us, window.start_us, window.end_us).stop :] = False

    begin, end = time_us[:-1][joined], time_us[1:][joined]
    left = value[:-1][joined]
    right = left if is_held else value[1:][joined]
    from_us = begin if window.start_us is None else np.maximum(begin, window.start_us)
    to_us = end if window.end_us is None else np.minimum(end, window.end_us)
    wide = to_us > from_us
    if not wide.all():
        begin, end, left, right = begin[wide], end[wide], left[wide], right[wide]
        from_us, to_us = from_us[wide], to_us[wide]
    # Only a piece at an edge is cut. Differences are taken as whole microseconds: an epoch in
    # float seconds would lose them.
    cut = np.flatnonzero((from_us != begin) | (to_us != end))
    clipped_left, clipped_right = left, right
    if len(cut):
        slope = (right[cut] - left[cut]) / (end[cut] - begin[cut]).astype(np.float64)
        clipped_left, clipped_right = left.copy(), right.copy()
        clipped_left[cut] = np.where(
            from_us[cut] == begin[cut], left[cut], left[cut] + slope * (from_us - begin)[cut]
        )
        clipped_right[cut] = np.where(
            to_us[cut] == end[cut], right[cut], left[cut] + slope * (to_us - begin)[cut]
        )
    length_s = (to_us - from_us) / SECOND_US
    if not lone.any():
        return Pieces(length_s, clipped_left, clipped_right, averaging)
    return Pieces(
        np.concatenate((length_s, np.full(int(lone.sum()), float(cadence_s)))),
        np.concatenate((clipped_left, value[lone])),
        np.concatenate((clipped_right, value[lone])),
        averaging,
    )


def covered_s(
    readings: Readings, *, max_gap_s: float, cadence_s: float, window: Window = EVERYTHING
) -> float:
    """Time of the window that readings cover, s; 0 when empty."""
    return pieces_of(readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window).covered_s


def _twice_area(length_s: FloatArray, left: FloatArray, right: FloatArray) -> float:
    """Σ d·(a+b), with no array between."""
    return inner(length_s, left) + inner(length_s, right)


def mean_component_of(pieces: Pieces) -> complex:
    """Mean component Σ d·(a+b)/2 / W, with an imaginary part for directions only; NaN when nothing
    is covered."""
    weight = pieces.covered_s
    if weight == 0:
        return complex(math.nan)
    area = _twice_area(pieces.length_s, pieces.left.real, pieces.right.real)
    if pieces.averaging is not Averaging.CIRCULAR:
        return complex(area / 2 / weight)
    across = _twice_area(pieces.length_s, pieces.left.imag, pieces.right.imag)
    return complex(area, across) / 2 / weight


def mean_of(pieces: Pieces) -> float:
    """Time-weighted mean, as its quantity averages; NaN when nothing is covered."""
    component = mean_component_of(pieces)
    if pieces.averaging.is_plain:
        return component.real
    return float(value_of(pieces.averaging, np.array([component]))[0])


def std_of(pieces: Pieces) -> float:
    """Time-weighted standard deviation, trapezoid of the squares; NaN when nothing is covered.

    Of levels that of the decibels, of directions after Yamartino 1984.
    """
    weight = pieces.covered_s
    if weight == 0:
        return math.nan
    if pieces.averaging is Averaging.CIRCULAR:
        return spread_of_directions(abs(mean_component_of(pieces)))
    left, right = pieces.ends
    mean = _twice_area(pieces.length_s, left, right) / 2 / weight
    squares = (left - mean) ** 2 + (right - mean) ** 2
    return math.sqrt(float((pieces.length_s * squares).sum()) / 2 / weight)


def excess_of(pieces: Pieces, limit: float) -> tuple[float, float]:
    """Time strictly above a limit, s, and the integral of the excess, unit·s; crossings exact.

    A piece lying on the limit counts 0; no piece at all gives NaN twice.
    """
    if not len(pieces.length_s):
        return math.nan, math.nan
    above_s = excess = 0.0
    left, right = pieces.ends
    # A block at a time: ten steps over whole arrays would go to memory and back ten times.
    for start in range(0, len(pieces.length_s), _BLOCK):
        part = slice(start, start + _BLOCK)
        share, twice_height = part_above(left[part] - limit, right[part] - limit)
        lasting_s = pieces.length_s[part] * share
        above_s += float(lasting_s.sum())
        excess += float(inner(lasting_s, twice_height))
    return above_s, excess / 2


def part_above(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Of straight pieces from (N,) `a` to `b`: the share above 0, and twice the mean height there.

    A piece lying on 0 counts 0; where the share is 0 the height says nothing.
    """
    high, low = np.maximum(a, b), np.minimum(a, b)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = high / (high - low)
    over = low >= 0
    share[over] = 1.0
    share[high <= 0] = 0.0
    # Over the part that is above: a triangle, or all of a piece that never goes below.
    high[over] += low[over]
    return share, high


def mirrored(pieces: Pieces) -> Pieces:
    """The pieces turned upside down, so that below becomes above."""
    left, right = pieces.ends
    return Pieces(pieces.length_s, -left, -right)


def exposure_of(pieces: Pieces) -> float:
    """Integral of the value over the pieces, unit·h; NaN without a piece."""
    if not len(pieces.length_s):
        return math.nan
    return _twice_area(pieces.length_s, *pieces.ends) / 2 / HOUR_S


def lowest(readings: Readings, window: Window = EVERYTHING) -> Extreme:
    """The lowest good reading of a window, the earliest of equals."""
    return _extreme(readings, window, lowest=True)


def highest(readings: Readings, window: Window = EVERYTHING) -> Extreme:
    """The highest good reading of a window, the earliest of equals."""
    return _extreme(readings, window, lowest=False)


def _extreme(readings: Readings, window: Window, *, lowest: bool) -> Extreme:
    time_us, value = cleaned(readings)
    part = inside(time_us, window.start_us, window.end_us)
    time_us, value = time_us[part], value[part]
    if not len(value):
        return Extreme(None, None)
    at = int(np.argmin(value) if lowest else np.argmax(value))
    return Extreme(float(value[at]), int(time_us[at]))


def percentiles(
    readings: Readings, shares_pct: Sequence[float], window: Window = EVERYTHING
) -> FloatArray:
    """Percentiles by readings, not by time (Hyndman & Fan 1996, type 7).

    Parameters
    ----------
    shares_pct : sequence of numbers in 0…100
        ValueError for any other.

    Returns
    -------
    (len(shares_pct),) float64; NaN each without a reading.
    """
    if any(not 0 <= share <= 100 for share in shares_pct):
        raise ValueError(f"percentiles are asked for as 0 to 100, got {list(shares_pct)}")
    time_us, value = cleaned(readings)
    value = value[inside(time_us, window.start_us, window.end_us)]
    if not len(value):
        return np.full(len(shares_pct), np.nan)
    return quantiles_of(value.copy(), [share / 100 for share in shares_pct])


def completeness(
    readings: Readings, *, max_gap_s: float, cadence_s: float, start_us: int, end_us: int
) -> Completeness:
    """Share of a window that was heard, by count and by time covered."""
    window = Window(start_us, end_us)
    time_us, _ = cleaned(readings)
    part = inside(time_us, start_us, end_us)
    heard = part.stop - part.start
    window_s = (end_us - start_us) / SECOND_US
    expected = max(1, math.floor(window_s / cadence_s + 0.5))
    covered = covered_s(readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window)
    return Completeness(heard, expected, min(1.0, heard / expected), min(1.0, covered / window_s))

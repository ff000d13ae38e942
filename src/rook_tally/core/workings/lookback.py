"""The last while of a value: means, extremes, slopes and more over (t − N, t] at many moments.

What lies between two readings is a straight line, unless they are a gap apart (of levels, states
and directions see `core.averaging`); a window speaks when
at least half of it is covered by such lines (extremes, counts and quantiles go by the readings in
it, the same rule holding).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray, are_finite, finite_of
from rook_tally.core.formulas.electrical import charge_flows, clamped_walk
from rook_tally.core.formulas.ventilation import FEWEST_FOR_A_LINE
from rook_tally.core.quantities.averaging import (
    Averaging,
    component_of,
    spread_of_directions,
    unwound,
    value_of,
)
from rook_tally.core.series.rolling import OrderStatistics, position_of_highest, slopes_per_h
from rook_tally.core.series.statistics import part_above
from rook_tally.core.timestamps import DAY_US, SECOND_US

LEAST_COVERED = 0.5
_HOUR_S = 3600.0

Weighed = Callable[[FloatArray, FloatArray, FloatArray], FloatArray]
"""What a straight piece counts for: left value, right value, length in s → amount."""


@dataclass(frozen=True, slots=True)
class _Edges:
    """Where (M,) windows begin and end among (N,) readings and the pieces between them.

    Whole pieces are [inner_from, inner_to), where the window `reaches` any; of the piece `cut`, if
    it `is_cut`, the window has what comes after `cut_share` of it, `cut_s` long.
    """

    inner_from: IntArray
    inner_to: IntArray
    reaches: BoolArray
    cut: IntArray
    is_cut: BoolArray
    cut_share: FloatArray
    cut_s: FloatArray


@dataclass
class Lookback:
    """Windows of one length over one value.

    Attributes
    ----------
    time_us, value : (N,) strictly rising times, NaN where there is a gap
    gap_us : int
        Readings further apart are not joined.
    window_us : int
    at : (M,) int64
        The moments asked for.
    averaging : Averaging
        How the value averages.
    """

    time_us: TimeArray
    value: FloatArray
    gap_us: int
    window_us: int
    at: TimeArray
    averaging: Averaging = Averaging.ARITHMETIC
    _centre: float = field(init=False, default=0.0)

    def __post_init__(self) -> None:
        known = finite_of(self.value)
        # Sums of squares keep their digits when taken from a value nearby.
        self._centre = float(known[0]) if len(known) else 0.0

    @cached_property
    def _joined(self) -> BoolArray:
        """(N−1,) which neighbours have a line between them."""
        joined = self._steps_s <= self.gap_us / SECOND_US
        if not are_finite(self.value):
            known = np.isfinite(self.value)
            joined &= known[1:]
            joined &= known[:-1]
        return joined

    @cached_property
    def _steps_s(self) -> FloatArray:
        return (self.time_us[1:] - self.time_us[:-1]) / SECOND_US

    @cached_property
    def _edges(self) -> _Edges:
        """Where the windows begin and end among the pieces; there are two readings or more."""
        start, last_piece = self.at - self.window_us, len(self.time_us) - 2
        first = self.time_us.searchsorted(start, side="right") - 1
        # What comes after the newest reading is not known at that moment.
        last = self.time_us.searchsorted(self.at, side="right") - 1
        piece = np.minimum(np.maximum(first, 0), last_piece)
        begin_us = self.time_us[piece]
        end_us = self.time_us[piece + 1]
        reaches = last > first
        is_cut = reaches & (first == piece) & self._joined[piece] & (end_us > start)
        return _Edges(
            inner_from=np.minimum(first + 1, last_piece + 1),
            inner_to=np.maximum(last, 0),
            reaches=reaches,
            cut=piece,
            is_cut=is_cut,
            cut_share=(start - begin_us) / (end_us - begin_us),
            cut_s=(end_us - start) / SECOND_US,
        )

    def amount(self, weigh: Weighed, value: FloatArray | None = None) -> FloatArray:
        """Sum of what the pieces of each window count for, those at its edges cut; (M,)."""
        values = self.value if value is None else value
        if len(values) < 2:
            return np.zeros(len(self.at))
        edges = self._edges
        upto = np.zeros(len(values))
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            # What is held has on the right what it had on the left.
            is_held = self.averaging is Averaging.HELD
            whole = weigh(values[:-1], values[:-1] if is_held else values[1:], self._steps_s)
            if not self._are_joined:
                whole = np.where(self._joined, whole, 0.0)
            np.cumsum(whole, out=upto[1:])
            left = values[edges.cut]
            right = left if is_held else values[edges.cut + 1]
            head = weigh(left + (right - left) * edges.cut_share, right, edges.cut_s)
        inner = np.where(edges.reaches, upto[edges.inner_to] - upto[edges.inner_from], 0.0)
        return inner + np.where(edges.is_cut, head, 0.0)

    @cached_property
    def _are_joined(self) -> bool:
        return bool(self._joined.all())

    @cached_property
    def covered_s(self) -> FloatArray:
        """Time of each window that readings cover, s."""
        return self.amount(lambda left, right, length: length)

    @cached_property
    def speaks(self) -> BoolArray:
        """Which windows are covered enough to say anything."""
        window_s = self.window_us / SECOND_US
        return self.covered_s >= LEAST_COVERED * window_s - 1e-6

    def _said(self, result: FloatArray) -> FloatArray:
        return np.where(self.speaks, result, np.nan)

    def integral(self) -> FloatArray:
        """Integral over time, unit·s; gaps add nothing."""
        return self._said(self.amount(lambda left, right, length: (left + right) / 2 * length))

    def mean(self) -> FloatArray:
        """Time-weighted mean, as the value averages."""
        if self.averaging is Averaging.ENERGETIC:
            return self.energy_mean()
        if self.averaging is Averaging.CIRCULAR:
            return self._said(value_of(self.averaging, self._mean_vector()))
        with np.errstate(invalid="ignore", divide="ignore"):
            return self._said(
                self._centre
                + self.amount(lambda a, b, d: (a + b) / 2 * d, self.value - self._centre)
                / self.covered_s
            )

    def _mean_vector(self) -> NDArray[np.complex128]:
        """Mean unit vector of directions."""
        vector = component_of(self.averaging, self.value)
        with np.errstate(invalid="ignore", divide="ignore"):
            real, imaginary = (
                self.amount(lambda a, b, d: (a + b) / 2 * d, one) / self.covered_s
                for one in (vector.real, vector.imag)
            )
        return real + 1j * imaginary

    def spread(self) -> FloatArray:
        """Time-weighted standard deviation; of directions after Yamartino 1984."""
        if self.averaging is Averaging.CIRCULAR:
            length = np.abs(self._mean_vector()).tolist()
            return self._said(np.array([spread_of_directions(one) for one in length]))
        moved = self.value - self._centre
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = self.amount(lambda a, b, d: (a + b) / 2 * d, moved) / self.covered_s
            square = self.amount(lambda a, b, d: (a * a + b * b) / 2 * d, moved) / self.covered_s
        return self._said(np.sqrt(np.maximum(square - mean * mean, 0.0)))

    def energy_mean(self) -> FloatArray:
        """Equivalent level of decibels: 10·lg of the mean of 10^(L/10)."""
        power = 10 ** ((self.value - self._centre) / 10)
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = self.amount(lambda a, b, d: (a + b) / 2 * d, power) / self.covered_s
            return self._said(self._centre + 10 * np.log10(mean))

    def time_over_s(self, limit: float) -> FloatArray:
        """Time strictly above a limit, s, crossings exact."""
        return self._said(self.amount(lambda a, b, d: _lasting(a - limit, b - limit, d)))

    def time_under_s(self, limit: float) -> FloatArray:
        """Time strictly below a limit, s."""
        return self._said(self.amount(lambda a, b, d: _lasting(limit - a, limit - b, d)))

    def excess(self, limit: float, *, above: bool) -> FloatArray:
        """Integral of what is beyond a limit, unit·s, crossings exact."""
        sign = 1.0 if above else -1.0
        return self._said(
            self.amount(lambda a, b, d: _excess(sign * (a - limit), sign * (b - limit), d))
        )

    @cached_property
    def readings(self) -> tuple[TimeArray, FloatArray, IntArray, IntArray]:
        """Readings that are there, and which of them lie in each window: [first, after)."""
        time_us, value = self._told
        first = time_us.searchsorted(self.at - self.window_us, side="right")
        after = time_us.searchsorted(self.at, side="right")
        return time_us, value, first, after

    @cached_property
    def _told(self) -> tuple[TimeArray, FloatArray]:
        """The readings that are there."""
        if are_finite(self.value):
            return self.time_us, self.value
        known = np.isfinite(self.value)
        return self.time_us[known], self.value[known]

    def quantile(self, share: float) -> FloatArray:
        """Quantile 0…1 by readings."""
        _, value, first, after = self.readings
        return self._said(OrderStatistics(value).quantile(first, after, share))

    def spreads_from_usual(self, least_spread: float) -> FloatArray:
        """Distance of the newest reading from the median of those before it, in robust spreads.

        As `core.baselines.usual_level`: what is new does not count among what is usual.
        """
        from rook_tally.core.series.baselines import usual_spread

        time_us, value, _, after = self.readings
        first = time_us.searchsorted(self.at - self.window_us, side="left")
        before = np.maximum(after - 1, first)
        usual, spread = usual_spread(OrderStatistics(value), first, before, least_spread)
        newest = value[np.maximum(after - 1, 0)] if len(value) else np.full(len(first), np.nan)
        return self._said((newest - usual) / spread)

    def highest(self, sign: float = 1.0) -> FloatArray:
        """Highest reading; with a sign of −1 the lowest."""
        _, value, first, after = self.readings
        at = position_of_highest(sign * value, first, after)
        found = value[np.maximum(at, 0)] if len(value) else np.full(len(first), np.nan)
        return self._said(np.where(at >= 0, found, np.nan))

    def since_highest_s(self, sign: float = 1.0) -> FloatArray:
        """Age of the highest (or lowest) reading, s; the newest of equals."""
        time_us, value, first, after = self.readings
        at = position_of_highest(sign * value, first, after)
        when = time_us[np.maximum(at, 0)] if len(value) else self.at
        return self._said(np.where(at >= 0, (self.at - when) / SECOND_US, np.nan))

    def slope_per_s(self) -> FloatArray:
        """Least-squares slope, unit/s; directions turn the shorter way round."""
        time_us, value, first, after = self.readings
        if self.averaging is Averaging.CIRCULAR:
            value = unwound(value)
        return self._said(slopes_per_h(time_us, value, first, after) / _HOUR_S)

    def line(self) -> tuple[FloatArray, FloatArray]:
        """Where the least-squares line is at the newest reading of each window, and its slope per
        s; NaN for fewer than three readings."""
        time_us, value, first, after = self.readings
        slope = slopes_per_h(time_us, value, first, after) / _HOUR_S
        slope = np.where(after - first >= FEWEST_FOR_A_LINE, slope, np.nan)
        count = np.maximum(after - first, 1)
        if not len(value):
            return np.full(len(self.at), np.nan), slope
        seconds = (time_us - time_us[0]) / SECOND_US
        sums = [np.concatenate(([0.0], np.cumsum(one))) for one in (seconds, value - self._centre)]
        mean_s, mean = ((one[after] - one[first]) / count for one in sums)
        newest_s = seconds[np.maximum(after - 1, 0)]
        now = self._centre + mean + slope * (newest_s - mean_s)
        return self._said(now), self._said(slope)

    def change(self) -> FloatArray:
        """By how much it changed since the window began, where it may lie between two readings."""
        if len(self.time_us) < 2:
            return np.full(len(self.at), np.nan)
        newest = np.searchsorted(self.time_us, self.at, side="right") - 1
        start = self.at - self.window_us
        left = np.searchsorted(self.time_us, start, side="right") - 1
        at, right = np.maximum(left, 0), np.clip(left + 1, 0, len(self.time_us) - 1)
        exact = (left >= 0) & (self.time_us[at] == start)
        between = (left >= 0) & np.append(self._joined, False)[at] & (right <= newest)
        length = np.maximum(self.time_us[right] - self.time_us[at], 1)
        with np.errstate(invalid="ignore"):
            rise = (self.value[right] - self.value[at]) / length
            line = self.value[at] + rise * (start - self.time_us[at])
        if self.averaging is Averaging.HELD:
            line = self.value[at]
        elif self.averaging is not Averaging.ARITHMETIC:
            line = self._between(at, right, start)
        then = np.where(exact, self.value[at], np.where(between, line, np.nan))
        changed = np.where(newest >= 0, self.value[np.maximum(newest, 0)], np.nan) - then
        if self.averaging is Averaging.CIRCULAR:
            changed = 180.0 - (180.0 - changed) % 360.0
        return changed

    def _between(self, left: IntArray, right: IntArray, moments: TimeArray) -> FloatArray:
        """Levels and directions between two readings."""
        a, b = (component_of(self.averaging, self.value[one]) for one in (left, right))
        length = np.maximum(self.time_us[right] - self.time_us[left], 1)
        return value_of(self.averaging, a + (b - a) * ((moments - self.time_us[left]) / length))

    def moving(self) -> tuple[FloatArray, FloatArray]:
        """Root mean square and largest size of the readings less their mean."""
        _, value, first, after = self.readings
        moved = value - self._centre
        sums = [np.concatenate(([0.0], np.cumsum(one))) for one in (moved, moved * moved)]
        count = np.maximum(after - first, 1)
        mean, square = ((one[after] - one[first]) / count for one in sums)
        rms = np.sqrt(np.maximum(square - mean * mean, 0.0))
        middle = self._centre + mean
        peak = np.maximum(self.highest() - middle, middle - self.highest(-1.0))
        return self._said(np.where(after - first >= 2, rms, np.nan)), self._said(peak)

    def charge_pct(
        self, capacity_c: float, start_pct: float, charge_efficiency: float = 1.0
    ) -> FloatArray:
        """Charge of a battery, %, counted from the midnight (UTC) before each window begins.

        There it was `start_pct`; as what is counted stays within 0…100, it is right from the first
        time on that the battery was full or empty.
        """
        result = np.full(len(self.at), np.nan)
        time_us, value = self._told
        days = self.at // DAY_US
        for day in np.unique(days).tolist():
            rows = np.flatnonzero(days == day)
            begin = (day * DAY_US - self.window_us) // DAY_US * DAY_US
            part = slice(*np.searchsorted(time_us, [begin, int(self.at[rows[-1]]) + 1]).tolist())
            if part.stop - part.start < 2:
                continue
            seconds = (time_us[part] - time_us[part.start]) / SECOND_US
            flows = charge_flows(seconds, value[part], charge_efficiency, self.gap_us / SECOND_US)
            walk = clamped_walk(100 * flows * _HOUR_S / capacity_c, start_pct, 0.0, 100.0)
            at = np.searchsorted(time_us[part], self.at[rows], side="right") - 1
            result[rows] = np.where(at >= 0, walk[at], np.nan)
        return self._said(result)


def _lasting(a: FloatArray, b: FloatArray, length_s: FloatArray) -> FloatArray:
    """Time that straight pieces are above 0, s."""
    return part_above(a, b)[0] * length_s


def _excess(a: FloatArray, b: FloatArray, length_s: FloatArray) -> FloatArray:
    """Integral of what straight pieces have above 0, unit·s."""
    share, twice_height = part_above(a, b)
    return share * twice_height * length_s / 2

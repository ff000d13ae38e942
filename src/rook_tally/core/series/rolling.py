"""Order statistics, extremes and slopes of many windows of one array at once.

A window is a pair of positions [first, after); windows may have any lengths, so that readings at
irregular times need no resampling. No loop runs over readings: short windows are sorted side by
side as rows of a matrix, long ones are asked of a wavelet matrix (Claude, Navarro & Ordóñez, "The
wavelet matrix", Inf. Syst. 47 (2015) 15-32), all of them going down its levels together.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import Protocol

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray, inner
from rook_tally.core.timestamps import HOUR_US

_SORTED_UP_TO = 256
"""Longest window that is sorted in a row of its own."""
_CELLS = 1 << 19
"""Cells of one matrix of such rows: what fits the processor's cache a few times over."""
_QUERIES = 1 << 17
_SORTED_TOGETHER = 1 << 19
_ONE_BY_ONE = 4
_SLOPE_BLOCK = 1 << 14
_SHORT_SLOPE = 32
_FEW_SLOPES = 64
_SLOPE_REACH = 64
"""Sums over so many windows' lengths keep ten digits of the slope of one."""


class OrderStatistics:
    """Quantiles of windows of an array.

    Parameters
    ----------
    values : (N,) float64, finite

    Notes
    -----
    Windows are given as `first` and `after`, (Q,) or (Q, D): the latter for windows made of D
    stretches that do not overlap, an empty one where after ≤ first.
    """

    def __init__(self, values: FloatArray) -> None:
        self._values = values

    def quantile(
        self, first: IntArray, after: IntArray, share: float, *, fewest: int = 1
    ) -> FloatArray:
        """Quantile 0…1 of each window (Hyndman & Fan 1996, type 7); (Q,) float64.

        NaN for windows of fewer than `fewest` values.
        """
        return self._asked(first, after, fewest, lambda part: part.quantile(share))

    def median(self, first: IntArray, after: IntArray, *, fewest: int = 1) -> FloatArray:
        """Median of each window; (Q,) float64, NaN for fewer than `fewest` values."""
        return self.quantile(first, after, 0.5, fewest=fewest)

    def median_deviation(
        self, first: IntArray, after: IntArray, centre: FloatArray, *, fewest: int = 1
    ) -> FloatArray:
        """Median of |value − centre| of each window; (Q,) float64, NaN for fewer than `fewest`."""
        return self._asked(
            first, after, fewest, lambda part: part.median_deviation(), centre=centre
        )

    def _asked(
        self,
        first: IntArray,
        after: IntArray,
        fewest: int,
        answer: Callable[[_Windows], FloatArray],
        centre: FloatArray | None = None,
    ) -> FloatArray:
        first = first[:, None] if first.ndim == 1 else first
        after = np.maximum(after.reshape(first.shape), first)
        counts = (after - first).sum(axis=1)
        result = np.full(len(first), np.nan)
        wanted = np.flatnonzero(counts >= max(fewest, 1))
        # Few long windows, as the newest reading asks for, are sorted sooner than a matrix is made.
        is_short = first.shape[1] == 1 and bool(
            counts[wanted].max(initial=0) <= _SORTED_UP_TO
            or counts[wanted].sum() <= _SORTED_TOGETHER
        )
        longest = int(counts[wanted].max(initial=1))
        step = max(1, _CELLS // longest if is_short else _QUERIES // first.shape[1])
        for start in range(0, len(wanted), step):
            rows = wanted[start : start + step]
            centres = np.zeros(len(rows)) if centre is None else centre[rows]
            asked = (self._values, first[rows], after[rows], centres)
            result[rows] = answer(_SortedRows(*asked) if is_short else _WaveletMatrix(*asked))
        return result


class _Windows(Protocol):
    """Some windows, each with at least one value."""

    def quantile(self, share: float) -> FloatArray:
        """Quantile of each."""

    def median_deviation(self) -> FloatArray:
        """Median distance from its centre of each."""


def _between(low: FloatArray, high: FloatArray, part: FloatArray) -> FloatArray:
    return low + part * (high - low)


class _SortedRows:
    """Short windows, each copied into a row and sorted; those of one length side by side."""

    def __init__(
        self, values: FloatArray, first: IntArray, after: IntArray, centre: FloatArray
    ) -> None:
        self._values = values
        self._first = first[:, 0]
        self.count = after[:, 0] - self._first
        self._centre = centre

    def quantile(self, share: float) -> FloatArray:
        return self._each_length(share, lambda rows, _: rows)

    def median_deviation(self) -> FloatArray:
        return self._each_length(
            0.5, lambda rows, which: np.abs(rows - self._centre[which][:, None])
        )

    def _each_length(
        self, share: float, changed: Callable[[FloatArray, IntArray], FloatArray]
    ) -> FloatArray:
        result = np.empty(len(self.count))
        for length in np.unique(self.count).tolist():
            which = np.flatnonzero(self.count == length)
            view = sliding_window_view(self._values, length)
            rows = changed(view[self._first[which]], which)
            rows.sort(axis=1)
            at = (length - 1) * share
            low = int(at)
            high = min(low + 1, length - 1)
            result[which] = _between(rows[:, low], rows[:, high], np.asarray(at - low))
        return result


class _WaveletMatrix:
    """Long windows, or ones of several stretches, over the part of the array they touch."""

    def __init__(
        self, values: FloatArray, first: IntArray, after: IntArray, centre: FloatArray
    ) -> None:
        taken = after > first
        base = int(first[taken].min())
        part = values[base : int(after[taken].max())]
        self._first = np.where(taken, first - base, 0)
        self._after = np.where(taken, after - base, 0)
        self.count = (after - first).sum(axis=1)
        self._centre = centre
        order = np.argsort(part, kind="stable")
        self._sorted = part[order]
        rank = np.empty(len(part), dtype=np.int32)
        rank[order] = np.arange(len(part), dtype=np.int32)
        self._zeros_before: list[IntArray] = []
        for bit in reversed(range(max(1, int(len(part) - 1).bit_length()))):
            is_one = (rank >> bit) & 1 == 1
            self._zeros_before.append(np.concatenate(([0], np.cumsum(~is_one, dtype=np.int64))))
            rank = np.concatenate((rank[~is_one], rank[is_one]))

    def quantile(self, share: float) -> FloatArray:
        at = (self.count - 1) * share
        low = np.floor(at).astype(np.int64)
        high = np.minimum(low + 1, self.count - 1)
        return _between(self._value_at(low), self._value_at(high), at - low)

    def median_deviation(self) -> FloatArray:
        """The middle distance is found by halving how many of the nearest lie below the centre."""
        below = self._count_below(self._centre)
        above = self.count - below
        middle = (self.count - 1) // 2
        # `taken` values below the centre are among the middle+1 nearest ones.
        taken = np.maximum(0, middle + 1 - above)
        most = np.minimum(middle + 1, below)
        while (open_ := taken < most).any():
            half = (taken + most) // 2
            nearer = self._down(below, half) < self._up(below, middle - half)
            taken = np.where(open_ & nearer, half + 1, taken)
            most = np.where(open_ & ~nearer, half, most)
        inner = np.maximum(
            np.where(taken > 0, self._down(below, taken - 1), -np.inf),
            np.where(middle - taken >= 0, self._up(below, middle - taken), -np.inf),
        )
        outer = np.minimum(self._down(below, taken), self._up(below, middle + 1 - taken))
        return np.where(self.count % 2 == 1, inner, _between(inner, outer, np.asarray(0.5)))

    def _down(self, below: IntArray, step: IntArray) -> FloatArray:
        """Distance from the centre of the step-th value below it; infinite past the last."""
        at = below - 1 - step
        value = self._value_at(np.clip(at, 0, self.count - 1))
        return np.where((at >= 0) & (step >= 0), self._centre - value, np.inf)

    def _up(self, below: IntArray, step: IntArray) -> FloatArray:
        at = below + step
        value = self._value_at(np.clip(at, 0, self.count - 1))
        return np.where((at < self.count) & (step >= 0), value - self._centre, np.inf)

    def _value_at(self, k: IntArray) -> FloatArray:
        """The k-th smallest value (from 0) of each window."""
        first, after, k = self._first, self._after, k.copy()
        rank = np.zeros(len(k), dtype=np.int64)
        for zeros in self._zeros_before:
            zeros_first, zeros_after = zeros[first], zeros[after]
            count = (zeros_after - zeros_first).sum(axis=1)
            is_one = k >= count
            k -= np.where(is_one, count, 0)
            one = is_one[:, None]
            first = np.where(one, zeros[-1] + first - zeros_first, zeros_first)
            after = np.where(one, zeros[-1] + after - zeros_after, zeros_after)
            rank = 2 * rank + is_one
        return self._sorted[rank]

    def _count_below(self, bound: FloatArray) -> IntArray:
        """Number of values of each window below its bound."""
        limit = np.searchsorted(self._sorted, bound, side="left")
        first, after = self._first, self._after
        found = np.zeros(len(limit), dtype=np.int64)
        for level, zeros in enumerate(self._zeros_before):
            bit = len(self._zeros_before) - 1 - level
            zeros_first, zeros_after = zeros[first], zeros[after]
            is_one = (limit >> bit) & 1 == 1
            found += np.where(is_one, (zeros_after - zeros_first).sum(axis=1), 0)
            one = is_one[:, None]
            first = np.where(one, zeros[-1] + first - zeros_first, zeros_first)
            after = np.where(one, zeros[-1] + after - zeros_after, zeros_after)
        # Above every rank there is no bit to go down by.
        return np.where(limit >= 1 << len(self._zeros_before), self.count, found)


def highest_of(values: FloatArray, first: IntArray, after: IntArray) -> FloatArray:
    """Highest value of each window; NaN for an empty one. (N,), (Q,), (Q,) → (Q,) float64."""
    at = position_of_highest(values, first, after)
    return np.where(at >= 0, values[at] if len(values) else np.nan, np.nan)


def position_of_highest(values: FloatArray, first: IntArray, after: IntArray) -> IntArray:
    """Position of the highest value of each window, the last of equals; −1 for an empty one.

    By doubling: the highest of 1, 2, 4, … values in a row; a window is two such rows that overlap.
    """
    result = np.full(len(first), -1, dtype=np.int64)
    length = after - first
    if len(first) <= _ONE_BY_ONE:
        for at in np.flatnonzero(length > 0).tolist():
            window = values[first[at] : after[at]]
            result[at] = after[at] - 1 - int(window[::-1].argmax())
        return result
    best = np.arange(len(values), dtype=np.int64)
    width = 1
    while len(best):
        fits = (length >= width) & (length < 2 * width)
        rows = np.flatnonzero(fits)
        if len(rows):
            result[rows] = _higher(values, best[first[rows]], best[after[rows] - width])
        if not (length >= 2 * width).any():
            break
        best = _higher(values, best[: len(best) - width], best[width:])
        width *= 2
    return result


def _higher(values: FloatArray, earlier: IntArray, later: IntArray) -> IntArray:
    return np.where(values[later] >= values[earlier], later, earlier)


def slopes_per_h(
    time_us: TimeArray, values: FloatArray, first: IntArray, after: IntArray
) -> FloatArray:
    """Least-squares slope of each window, unit/h; NaN where the times of a window are all one.

    Slope = Σ(t−t̄)(v−v̄)/Σ(t−t̄)². Sums run from a moment near their window: over years of seconds
    squared they would lose all their digits. Those of a short window run from its own last reading.

    Parameters
    ----------
    time_us, values : (N,), values finite; (Q,) windows in order of `first`.
    """
    longest = int((after - first).max(initial=0))
    if 1 < longest <= _SHORT_SLOPE and len(first) > _FEW_SLOPES:
        return _slopes_of_short(time_us, values, first, after, longest)
    result = np.full(len(first), np.nan)
    if len(first) <= _ONE_BY_ONE:
        for at in np.flatnonzero(after > first).tolist():
            window = slice(first[at], after[at])
            result[at] = _slope_of_one(time_us[window], values[window])
        return result
    for rows, base, end in _near(first, after):
        hours = (time_us[base:end] - time_us[base]) / HOUR_US
        hours -= hours.mean()
        value = values[base:end] - values[base:end].mean()
        sums = [_summed(one) for one in (hours, value, hours * value, hours * hours)]
        begin, stop = first[rows] - base, after[rows] - base
        t, v, tv, tt = (one[stop] - one[begin] for one in sums)
        result[rows] = _slope_of_sums(stop - begin, t, v, tv, tt)
    return result


def _slope_of_one(time_us: TimeArray, values: FloatArray) -> float:
    count = len(values)
    hours = (time_us - time_us[0]) / HOUR_US
    hours -= np.add.reduce(hours) / count
    rise = values - np.add.reduce(values) / count
    spread = inner(hours, hours)
    return inner(hours, rise) / spread if spread > 0 else math.nan


def _slopes_of_short(
    time_us: TimeArray, values: FloatArray, first: IntArray, after: IntArray, longest: int
) -> FloatArray:
    """`slopes_per_h` of windows of few readings, all of them one reading further back at a time."""
    result = np.full(len(first), np.nan)
    for start in range(0, len(first), _SLOPE_BLOCK):
        rows = slice(start, start + _SLOPE_BLOCK)
        count, last = after[rows] - first[rows], after[rows] - 1
        moment, value = time_us[last], values[last]
        t, v, tv, tt = np.zeros((4, len(last)))
        for back in range(1, longest):
            # Outside of its window a reading is as far as the last one: it adds nothing.
            at = np.where(count > back, last - back, last)
            hours, rise = (time_us[at] - moment) / HOUR_US, values[at] - value
            t += hours
            v += rise
            tv += hours * rise
            tt += hours * hours
        result[rows] = _slope_of_sums(count, t, v, tv, tt)
    return result


def _slope_of_sums(
    count: IntArray, t: FloatArray, v: FloatArray, tv: FloatArray, tt: FloatArray
) -> FloatArray:
    with np.errstate(divide="ignore", invalid="ignore"):
        spread = tt - t * t / count
        slope = (tv - t * v / count) / spread
    return np.where((count >= 2) & (spread > 1e-12 * tt), slope, np.nan)


def _summed(values: FloatArray) -> FloatArray:
    return np.concatenate(([0.0], np.cumsum(values)))


def _near(first: IntArray, after: IntArray) -> Iterator[tuple[slice, int, int]]:
    """Windows in blocks, with the part of the array that each block touches."""
    longest = int((after - first).max(initial=1))
    step = _SLOPE_REACH * longest
    for start in range(0, len(first), step):
        rows = slice(start, min(start + step, len(first)))
        taken = after[rows] > first[rows]
        if taken.any():
            yield rows, int(first[rows].min()), int(max(after[rows].max(), first[rows].max()))


def last_before(moments: TimeArray, time_us: TimeArray) -> IntArray:
    """Position of the last of rising times at or before each moment; −1 for none."""
    return np.searchsorted(time_us, moments, side="right") - 1


def is_rising(time_us: TimeArray) -> bool:
    """True if no time is before the one before it."""
    rising: BoolArray = time_us[1:] >= time_us[:-1]
    return bool(rising.all())

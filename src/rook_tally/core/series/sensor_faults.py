"""Readings that cannot be right: lone zeros, lone spikes, stuck values (section I of our formulas).

All work on good readings of one run; a gap parts what is judged together.
"""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray
from rook_tally.core.series.gaps import good_rows, microseconds
from rook_tally.core.series.readings import Readings

MAD_TO_SIGMA = 1.482602218505602
"""1/Φ⁻¹(3/4): a normal law's deviation by its median absolute deviation (Hampel 1974)."""


class Stuck(msgspec.Struct, frozen=True):
    """A stretch in which a value did not move."""

    start_us: int
    end_us: int
    count: int
    value: float


class _Good(msgspec.Struct, frozen=True):
    """Good readings in order, their rows, and before which of them a new run begins."""

    time_us: IntArray
    value: FloatArray
    source: IntArray | slice
    parted: BoolArray

    @property
    def run(self) -> IntArray:
        """The number of the run each belongs to."""
        run: IntArray = np.concatenate(([0], np.cumsum(self.parted)))[: len(self.value)]
        return run

    def flagged(self, chosen: BoolArray | IntArray, count: int) -> BoolArray:
        """Flags of `count` readings, True where a chosen good one came from."""
        flags = np.zeros(count, dtype=np.bool_)
        rows = np.arange(count)[self.source] if isinstance(self.source, slice) else self.source
        flags[rows[chosen]] = True
        return flags


def _good_in_runs(readings: Readings, max_gap_s: float) -> _Good:
    source = good_rows(readings)
    time_us = readings.time_us[source]
    parted = time_us[1:] - time_us[:-1] > microseconds(max_gap_s)
    return _Good(time_us, readings.value[source], source, parted)


def hampel(
    readings: Readings,
    *,
    max_gap_s: float,
    k: int = 3,
    n_sigma: float = 3.0,
    min_dev: float = 0.0,
    lone_only: bool = True,
    whole_windows: bool = False,
) -> BoolArray:
    """Lone spikes by the Hampel identifier.

    The window is up to `k` good readings on each side of the same run and the reading itself.
    Candidate: |v − median| > n_sigma × 1.4826 × MAD and > min_dev. Source: R. K. Pearson, "Outliers
    in process modeling and identification", IEEE Trans. Control Syst. Technol. 10 (2002) 55–63;
    `lone_only` (both neighbours in the run must exist and be no candidates) is our own rule.

    Parameters
    ----------
    readings : Readings of shape (N,)
    max_gap_s : float
        Neighbours further apart belong to different runs.
    whole_windows : bool
        Judge only where `k` readings, and one more, stand on both sides: the verdict then does not
        change with what comes later.

    Returns
    -------
    (N,) bool; False for readings that are not good.
    """
    good = _good_in_runs(readings, max_gap_s)
    count = len(good.value)
    if count == 0:
        return np.zeros(len(readings), dtype=np.bool_)
    candidate = _candidates(good, k, n_sigma, min_dev)
    chosen = candidate
    if lone_only:
        joined = ~good.parted
        left_calm = np.concatenate(([False], joined & ~candidate[:-1]))
        right_calm = np.concatenate((joined & ~candidate[1:], [False]))
        chosen = candidate & left_calm & right_calm
    if whole_windows:
        position = np.arange(count)
        first, last = _run_ends(good)
        chosen = chosen & (position - first > k) & (last - position > k)
    return good.flagged(chosen, len(readings))


def _run_ends(good: _Good) -> tuple[IntArray, IntArray]:
    """First and last position of the run that each belongs to."""
    starts = np.concatenate(([0], np.flatnonzero(good.parted) + 1))
    lengths = np.diff(np.append(starts, len(good.value)))
    first = np.repeat(starts, lengths)
    return first, np.repeat(starts + lengths - 1, lengths)


def _candidates(good: _Good, k: int, n_sigma: float, min_dev: float) -> BoolArray:
    """Which good readings are far from the median of the window around them."""
    width = 2 * k + 1
    padded = np.concatenate((np.full(k, np.nan), good.value, np.full(k, np.nan)))
    windows = sliding_window_view(padded, width)
    position = np.arange(len(good.value))
    run_first, run_last = _run_ends(good)
    first, last = np.maximum(run_first, position - k), np.minimum(run_last, position + k)
    whole = last - first == 2 * k
    median = np.full(len(position), np.nan)
    # Nearly every window is whole: sorted in place of NumPy's much slower way around NaN.
    median[whole] = np.partition(windows[whole], k, axis=1)[:, k]
    cut = np.flatnonzero(~whole & (last - first >= 2))
    outside = np.arange(-k, k + 1)
    part = windows[cut].copy()
    reach = position[cut, None] + outside
    part[(reach < first[cut, None]) | (reach > last[cut, None])] = np.nan
    median[cut] = _middle_of(part, (last - first)[cut] + 1)
    away = np.abs(good.value - median)
    # The deviation is asked for only where it can matter.
    far = np.flatnonzero(away > min_dev)
    around = windows[far].copy()
    reach = position[far, None] + outside
    around[(reach < first[far, None]) | (reach > last[far, None])] = np.nan
    candidate = np.zeros(len(position), dtype=np.bool_)
    if len(far):
        mad = _middle_of(np.abs(around - median[far, None]), (last - first)[far] + 1)
        candidate[far] = away[far] > n_sigma * MAD_TO_SIGMA * mad
    return candidate


def _middle_of(rows: FloatArray, counts: IntArray) -> FloatArray:
    """Medians of rows of which so many are numbers and the rest NaN: NumPy's own way around NaN
    takes twenty times as long for a few short rows."""
    ordered = np.sort(rows, axis=1)
    at = np.arange(len(rows))
    low, high = ordered[at, (counts - 1) // 2], ordered[at, counts // 2]
    return np.where(counts % 2 == 1, low, (low + high) / 2)


def lone_zero(
    readings: Readings, *, max_gap_s: float, min_neighbour: float, eps: float = 0.0
) -> BoolArray:
    """Zeros between two readings that are far from zero (our own rule).

    Returns
    -------
    (N,) bool: |v| ≤ eps, and the good readings before and after exist in the same run with
    |v| ≥ min_neighbour.

    Raises
    ------
    ValueError
        Unless min_neighbour > eps.
    """
    if min_neighbour <= eps:
        raise ValueError(f"min_neighbour must be above eps, got {min_neighbour} and {eps}")
    good = _good_in_runs(readings, max_gap_s)
    size = np.abs(good.value)
    # Few are near zero: only their neighbours are looked at.
    at = np.flatnonzero(size <= eps)
    at = at[(at > 0) & (at < len(size) - 1)]
    lone = (
        ~good.parted[at - 1]
        & ~good.parted[at]
        & (size[at - 1] >= min_neighbour)
        & (size[at + 1] >= min_neighbour)
    )
    return good.flagged(at[lone], len(readings))


def stuck(
    readings: Readings, *, min_count: int, min_duration_s: float, max_gap_s: float, eps: float = 0.0
) -> list[Stuck]:
    """Stretches of a run in which |v − the stretch's first| stays within eps (our own rule).

    Reported when there are at least `min_count` readings over more than `min_duration_s`.
    """
    good = _good_in_runs(readings, max_gap_s)
    if not len(good.value):
        return []
    begin = _still_stretches(good, eps)
    end = np.append(begin[1:], len(good.value))
    many = np.flatnonzero(end - begin >= min_count)
    begin, end = begin[many], end[many]
    long = good.time_us[end - 1] - good.time_us[begin] > microseconds(min_duration_s)
    begin, end = begin[long], end[long]
    columns = (good.time_us[begin], good.time_us[end - 1], end - begin, good.value[begin])
    return [Stuck(*row) for row in zip(*(one.tolist() for one in columns), strict=True)]


def _still_stretches(good: _Good, eps: float) -> IntArray:
    """Where each stretch begins, left to right; the next one begins where it ends."""
    parted = good.parted
    if eps == 0:
        moved = parted | (good.value[1:] != good.value[:-1])
        return np.concatenate(([0], np.flatnonzero(moved) + 1))
    starts = []
    run_ends = np.append(np.flatnonzero(parted) + 1, len(good.value))
    begin = 0
    while begin < len(good.value):
        starts.append(begin)
        run_end = int(run_ends[np.searchsorted(run_ends, begin, side="right")])
        away = np.abs(good.value[begin:run_end] - good.value[begin]) > eps
        begin = begin + int(np.argmax(away)) if away.any() else run_end
    return np.array(starts, dtype=np.int64)

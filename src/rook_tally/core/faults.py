"""Readings that cannot be right: lone zeros, lone spikes, stuck values (section I of our formulas).

All work on good readings of one run; a gap parts what is judged together.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray
from rook_tally.core.gaps import microseconds
from rook_tally.core.readings import Readings

MAD_TO_SIGMA = 1.482602218505602
"""1/Φ⁻¹(3/4): a normal law's deviation by its median absolute deviation (Hampel 1974)."""


@dataclass(frozen=True, slots=True)
class Stuck:
    """A stretch in which a value did not move."""

    start_us: int
    end_us: int
    count: int
    value: float


@dataclass(frozen=True, slots=True)
class _Good:
    """Good readings in order, where each came from, and which run each belongs to."""

    time_us: IntArray
    value: FloatArray
    source: IntArray
    run: IntArray


def _good_in_runs(readings: Readings, max_gap_s: float) -> _Good:
    source = np.flatnonzero(readings.good)
    order = np.argsort(readings.time_us[source], kind="stable")
    source = source[order]
    time_us = readings.time_us[source]
    if len(source) > 1:
        last_of_equals = np.append(np.diff(time_us) > 0, True)
        source, time_us = source[last_of_equals], time_us[last_of_equals]
    gaps = np.diff(time_us) > microseconds(max_gap_s)
    run = np.concatenate(([0], np.cumsum(gaps))) if len(time_us) else np.empty(0, dtype=np.int64)
    return _Good(time_us, readings.value[source], source, run.astype(np.int64))


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
    flags = np.zeros(len(readings), dtype=np.bool_)
    good = _good_in_runs(readings, max_gap_s)
    count = len(good.value)
    if count == 0:
        return flags
    candidate = _candidates(good, k, n_sigma, min_dev)
    chosen = candidate
    if lone_only:
        joined = np.diff(good.run) == 0
        left_calm = np.concatenate(([False], joined & ~candidate[:-1]))
        right_calm = np.concatenate((joined & ~candidate[1:], [False]))
        chosen = candidate & left_calm & right_calm
    if whole_windows:
        position = np.arange(count)
        first = np.searchsorted(good.run, good.run, side="left")
        last = np.searchsorted(good.run, good.run, side="right") - 1
        chosen = chosen & (position - first > k) & (last - position > k)
    flags[good.source[chosen]] = True
    return flags


def _candidates(good: _Good, k: int, n_sigma: float, min_dev: float) -> BoolArray:
    """Which good readings are far from the median of the window around them."""
    width = 2 * k + 1
    padded = np.concatenate((np.full(k, np.nan), good.value, np.full(k, np.nan)))
    windows = sliding_window_view(padded, width)
    position = np.arange(len(good.value))
    first = np.maximum(np.searchsorted(good.run, good.run, side="left"), position - k)
    last = np.minimum(np.searchsorted(good.run, good.run, side="right") - 1, position + k)
    whole = last - first == 2 * k
    median = np.full(len(position), np.nan)
    # Nearly every window is whole: sorted in place of NumPy's much slower way around NaN.
    median[whole] = np.partition(windows[whole], k, axis=1)[:, k]
    cut = np.flatnonzero(~whole & (last - first >= 2))
    outside = np.arange(-k, k + 1)
    part = windows[cut].copy()
    reach = position[cut, None] + outside
    part[(reach < first[cut, None]) | (reach > last[cut, None])] = np.nan
    median[cut] = np.nanmedian(part, axis=1) if len(cut) else np.nan
    away = np.abs(good.value - median)
    # The deviation is asked for only where it can matter.
    far = np.flatnonzero(away > min_dev)
    around = windows[far].copy()
    reach = position[far, None] + outside
    around[(reach < first[far, None]) | (reach > last[far, None])] = np.nan
    candidate = np.zeros(len(position), dtype=np.bool_)
    if len(far):
        mad = np.nanmedian(np.abs(around - median[far, None]), axis=1)
        candidate[far] = away[far] > n_sigma * MAD_TO_SIGMA * mad
    return candidate


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
    flags = np.zeros(len(readings), dtype=np.bool_)
    good = _good_in_runs(readings, max_gap_s)
    if len(good.value) < 3:
        return flags
    size = np.abs(good.value)
    joined = np.diff(good.run) == 0
    middle = (
        (size[1:-1] <= eps)
        & joined[:-1] & joined[1:]
        & (size[:-2] >= min_neighbour) & (size[2:] >= min_neighbour)
    )  # fmt: skip
    flags[good.source[1:-1][middle]] = True
    return flags


def stuck(
    readings: Readings,
    *,
    min_count: int,
    min_duration_s: float,
    max_gap_s: float,
    eps: float = 0.0,
) -> list[Stuck]:
    """Stretches of a run in which |v − the stretch's first| stays within eps (our own rule).

    Reported when there are at least `min_count` readings over more than `min_duration_s`.
    """
    good = _good_in_runs(readings, max_gap_s)
    if not len(good.value):
        return []
    begin = _still_stretches(good, eps)
    end = np.append(begin[1:], len(good.value))
    length_us = good.time_us[end - 1] - good.time_us[begin]
    long = (end - begin >= min_count) & (length_us > microseconds(min_duration_s))
    return [
        Stuck(
            int(good.time_us[first]), int(good.time_us[after - 1]), after - first,
            float(good.value[first]),
        )
        for first, after in zip(begin[long].tolist(), end[long].tolist(), strict=True)
    ]  # fmt: skip


def _still_stretches(good: _Good, eps: float) -> IntArray:
    """Where each stretch begins, left to right; the next one begins where it ends."""
    parted = np.diff(good.run) != 0
    if eps == 0:
        return np.flatnonzero(np.concatenate(([True], parted | (np.diff(good.value) != 0))))
    starts = []
    run_ends = np.append(np.flatnonzero(parted) + 1, len(good.value))
    begin = 0
    while begin < len(good.value):
        starts.append(begin)
        run_end = int(run_ends[np.searchsorted(run_ends, begin, side="right")])
        away = np.abs(good.value[begin:run_end] - good.value[begin]) > eps
        begin = begin + int(np.argmax(away)) if away.any() else run_end
    return np.array(starts, dtype=np.int64)

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
    at = np.arange(-k, k + 1)
    padded_value = np.concatenate((np.full(k, np.nan), good.value, np.full(k, np.nan)))
    padded_run = np.concatenate((np.full(k, -1), good.run, np.full(k, -1)))
    windows = sliding_window_view(padded_value, len(at)).copy()
    same_run = sliding_window_view(padded_run, len(at)) == good.run[:, None]
    windows[~same_run] = np.nan
    inside = same_run.sum(axis=1)
    median = np.nanmedian(windows, axis=1)
    mad = np.nanmedian(np.abs(windows - median[:, None]), axis=1)
    away = np.abs(good.value - median)
    candidate = (inside >= 3) & (away > n_sigma * MAD_TO_SIGMA * mad) & (away > min_dev)
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
    found = []
    for begin, end in _still_stretches(good, eps):
        length_us = int(good.time_us[end - 1] - good.time_us[begin])
        if end - begin >= min_count and length_us > microseconds(min_duration_s):
            found.append(
                Stuck(
                    int(good.time_us[begin]), int(good.time_us[end - 1]), end - begin,
                    float(good.value[begin]),
                )
            )  # fmt: skip
    return found


def _still_stretches(good: _Good, eps: float) -> list[tuple[int, int]]:
    """Begin and end (not included) of every stretch, left to right."""
    count = len(good.value)
    if not count:
        return []
    breaks = np.flatnonzero(np.diff(good.run) != 0) + 1
    if eps == 0:
        moved = np.flatnonzero(np.diff(good.value) != 0) + 1
        edges = np.unique(np.concatenate(([0], breaks, moved, [count])))
        return list(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True))
    stretches = []
    begin = 0
    run_ends = [*breaks.tolist(), count]
    while begin < count:
        run_end = next(end for end in run_ends if end > begin)
        away = np.abs(good.value[begin:run_end] - good.value[begin]) > eps
        end = begin + int(np.argmax(away)) if away.any() else run_end
        stretches.append((begin, end))
        begin = end
    return stretches

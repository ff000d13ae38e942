"""Decays found by themselves: where a room that was breathed in, or dusty, airs out (ours).

The shape tells it: a peak well above the background and a fall after it that is a straight line in
the logarithm. Where presence is known the room must be empty.
"""

from __future__ import annotations

import enum
import itertools

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.series.baselines import rolling_median_baseline
from rook_tally.core.series.gaps import cleaned, microseconds
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import SECOND_US

_SMOOTHED_S = 900.0
_LEAST_FALL = 0.4
_AS_HIGH = 0.95
_RISE_ENDS = 0.06
_END_SHARE = 0.12


class LeftOut(enum.Enum):
    """Why a fall is no decay to be counted."""

    SHORT = "too short"
    BENT = "no straight line"
    OCCUPIED = "somebody was there"
    GAP = "a gap in it"


class Decay(msgspec.Struct, frozen=True):
    """A fall from a peak: from, to, and how high above the background it began."""

    start_us: int
    end_us: int
    excess: float


def falls(
    readings: Readings,
    *,
    background: float,
    least_excess: float,
    max_gap_s: float,
    longest_s: float = 12 * 3600.0,
) -> list[Decay]:
    """The falls of a series from a peak `least_excess` above the background on.

    Each goes from its peak until an eighth of the excess is left, until it rises again by more
    than a sixteenth of it, or until a gap. Smoothed over a quarter of an hour for looking, not for
    the rate.
    """
    time_us, value = cleaned(readings)
    if len(time_us) < 3:
        return []
    told = readings_from(time_us, value)
    smooth = rolling_median_baseline(told, window_s=_SMOOTHED_S, min_count=1)
    excess = smooth - background
    found: list[Decay] = []
    for first, last in _runs(time_us, microseconds(max_gap_s)):
        found += _falls_of_run(
            time_us[first:last], excess[first:last], least_excess, microseconds(longest_s)
        )
    return found


def _runs(time_us: TimeArray, gap_us: int) -> list[tuple[int, int]]:
    cuts = np.flatnonzero(np.diff(time_us) > gap_us) + 1
    edges = [0, *cuts.tolist(), len(time_us)]
    return list(itertools.pairwise(edges))


def _falls_of_run(
    time_us: TimeArray, excess: FloatArray, least_excess: float, longest_us: int
) -> list[Decay]:
    """One after the other, from peak to peak: a few dozen a week, so a loop over falls."""
    found: list[Decay] = []
    high, at = np.flatnonzero(excess >= least_excess), 0
    while (which := int(np.searchsorted(high, at))) < len(high):
        start = int(high[which])
        peak, end = _peak_and_end(time_us, excess, start, longest_us)
        fall = excess[peak] - excess[end]
        if fall >= _LEAST_FALL * excess[peak]:
            found.append(Decay(int(time_us[peak]), int(time_us[end]), float(excess[peak])))
        at = max(end, peak, start) + 1
    return found


def _peak_and_end(
    time_us: TimeArray, excess: FloatArray, start: int, longest_us: int
) -> tuple[int, int]:
    """The peak that a rise through the threshold leads to, and where the fall after it ends."""
    reach = int(np.searchsorted(time_us, time_us[start] + 2 * longest_us))
    part = excess[start:reach]
    # The peak: the last that is as good as highest before a fall of two fifths of it; on a noisy
    # plateau the highest itself comes long before the fall.
    highest = np.maximum.accumulate(part)
    fallen = np.flatnonzero(part <= (1 - _LEAST_FALL) * highest)
    stop = int(fallen[0]) if len(fallen) else len(part) - 1
    level = highest[stop]
    peak = start + int(np.flatnonzero(part[: stop + 1] >= _AS_HIGH * level)[-1])
    last = int(np.searchsorted(time_us, time_us[peak] + longest_us))
    after = excess[peak:last]
    lowest = np.minimum.accumulate(after)
    ends = np.flatnonzero(
        (after <= _END_SHARE * after[0]) | (after > lowest + _RISE_ENDS * after[0])
    )
    if not len(ends):
        return peak, peak + len(after) - 1
    # A rise that ended it began at the lowest before it.
    end = int(ends[0])
    return peak, peak + int(np.argmin(after[: end + 1]))


def length_s(decay: Decay) -> float:
    """How long a fall took, s."""
    return (decay.end_us - decay.start_us) / SECOND_US

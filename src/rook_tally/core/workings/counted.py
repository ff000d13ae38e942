"""What a counter counted in the last while: rain tips, energy, turns of a wheel."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.core.workings.lookback import LEAST_COVERED, Lookback

BRIDGED_US = 2 * DAY_US
"""So long before a window the reading may be that it is counted from."""
_RESET_BELOW = 0.5
"""Below this share of what it was a counter has begun anew; above it, its number only trembled."""


def steps_counted(count: FloatArray, wrap: float = math.inf) -> FloatArray:
    """What was counted between (N,) readings of a counter, (N−1,), ours.

    A number that falls is one that ran over at `wrap`, where that makes a step of at most half of
    it; else one that began anew at 0, where it fell below half of what it was; else it trembled,
    and nothing was counted.
    """
    before, after = count[:-1], count[1:]
    step = after - before
    fallen = np.where(after < _RESET_BELOW * before, np.maximum(after, 0.0), 0.0)
    if math.isfinite(wrap):
        over = step + wrap
        fallen = np.where(over <= wrap / 2, over, fallen)
    return np.where(step >= 0, step, fallen)


def counted(windows: Lookback, wrap: float = math.inf) -> FloatArray:
    """What was counted in each window, (M,): from a straight line between the readings around its
    beginning to the newest in it. Gaps are bridged: that is the use of a counter.

    NaN where nothing was heard in a window, or where it is known from less than half of it on.
    """
    time_us, value, first, after = windows.readings
    result = np.full(len(windows.at), np.nan)
    if len(value) < 2:
        return result
    total = np.concatenate(([0.0], np.cumsum(steps_counted(value, wrap))))
    start = windows.at - windows.window_us
    newest = np.maximum(after - 1, 0)
    begun = _at_start(time_us, total, first, start)
    # Known from a reading within the window on, where none is before it.
    inner = np.minimum(first, len(total) - 1)
    since_s = (windows.at - time_us[inner]) / SECOND_US
    is_half = since_s >= LEAST_COVERED * windows.window_us / SECOND_US
    begun = np.where(np.isfinite(begun), begun, np.where(is_half, total[inner], np.nan))
    return np.where(after > first, total[newest] - begun, np.nan)


def counted_per_s(windows: Lookback, wrap: float = math.inf) -> FloatArray:
    """The same by the length of the window."""
    return counted(windows, wrap) / (windows.window_us / SECOND_US)


def _at_start(
    time_us: TimeArray, total: FloatArray, first: IntArray, start: TimeArray
) -> FloatArray:
    """What had been counted when each window began; NaN where no reading is before it."""
    left = np.maximum(first - 1, 0)
    right = np.minimum(first, len(total) - 1)
    is_before = (first > 0) & (start - time_us[left] <= BRIDGED_US)
    share = (start - time_us[left]) / np.maximum(time_us[right] - time_us[left], 1)
    line = total[left] + (total[right] - total[left]) * share
    return np.where(is_before, line, np.nan)

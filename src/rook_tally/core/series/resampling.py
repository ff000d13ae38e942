"""The value of a series at given moments: linear between two readings of a run, else unknown."""

from __future__ import annotations

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.series.nearest_index import positions_in


def values_at(
    time_us: TimeArray, value: FloatArray, moments: TimeArray, max_gap_us: int
) -> FloatArray:
    """Values at (Q,) rising moments of a cleaned series, (Q,) float64.

    NaN within a gap and outside the readings; a reading alone counts exactly at its own moment.
    """
    if not len(time_us):
        return np.full(len(moments), np.nan)
    right = np.minimum(positions_in(time_us, moments), len(time_us) - 1)
    after_us = time_us[right]
    result = np.where(after_us == moments, value[right], np.nan)
    off = np.flatnonzero(after_us != moments)
    moments, right, after_us = moments[off], right[off], after_us[off]
    left = np.maximum(right - 1, 0)
    before_us = time_us[left]
    width = after_us - before_us
    between = (before_us < moments) & (moments < after_us) & (width <= max_gap_us)
    share = (moments - before_us) / np.maximum(width, 1)
    line = value[left] + share * (value[right] - value[left])
    result[off] = np.where(between, line, np.nan)
    return result

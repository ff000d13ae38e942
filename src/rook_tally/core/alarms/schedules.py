"""At which moments a watch may ring by the clock and by what people wrote."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rook_tally.core.arrays import BoolArray, TimeArray
from rook_tally.core.remarks import Remark
from rook_tally.core.series.gaps import microseconds


def apart_from_remarks(
    time_us: TimeArray, remarks: Sequence[Remark], after_s: float, place: str
) -> BoolArray:
    """Which of (N,) moments lie neither in a remark on the place (or on none) nor so long after."""
    free = np.ones(len(time_us), dtype=np.bool_)
    for one in remarks:
        if one.place in (None, place):
            end_us = (one.start_us if one.end_us is None else one.end_us) + microseconds(after_s)
            free &= (time_us < one.start_us) | (time_us > end_us)
    return free

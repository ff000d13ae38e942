"""Words at the axes of plots: moments in the site's zone, values in the unit shown."""

from __future__ import annotations

from datetime import tzinfo

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.ticks import time_ticks, value_ticks

Words = tuple[tuple[float, str], ...]


def time_marks(start_us: int, end_us: int, zone: tzinfo, most: int = 7) -> Words:
    """Round moments of a stretch, by their µs."""
    return tuple(
        (float(one.time_us), one.label) for one in time_ticks(start_us, end_us, zone, most)
    )


def value_marks(low: float, high: float, decimals: int, symbol: str = "", most: int = 4) -> Words:
    """Round values, the highest with its unit."""
    ticks = value_ticks(low, high, most)
    # A step smaller than a decimal shows needs more of them.
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    while decimals < 4 and abs(round(step, decimals) - step) > 1e-9:
        decimals += 1
    words = [figure(one, decimals) for one in ticks]
    if words and symbol:
        words[-1] = f"{words[-1]} {symbol}"
    return tuple(zip(ticks, words, strict=True))


def shown_values(shown: DisplayUnit, base: FloatArray) -> FloatArray:
    """Values in the unit shown."""
    return np.asarray(shown.value(base), np.float64)


def shown_differences(shown: DisplayUnit, base: FloatArray) -> FloatArray:
    """Differences in the unit shown."""
    return np.asarray(base / shown.unit.factor, np.float64)


def as_x(time_us: TimeArray) -> FloatArray:
    """Moments as the x of a plot."""
    return time_us.astype(np.float64)

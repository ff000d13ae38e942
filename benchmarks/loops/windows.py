"""What was usual around each reading (sections C and I): a window moved along, and NumPy asked
about each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import isfinite, nan

import numpy as np

from benchmarks.loops.cases import Case, Columns
from rook_tally.core.arrays import FloatArray, TimeArray

_HOUR_US = 3_600_000_000
_TO_SIGMA = 1.482602218505602
MIN_SPREAD = 0.1
USUAL_COUNT = 20


def usual(moments: Sequence[int], value: FloatArray) -> Iterator[tuple[float, float]]:
    """Median and spread of the readings in the hour before each moment; NaN for too few."""
    times = np.asarray(moments)[np.isfinite(value)].tolist()
    good = value[np.isfinite(value)]
    first = after = 0
    for moment in moments:
        while first < len(times) and times[first] < moment - _HOUR_US:
            first += 1
        while after < len(times) and times[after] < moment:
            after += 1
        if after - first < USUAL_COUNT:
            yield nan, nan
            continue
        middle = float(np.median(good[first:after]))
        deviation = float(np.median(np.abs(good[first:after] - middle)))
        yield middle, max(_TO_SIGMA * deviation, MIN_SPREAD)


def _usual_level(moments: Sequence[int], value: FloatArray) -> dict[str, list[float]]:
    levels = list(usual(moments, value))
    return {
        "usual": [middle for middle, _ in levels],
        "spread": [spread for _, spread in levels],
        "z": [
            (one - middle) / spread if isfinite(one) else nan
            for one, (middle, spread) in zip(value.tolist(), levels, strict=True)
        ],
    }


def _medians(t_us: TimeArray, value: FloatArray) -> list[float]:
    is_good = np.isfinite(value)
    times, good = t_us[is_good].tolist(), value[is_good]
    first = after = 0
    found = []
    for moment in t_us.tolist():
        while first < len(times) and times[first] < moment - _HOUR_US // 2:
            first += 1
        while after < len(times) and times[after] <= moment + _HOUR_US // 2:
            after += 1
        found.append(float(np.median(good[first:after])) if after - first >= 3 else nan)
    return found


def _clean_air(time_s: FloatArray, resistance: FloatArray) -> list[float]:
    is_good = np.isfinite(resistance) & (resistance > 0)
    times, good = time_s[is_good].tolist(), resistance[is_good]
    first = after = 0
    found = []
    for moment in time_s.tolist():
        while first < len(times) and times[first] <= moment - 3600:
            first += 1
        while after < len(times) and times[after] <= moment:
            after += 1
        enough = after - first >= 10
        found.append(float(np.percentile(good[first:after], 95)) if enough else nan)
    return found


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula that asks for the usual level."""
    t_us, walk, time_s = columns.t_us, columns.walk, columns.time_s
    series = {"t_us": t_us, "value": walk, "window_s": 3600}
    resistance = np.abs(walk) + 1
    return {
        "rolling_median_baseline": Case(series, lambda n: _medians(t_us[:n], walk[:n])),
        "usual_level": Case(
            {**series, "min_spread": MIN_SPREAD},
            lambda n: _usual_level(t_us[:n].tolist(), walk[:n]),
        ),
        "gas_baseline": Case(
            {"time_s": time_s, "resistance_ohm": resistance, "window_s": 3600},
            lambda n: _clean_air(time_s[:n], resistance[:n]),
        ),
    }

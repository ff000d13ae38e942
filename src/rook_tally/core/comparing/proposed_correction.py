"""A correction proposed from two sensors side by side, or why there is none."""

from __future__ import annotations

import enum
import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.comparing.paired_cells import ENOUGH
from rook_tally.core.comparing.side_by_side import SAMPLE, SideBySide, is_sure_drift, on_line
from rook_tally.core.quantities.averaging import Averaging


class Refusal(enum.Enum):
    """Why two series carry no correction of one by the other."""

    NO_PAIRS = "never heard together"
    TOO_FEW = "too few independent pairs"
    CONSTANT = "one of them never changes"
    NO_AGREEMENT = "they do not go together"
    NOT_SURE = "the difference is not sure"
    NO_DIFFERENCE = "they do not differ"
    DIRECTIONS = "directions"


class Proposal(msgspec.Struct, frozen=True):
    """A correction of the second series by the first, as shown = gain·shown + offset.

    `starts_us` and `offsets`: one or several dated steps, (S,) each, the same gain for all.
    `within`: half the interval of the offset at the middle of what was seen. `gain` is 1 where it
    does not differ from 1. `drift_per_month` is 0 without a sure drift.
    """

    gain: float
    gain_within: float
    starts_us: TimeArray
    offsets: FloatArray
    within: float
    drift_per_month: float
    drift_within: float


_FEWEST_INDEPENDENT = 8

_LEAST_CORRELATION = 0.5

_LEAST_RANGE = 4.0

_MOST_STEPS = 12

_LONG_DAYS = 28.0

_LEAST_GAIN = 0.005


def proposed_correction(
    told: SideBySide, *, accuracy: float, averaging: Averaging
) -> Proposal | Refusal:
    """Propose the correction that brings the second series onto the first, or refuse with a reason.

    A gain is proposed only where its interval leaves out 1 and the readings range over several
    times the spread of the differences; steps in time only where the drift's interval leaves out 0
    over four weeks or more. Where both would be, the one that takes away more.
    """
    if averaging is Averaging.CIRCULAR:
        return Refusal.DIRECTIONS
    if not len(told.time_us):
        return Refusal.NO_PAIRS
    if float(np.ptp(told.first)) == 0 or float(np.ptp(told.second)) == 0:
        return Refusal.CONSTANT
    mean = told.difference
    if not mean.independent >= _FEWEST_INDEPENDENT:
        return Refusal.TOO_FEW
    # Every so many pairs tell a spread as well as all of them.
    every = slice(None, None, max(1, len(told.first) // SAMPLE))
    moves = float(np.std(told.first[every]))
    if moves > 2 * accuracy and not told.correlation >= _LEAST_CORRELATION:
        return Refusal.NO_AGREEMENT
    line, change = told.line, abs(told.bias_end - told.bias_start)
    tilt = on_line(told.time_us[every], told.bias_start, told.bias_end)
    spread = float((told.second[every] - told.first[every] - tilt).std())
    some = told.first[:: max(1, len(told.first) // (16 * ENOUGH))]
    ranges = float(np.ptp(np.quantile(some, (0.02, 0.98)))) >= _LEAST_RANGE * spread
    by_gain = abs(line.gain - 1.0) * moves if ranges else 0.0
    if not abs(line.gain - 1.0) > max(line.gain_within, _LEAST_GAIN):
        by_gain = 0.0
    by_drift = change / math.sqrt(12.0) if told.drift.span_days >= _LONG_DAYS else 0.0
    if not is_sure_drift(told.drift) or change < accuracy / 4:
        by_drift = 0.0
    if by_gain > by_drift:
        gain = 1.0 / line.gain
        return Proposal(
            gain,
            line.gain_within * gain * gain,
            told.time_us[:1],
            np.array([-line.offset * gain]),
            mean.within,
            0.0,
            math.nan,
        )
    if by_drift > 0:
        return _stepwise(told, change, accuracy)
    if abs(mean.mean) <= mean.within:
        return Refusal.NO_DIFFERENCE if mean.within <= accuracy else Refusal.NOT_SURE
    offset = np.array([-mean.mean])
    return Proposal(1.0, line.gain_within, told.time_us[:1], offset, mean.within, 0.0, math.nan)


def _stepwise(told: SideBySide, change: float, accuracy: float) -> Proposal:
    within = told.difference.within
    steps = int(min(_MOST_STEPS, max(2, math.ceil(change / max(within, accuracy / 4, 1e-12)))))
    begin, end = int(told.time_us[0]), int(told.time_us[-1]) + 1
    starts = begin + (end - begin) * np.arange(steps, dtype=np.int64) // steps
    middles = (np.arange(steps) + 0.5) / steps
    offsets = -(told.bias_start + (told.bias_end - told.bias_start) * middles)
    half = (told.drift.high - told.drift.low) / 2
    return Proposal(
        1.0, told.line.gain_within, starts, offsets, within, told.drift.drift_per_month, half
    )

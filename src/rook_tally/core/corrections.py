"""Corrections: gain and offset valid from a moment on. They sit on top of raw readings."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.envelope import Envelope
from rook_tally.core.errors import UsageError
from rook_tally.core.readings import Readings


@dataclass(frozen=True, slots=True)
class Correction:
    """From a moment on: shown = gain × raw + offset, until the next one begins."""

    from_us: int
    gain: float
    offset: float

    def __post_init__(self) -> None:
        if not (math.isfinite(self.gain) and math.isfinite(self.offset)) or self.gain == 0:
            raise UsageError(
                f"a correction of × {self.gain:g} {self.offset:+g} would lose what was measured",
                remedy="give a gain other than 0, and a number as offset",
            )


def corrected_values(
    time_us: TimeArray, value: FloatArray, corrections: Sequence[Correction]
) -> FloatArray:
    """Values with the correction of their moment applied.

    Parameters
    ----------
    time_us, value : (N,) int64 and float64
    corrections : sequence of Correction, by moment
        Before the first one values stay as they are.
    """
    if not corrections:
        return value
    begins = np.array([one.from_us for one in corrections], dtype=np.int64)
    gains = np.array([1.0, *(one.gain for one in corrections)])
    offsets = np.array([0.0, *(one.offset for one in corrections)])
    which = np.searchsorted(begins, time_us, side="right")
    return np.asarray(gains[which] * value + offsets[which], np.float64)


def corrected(readings: Readings, corrections: Sequence[Correction]) -> Readings:
    """Readings with their corrections applied; times and qualities stay."""
    if not corrections:
        return readings
    return replace(readings, value=corrected_values(readings.time_us, readings.value, corrections))


def corrected_envelope(
    envelope: Envelope,
    corrections: Sequence[Correction],
    readings_of: Callable[[int, int], Readings],
) -> Envelope:
    """An envelope of raw readings with corrections applied.

    A correction is affine, so it applies to lowest, mean and highest alike; a gain below zero turns
    them over. A column in which a correction begins is made anew from its readings.

    Parameters
    ----------
    readings_of : callable
        Gives the corrected readings of a stretch.
    """
    if not corrections:
        return envelope
    width = (envelope.end_us - envelope.start_us) // len(envelope)
    starts = envelope.start_us + np.arange(len(envelope), dtype=np.int64) * width
    one, other = (
        corrected_values(starts, column, corrections) for column in (envelope.low, envelope.high)
    )
    low, high = np.fmin(one, other), np.fmax(one, other)
    mean = corrected_values(starts, envelope.mean, corrections)
    for begin in corrections:
        at = envelope.column_at(begin.from_us)
        if at is None or starts[at] == begin.from_us:
            continue
        inside = readings_of(int(starts[at]), int(starts[at]) + width)
        value = inside.value[inside.good]
        if len(value):
            low[at], mean[at], high[at] = value.min(), value.mean(), value.max()
    return replace(envelope, low=low, mean=mean, high=high)

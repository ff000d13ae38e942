"""Corrections: gain and offset valid from a moment on. They sit on top of raw readings."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.series.envelope import Envelope, envelope_of_readings
from rook_tally.core.series.readings import Readings


class Correction(msgspec.Struct, frozen=True):
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


class CorrectionUncertainty(msgspec.Struct, frozen=True):
    """Standard errors of a correction's gain and offset, and their covariance; base unit."""

    se_gain: float
    se_offset: float
    cov: float = 0.0

    def of_value(self, corrected: float, correction: Correction) -> float:
        """Standard uncertainty (k = 1) of one corrected value (GUM, 5.2.2)."""
        raw = (corrected - correction.offset) / correction.gain
        square = self.se_offset**2 + 2 * raw * self.cov + raw**2 * self.se_gain**2
        return math.sqrt(max(square, 0.0))


Calibrations = tuple[tuple[Correction, CorrectionUncertainty | None], ...]
"""Corrections of a series in the order in which they begin, each with what is known of it."""


def uncertainty_at(known: Calibrations, value: float, at_us: int) -> float | None:
    """Standard uncertainty (k = 1) of a corrected value at a moment, in the base unit; None where
    the correction in force does not tell it."""
    begun = [one for one in known if one[0].from_us <= at_us]
    if not begun or not math.isfinite(value):
        return None
    correction, told = begun[-1]
    return None if told is None else told.of_value(value, correction)


def in_force(corrections: Sequence[Correction], at_us: int) -> Correction | None:
    """The correction that holds at a moment; None before the first."""
    begun = [one for one in corrections if one.from_us <= at_us]
    return max(begun, key=lambda one: one.from_us, default=None)


def on_top_of(new: Correction, held: Correction | None) -> Correction:
    """A correction of what is shown as one of raw readings, `held` being what it is shown by."""
    if held is None:
        return new
    return Correction(new.from_us, new.gain * held.gain, new.gain * held.offset + new.offset)


def correction_text(correction: Correction, shown: DisplayUnit) -> str:
    """Format a correction in the unit shown, such as `× 1.02 −0.5 °C`."""
    factor, zero = shown.unit.factor, shown.unit.offset
    # With base = factor·v + zero the shown value becomes gain·v plus this.
    offset = (correction.offset - zero * (1 - correction.gain)) / factor
    parts = []
    if correction.gain != 1:
        parts.append("× " + number_text(float(f"{correction.gain:.4g}")))
    if abs(offset) > 1e-12 or not parts:
        sign = "" if offset < 0 else "+"
        number = number_text(float(f"{offset:.4g}"))
        parts.append(f"{sign}{number} {shown.symbol}".rstrip())
    return " ".join(parts)


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
    summary_us: int = 0,
) -> Envelope:
    """An envelope of raw readings with corrections applied.

    A correction is affine, so it applies to lowest, mean and highest alike; a gain below zero turns
    them over. A column that a correction's beginning may cut is made anew from its readings; so is
    every column of a gain on levels or directions, whose mean is no straight line.

    Parameters
    ----------
    readings_of : callable
        Gives the corrected readings of a stretch.
    summary_us : int
        How long the summaries were that the columns were made of; 0 for readings. One that begins
        in a column may reach so far past its end.
    """
    if not corrections:
        return envelope
    width = (envelope.end_us - envelope.start_us) // len(envelope)
    starts = envelope.start_us + np.arange(len(envelope), dtype=np.int64) * width
    plain = envelope.averaging.is_plain
    if plain:
        one, other = (
            corrected_values(starts, column, corrections)
            for column in (envelope.low, envelope.high)
        )
        low, high = np.fmin(one, other), np.fmax(one, other)
        mean = corrected_values(starts, envelope.mean, corrections)
    else:
        offset = corrected_values(starts, np.zeros(len(starts)), corrections)
        low, high, mean = envelope.low + offset, envelope.high + offset, envelope.mean + offset
        if envelope.averaging is Averaging.CIRCULAR:
            turns = np.floor(low / 360.0) * 360.0
            low, high, mean = low - turns, high - turns, mean % 360.0
    anew = np.zeros(len(envelope), np.bool_)
    ends = [*(begin.from_us for begin in corrections[1:]), int(envelope.end_us) + summary_us + 1]
    for begin, end_us in zip(corrections, ends, strict=True):
        # The column it begins in, and those whose last summary reaches past its beginning.
        anew |= (
            (starts < begin.from_us)
            & (begin.from_us < starts + width + summary_us)
            & (envelope.count > 0)
        )
        if not plain and begin.gain != 1.0:
            anew |= (starts + width > begin.from_us) & (starts < end_us) & (envelope.count > 0)
    low, mean, high = low.copy(), mean.copy(), high.copy()
    for at in np.flatnonzero(anew).tolist():
        begin_us, stop_us = int(starts[at]), int(starts[at]) + width
        if summary_us:
            # With what belongs to it of its last summary, which no other column holds.
            stop_us = -(-stop_us // summary_us) * summary_us
        inside = envelope_of_readings(
            readings_of(begin_us, stop_us),
            begin_us,
            stop_us - begin_us,
            1,
            max_gap_s=0.0,
            averaging=envelope.averaging,
        )
        low[at], mean[at], high[at] = inside.low[0], inside.mean[0], inside.high[0]
    return replace(envelope, low=low, mean=mean, high=high)

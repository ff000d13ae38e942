"""A correction while it is being made: what was typed, what it makes of a value; without Qt.

A person types an offset, a gain and an offset, or two points: what the sensor showed and what was
true. Figures are in the unit shown; the correction that is kept is in the base unit.
"""

from __future__ import annotations

import enum
import math
from dataclasses import dataclass
from datetime import tzinfo

import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.series.corrections import Correction, corrected_values, correction_text
from rook_tally.core.series.envelope import ColumnSums, Envelope, honest_range
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.statistics import Window, mean_of, pieces_of
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.dialogs.texts import tr
from rook_tally.store.readings import gaps_between, read_raw_range
from rook_tally.store.site import CorrectionEntry, Series, correction_entries

COLUMNS = 260
_BACK_US = 7 * DAY_US


class CorrectionWay(enum.Enum):
    """A way to give a correction."""

    OFFSET = "one offset"
    GAIN_AND_OFFSET = "gain and offset"
    TWO_POINTS = "two points: shown and true"


@dataclass(frozen=True, slots=True)
class CorrectionsAnswer:
    """A series' corrections, and a stretch as it was sent.

    `raw` is the envelope of raw readings; `mean` their time-weighted mean.
    """

    series: Series
    entries: list[CorrectionEntry]
    raw: Envelope
    mean: float


@dataclass(frozen=True, slots=True)
class CorrectionsQuery:
    """Asks for the corrections of a series and its raw readings before a moment."""

    series: Series
    end_us: int
    subject: str = "corrections"

    def run(self, connection: Connection) -> CorrectionsAnswer:
        """Read a week; a correction is judged against more than a day."""
        start_us = self.end_us - _BACK_US
        raw = read_raw_range(connection, self.series.id, start_us, self.end_us)
        # Made from the readings themselves: summaries come with corrections applied.
        width_us = -(-(self.end_us - start_us) // COLUMNS)
        sums = ColumnSums(start_us, width_us, COLUMNS, self.end_us)
        sums.add_readings(raw)
        cadence_s = self.series.station.cadence_s
        pieces = pieces_of(
            raw,
            max_gap_s=max_gap_s(cadence_s),
            cadence_s=cadence_s,
            window=Window(start_us, self.end_us),
        )
        envelope = replace(
            sums.envelope(), gaps=gaps_between(connection, self.series, start_us, self.end_us)
        )
        return CorrectionsAnswer(
            self.series, correction_entries(connection, self.series.id), envelope, mean_of(pieces)
        )


def number_typed(text: str, what: str) -> float:
    """A number as a person types it.

    Raises
    ------
    UsageError
        When it is none; it says which.
    """
    try:
        return typed_number(text)
    except UsageError as error:
        raise UsageError(f"{what}: {error.what}", remedy=error.remedy) from None


def correction_by_offset(shown: DisplayUnit, from_us: int, offset: float) -> Correction:
    """Shown values are so much higher, in the unit shown."""
    return Correction(from_us, 1.0, offset * shown.unit.factor)


def correction_by_gain(shown: DisplayUnit, from_us: int, gain: float, offset: float) -> Correction:
    """True = gain × shown + offset, both in the unit shown."""
    factor, zero = shown.unit.factor, shown.unit.offset
    # With base = factor·v + zero: base' = gain·base + zero·(1 − gain) + factor·offset.
    return Correction(from_us, gain, zero * (1 - gain) + factor * offset)


def correction_by_points(
    shown: DisplayUnit, from_us: int, first: tuple[float, float], second: tuple[float, float]
) -> Correction:
    """The straight line through two pairs of (shown, true), in the unit shown.

    Raises
    ------
    UsageError
        When both were taken at the same value.
    """
    (shown_a, true_a), (shown_b, true_b) = first, second
    if math.isclose(shown_a, shown_b, rel_tol=1e-9, abs_tol=1e-12):
        raise UsageError(
            "both points lie at the same value, which says nothing about the gain",
            remedy="take the second one where the value is quite another, or give one offset",
        )
    gain = (true_b - true_a) / (shown_b - shown_a)
    return correction_by_gain(shown, from_us, gain, true_a - gain * shown_a)


def corrected_preview(raw: Envelope, entries: list[Correction], new: Correction | None) -> Envelope:
    """The raw envelope with the corrections there are and the one being made, column by column."""
    corrections = [one for one in entries if new is None or one.from_us != new.from_us]
    if new is not None:
        corrections.append(new)
    corrections.sort(key=lambda one: one.from_us)
    width = (raw.end_us - raw.start_us) // len(raw)
    starts = raw.start_us + np.arange(len(raw), dtype=np.int64) * width
    low, mean, high = (
        corrected_values(starts, column, corrections) for column in (raw.low, raw.mean, raw.high)
    )
    return replace(raw, low=np.fmin(low, high), mean=mean, high=np.fmax(low, high))


def both_range(before: Envelope, after: Envelope, accuracy: float) -> tuple[float, float]:
    """An honest axis on which both lie."""
    filled = [one for one in (before, after) if not one.is_empty]
    if not filled:
        return 0.0, 1.0
    low = min(float(np.nanmin(one.low)) for one in filled)
    high = max(float(np.nanmax(one.high)) for one in filled)
    return honest_range(low, high, accuracy)


def correction_words(correction: Correction, shown: DisplayUnit, zone: tzinfo) -> str:
    """A correction in words, in the unit shown."""
    since = datetime_from_time_us(correction.from_us).astimezone(zone)
    words = correction_text(correction, shown)
    return tr("{0} from {1:%Y-%m-%d %H:%M} on", words, since)

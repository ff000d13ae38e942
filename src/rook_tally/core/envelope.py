"""A window of a series as so many columns: what a picture of it needs and no more."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray


@dataclass(frozen=True, slots=True)
class Envelope:
    """Lowest, mean and highest per column of a window [start, end).

    Attributes
    ----------
    start_us, end_us : int
    low, mean, high : (C,) float64, base unit
        Of good readings; NaN where a column holds none.
    count, suspect : (C,) int64
        Good and suspect readings in each column.
    gaps : (G, 2) int64, or None
        Stretches longer than the gap rule allows, clipped to the window. None when they were
        not asked for: then an empty column is taken for a gap.
    """

    start_us: int
    end_us: int
    low: FloatArray
    mean: FloatArray
    high: FloatArray
    count: IntArray
    suspect: IntArray
    gaps: TimeArray | None = None

    def __len__(self) -> int:
        return len(self.count)

    @property
    def is_empty(self) -> bool:
        """Whether not one good reading lies in the window."""
        return not self.count.any()

    @property
    def centres_us(self) -> FloatArray:
        """(C,) float64: the middle moment of each column."""
        width = (self.end_us - self.start_us) / len(self)
        return np.asarray(self.start_us + (np.arange(len(self)) + 0.5) * width, np.float64)

    def segments(self) -> list[IntArray]:
        """Columns that hold readings, cut wherever a gap lies between two of them.

        Returns
        -------
        list of (K,) int64 column indices, each one a line without a gap.
        """
        filled = np.flatnonzero(self.count)
        if not len(filled):
            return []
        if self.gaps is None:
            return np.split(filled, np.flatnonzero(np.diff(filled) > 1) + 1)
        width = (self.end_us - self.start_us) / len(self)
        columns = np.clip((self.gaps - self.start_us) / width, 0, len(self) - 1).astype(np.int64)
        cuts = np.searchsorted(filled, columns[columns[:, 0] < columns[:, 1], 1])
        return [part for part in np.split(filled, np.unique(cuts)) if len(part)]

    def column_at(self, time_us: int) -> int | None:
        """The column a moment falls into, None outside the window."""
        if not self.start_us <= time_us < self.end_us:
            return None
        return (time_us - self.start_us) * len(self) // (self.end_us - self.start_us)


def empty_envelope(start_us: int, end_us: int, columns: int) -> Envelope:
    """An envelope of a window in which nothing was heard."""
    unknown = np.full(columns, np.nan)
    none = np.zeros(columns, dtype=np.int64)
    return Envelope(start_us, end_us, unknown, unknown, unknown, none, none)


def honest_range(low: float, high: float, accuracy: float) -> tuple[float, float]:
    """An axis range for values between low and high, never so narrow that noise looks like news.

    At least 8 × the accuracy wide, centred on the values, plus a tenth of its width as margin.
    """
    width = max(high - low, 8 * accuracy)
    centre = (low + high) / 2
    return centre - 0.55 * width, centre + 0.55 * width

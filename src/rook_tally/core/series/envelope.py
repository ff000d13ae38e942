"""A window of a series as so many columns: what a picture of it needs and no more."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.quantities.averaging import Averaging, component_of, value_of
from rook_tally.core.series.buckets import counted_by, extremes_of, joined_extremes
from rook_tally.core.series.gaps import gaps_of_times
from rook_tally.core.series.readings import Quality, Readings


class Envelope(msgspec.Struct, frozen=True):
    """Lowest, mean and highest per column of a window [start, end).

    Attributes
    ----------
    start_us, end_us : int
    low, mean, high : (C,) float64, base unit
        Of good readings, the mean as their quantity averages; NaN where a column holds none. Of
        directions low to high is an arc, clockwise, that holds them all; its end may lie past 360.
    count, suspect : (C,) int64
        Good and suspect readings in each column.
    gaps : (G, 2) int64, or None
        Stretches longer than the gap rule allows, clipped to the window. None when they were
        not asked for: then an empty column is taken for a gap.
    averaging : Averaging
    """

    start_us: int
    end_us: int
    low: FloatArray
    mean: FloatArray
    high: FloatArray
    count: IntArray
    suspect: IntArray
    gaps: TimeArray | None = None
    averaging: Averaging = Averaging.ARITHMETIC

    def __len__(self) -> int:
        return len(self.count)

    @property
    def is_empty(self) -> bool:
        """True if not one good reading lies in the window."""
        return not np.count_nonzero(self.count)

    @property
    def centres_us(self) -> FloatArray:
        """(C,) float64: the middle moment of each column."""
        width = (self.end_us - self.start_us) / len(self)
        return np.asarray(self.start_us + (np.arange(len(self)) + 0.5) * width, np.float64)

    def segments(self) -> list[IntArray]:
        """Columns that hold readings, cut wherever a gap lies between two of them, and where a
        direction goes over north: no line leads round the other way.

        Returns
        -------
        list of (K,) int64 column indices, each one a line without a gap.
        """
        filled = np.flatnonzero(self.count)
        if not len(filled):
            return []
        turned = np.empty(0, dtype=np.int64)
        if self.averaging is Averaging.CIRCULAR:
            turned = np.flatnonzero(np.abs(np.diff(self.mean[filled])) > 180.0) + 1
        if self.gaps is None:
            cuts = np.union1d(np.flatnonzero(np.diff(filled) > 1) + 1, turned)
            return np.split(filled, cuts)
        width = (self.end_us - self.start_us) / len(self)
        columns = np.clip((self.gaps - self.start_us) / width, 0, len(self) - 1).astype(np.int64)
        cuts = np.searchsorted(filled, columns[columns[:, 0] < columns[:, 1], 1])
        return [part for part in np.split(filled, np.union1d(cuts, turned)) if len(part)]

    def cropped(self, start_us: int, end_us: int) -> Envelope:
        """The columns whose beginning lies in [start, end), at least one; gaps are clipped."""
        width = (self.end_us - self.start_us) // len(self)
        first = min(max(-(-(start_us - self.start_us) // width), 0), len(self) - 1)
        last = min(max(-(-(end_us - self.start_us) // width), first + 1), len(self))
        begin_us, stop_us = self.start_us + first * width, self.start_us + last * width
        part = slice(first, last)
        gaps = self.gaps
        if gaps is not None:
            gaps = np.clip(gaps, begin_us, stop_us)
            gaps = gaps[gaps[:, 1] > gaps[:, 0]]
        return Envelope(
            begin_us,
            stop_us,
            self.low[part],
            self.mean[part],
            self.high[part],
            self.count[part],
            self.suspect[part],
            gaps,
            self.averaging,
        )

    def shifted(self, by_us: int) -> Envelope:
        """The same at another time: an earlier day laid over a later one."""
        gaps = None if self.gaps is None else self.gaps + by_us
        return replace(self, start_us=self.start_us + by_us, end_us=self.end_us + by_us, gaps=gaps)

    def with_reading(self, time_us: int, value: float, *, is_good: bool) -> Envelope:
        """The same with one more reading, newer than all it holds; one outside changes nothing."""
        at = self.column_at(time_us)
        if at is None:
            return self
        if not is_good:
            suspect = self.suspect.copy()
            suspect[at] += 1
            return replace(self, suspect=suspect)
        low, mean, high = self.low.copy(), self.mean.copy(), self.high.copy()
        count = self.count.copy()
        before = int(count[at])
        first = np.zeros(1, dtype=np.int64)
        (low[at],), (high[at],) = extremes_of(
            self.averaging, np.array([low[at], value]), np.array([high[at], value]), first
        )
        both = component_of(self.averaging, np.array([mean[at] if before else 0.0, value]))
        total = (both[0] * before if before else 0.0) + both[1]
        mean[at] = value_of(self.averaging, np.atleast_1d(total / (before + 1)))[0]
        count[at] += 1
        return replace(self, low=low, mean=mean, high=high, count=count)

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


def envelope_of_readings(
    readings: Readings,
    start_us: int,
    width_us: int,
    columns: int,
    *,
    max_gap_s: float,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> Envelope:
    """The envelope of readings in order, with its gaps; columns of `width_us` from a start on.

    Sorted readings need only their columns' edges looked up: a tenth of the time of counting each
    reading into its column, as `ColumnSums` does with summaries.
    """
    end_us = start_us + width_us * columns
    good = readings.good
    time_us, value = readings.time_us[good], readings.value[good]
    column_us = start_us + np.arange(columns + 1, dtype=np.int64) * width_us
    edges = np.searchsorted(time_us, column_us)
    count = np.diff(edges)
    filled = np.flatnonzero(count)
    low, mean, high = (np.full(columns, np.nan) for _ in range(3))
    if len(filled):
        inside = value[edges[0] : edges[-1]]
        begins = edges[filled] - edges[0]
        low[filled], high[filled] = extremes_of(averaging, inside, inside, begins)
        component = component_of(averaging, inside)
        mean[filled] = value_of(averaging, np.add.reduceat(component, begins) / count[filled])
    suspect_edges = np.searchsorted(readings.time_us[~good], column_us)
    gaps = gaps_of_times(time_us, max_gap_s=max_gap_s, start_us=start_us, end_us=end_us)
    return Envelope(
        start_us,
        end_us,
        low,
        mean,
        high,
        count.astype(np.int64),
        np.diff(suspect_edges).astype(np.int64),
        gaps,
        averaging,
    )


def honest_range(low: float, high: float, accuracy: float) -> tuple[float, float]:
    """An axis range for values between low and high, never so narrow that noise looks like news.

    At least 8 × the accuracy wide, centred on the values, plus a tenth of its width as margin.
    """
    width = max(high - low, 8 * accuracy)
    centre = (low + high) / 2
    return centre - 0.55 * width, centre + 0.55 * width


class ColumnSums:
    """Running minima, maxima and sums of the columns of one series, which become an `Envelope`.

    Columns of `width_us` follow one another from `start_us` on; what begins at `stop_us` or later
    is left out.
    """

    def __init__(
        self,
        start_us: int,
        width_us: int,
        count: int,
        stop_us: int,
        averaging: Averaging = Averaging.ARITHMETIC,
    ) -> None:
        self._averaging = averaging
        # The last column may reach a few microseconds past the window, where a day may begin.
        self._stop_us = stop_us
        self._start_us, self._width_us = start_us, width_us
        self._low, self._high = np.full(count, np.nan), np.full(count, np.nan)
        self._total = component_of(averaging, np.zeros(count)) * 0
        self._good, self._suspect = np.zeros((2, count), dtype=np.int64)

    def add(
        self,
        time_us: IntArray,
        low: FloatArray,
        mean: FloatArray,
        high: FloatArray,
        good: IntArray,
        suspect: IntArray,
        step_us: int = 0,
    ) -> None:
        """Count summaries in, each into the column it begins in; others are left out.

        One of length `step_us` that begins before the first column and reaches into it counts into
        that: else what it knows of would be seen nowhere.
        """
        # Summaries come in order of time, so those inside stand together, and those of one column.
        end_us = min(self._stop_us, self._start_us + self._width_us * len(self._good))
        first = (
            int(np.searchsorted(time_us, self._start_us - step_us, side="right"))
            if step_us
            else int(np.searchsorted(time_us, self._start_us))
        )
        inside = slice(first, max(int(np.searchsorted(time_us, end_us)), first))
        at = np.maximum((time_us[inside] - self._start_us) // self._width_us, 0)
        size = len(self._good)
        if suspect[inside].any():
            self._suspect += np.bincount(at, weights=suspect[inside], minlength=size).astype(
                np.int64
            )
        chosen = good[inside] > 0
        if chosen.all():
            self._add_good(at, low[inside], mean[inside], high[inside], good[inside])
        else:
            lows, means, highs = (one[inside][chosen] for one in (low, mean, high))
            self._add_good(at[chosen], lows, means, highs, good[inside][chosen])

    def _add_good(
        self, at: IntArray, low: FloatArray, mean: FloatArray, high: FloatArray, good: IntArray
    ) -> None:
        if not len(at):
            return
        size = len(self._good)
        weight = good.astype(np.float64)
        self._total = self._total + counted_by(
            at, component_of(self._averaging, mean) * weight, size
        )
        self._good += np.bincount(at, weights=weight, minlength=size).astype(np.int64)
        firsts = np.flatnonzero(np.diff(at, prepend=-1))
        columns = at[firsts]
        lowest, highest = extremes_of(self._averaging, low, high, firsts)
        self._low[columns], self._high[columns] = joined_extremes(
            self._averaging, (self._low[columns], self._high[columns]), (lowest, highest)
        )

    def add_readings(self, readings: Readings) -> None:
        """Count readings in, in order of time."""
        end_us = min(self._stop_us, self._start_us + self._width_us * len(self._good))
        window = slice(*np.searchsorted(readings.time_us, (self._start_us, end_us)).tolist())
        time_us, value = readings.time_us[window], readings.value[window]
        quality = readings.quality[window]
        if quality.any():
            good = quality == Quality.GOOD
            columns, _, held = self._columns_of(time_us[~good])
            self._suspect[columns] += held
            time_us, value = time_us[good], value[good]
        if not len(time_us):
            return
        columns, begins, held = self._columns_of(time_us)
        self._good[columns] += held
        self._total[columns] += np.add.reduceat(component_of(self._averaging, value), begins)
        lowest, highest = extremes_of(self._averaging, value, value, begins)
        self._low[columns], self._high[columns] = joined_extremes(
            self._averaging, (self._low[columns], self._high[columns]), (lowest, highest)
        )

    def _columns_of(self, time_us: IntArray) -> tuple[IntArray, IntArray, IntArray]:
        """The columns that moments of the window fall into, in order: their numbers, where each
        begins among the moments, and how many it holds."""
        count = len(self._good)
        if len(time_us) < count:
            at = (time_us - self._start_us) // self._width_us
            # Written out: `np.diff` with its edges takes as long as all the rest.
            edges = np.empty(np.count_nonzero(at[1:] != at[:-1]) + 2, dtype=np.int64)
            edges[0], edges[-1] = 0, len(time_us)
            edges[1:-1] = np.flatnonzero(at[1:] != at[:-1]) + 1
            begins = edges[:-1]
            return at[begins], begins, edges[1:] - begins
        # Where the columns begin among them is looked up: a column a reading would cost more.
        edges_us = self._start_us + self._width_us * np.arange(count, dtype=np.int64)
        firsts = np.searchsorted(time_us, edges_us)
        edges = np.append(firsts, len(time_us))
        held = edges[1:] - firsts
        columns = np.flatnonzero(held)
        return columns, firsts[columns], held[columns]

    def envelope(self) -> Envelope:
        """The envelope of all that was added."""
        count = len(self._good)
        end_us = self._start_us + self._width_us * count
        if not self._good.any() and not self._suspect.any():
            nothing = empty_envelope(self._start_us, end_us, count)
            return replace(nothing, averaging=self._averaging)
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = value_of(self._averaging, self._total / self._good)
        mean[self._good == 0] = np.nan
        return Envelope(
            self._start_us,
            end_us,
            self._low,
            mean,
            self._high,
            self._good,
            self._suspect,
            averaging=self._averaging,
        )

"""Two series in cells of the same length, paired where both spoke."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.comparing.paired_comparison import align_nearest
from rook_tally.core.series.gaps import cleaned
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

# So many pairs tell the robust line and the range as well as all of them.
ENOUGH = 400

_MANY = 50_000

# So many steps in time tell a mean's interval, a line and a drift as well as all readings do.
_STEPS = 100_000


class PairInput(msgspec.Struct, frozen=True):
    """One of two series: its readings over the window and how often they come."""

    readings: Readings
    cadence_s: float


class Cells:
    """Equal cells of time over a window, as long as the longer cadence."""

    def __init__(self, start_us: int, end_us: int, length_s: float) -> None:
        self.start_us, self.end_us, self.length_s = start_us, end_us, length_s
        self.length_us = round(length_s * SECOND_US)
        self.count = max(1, -(-(end_us - start_us) // self.length_us))

    def of(self, time_us: TimeArray) -> tuple[IntArray, slice]:
        """The cell of each of (N,) rising moments, and which of them lie in the window."""
        first, last = np.searchsorted(
            time_us, (self.start_us, self.start_us + self.count * self.length_us)
        ).tolist()
        inside = slice(first, last)
        return (time_us[inside] - self.start_us) // self.length_us, inside


def begin_between(a: PairInput, b: PairInput, start_us: int, length_s: float) -> int:
    """Where the first cell begins, at most a cell before the window: as far as can be from the
    moments at which both report, so that a reading seldom shares its cell with the next."""
    length_us = length_s * SECOND_US
    phases = []
    for one in (a, b):
        every = one.readings.time_us[:: max(1, len(one.readings) // ENOUGH)]
        turns = np.exp(2j * np.pi * ((every - start_us) % length_us) / length_us)
        phases.append(float(np.angle(turns.mean()) / (2 * np.pi)) if len(every) else 0.0)
    apart = (phases[1] - phases[0]) % 1.0
    middle = phases[0] + (apart / 2 if apart > 0.5 else (1 + apart) / 2)
    return start_us - round((-middle % 1.0) * length_us)


class Pairs:
    """Pairs of readings, (P,) each, and where they lie among the cells."""

    def __init__(
        self,
        cells: Cells,
        time_us: TimeArray,
        first: FloatArray,
        second: FloatArray,
        tolerance_s: float,
        filled: IntArray | None,
    ) -> None:
        self.time_us, self.first, self.second = time_us, first, second
        self.tolerance_s, self.filled = tolerance_s, filled
        self._cells = cells

    def on_grid(self, values: FloatArray) -> FloatArray:
        """Means of one value a pair in every cell; NaN for an empty one."""
        if self.filled is None:
            cells = self._cells
            return by_cell(self.time_us, values, cells.start_us, cells.length_us, cells.count)
        if len(self.filled) == self._cells.count:
            return values
        grid = np.full(self._cells.count, np.nan)
        grid[self.filled] = values
        return grid

    def thinned(self) -> Pairs:
        """The same as means of a few neighbouring cells each, where there are very many."""
        size = -(-self._cells.count // _STEPS)
        if self.filled is None or size == 1 or not len(self.filled):
            return self
        wide = Cells(self._cells.start_us, self._cells.end_us, size * self._cells.length_s)
        which = self.filled // size
        which -= which[0]
        heard = np.bincount(which)
        known = np.flatnonzero(heard)
        first, second = (
            np.bincount(which, weights=one)[known] / heard[known]
            for one in (self.first, self.second)
        )
        at = known + self.filled[0] // size
        time_us = wide.start_us + at * wide.length_us + wide.length_us // 2
        return Pairs(wide, time_us, first, second, self.tolerance_s, at)


def paired(a: PairInput, b: PairInput, cells: Cells, *, is_plain: bool) -> Pairs:
    """The nearest readings one to one; of a great many the means of both in each cell, which tells
    as much and takes a fifth of the time. What is no plain mean is always paired one to one."""
    if is_plain and min(len(a.readings), len(b.readings)) > _MANY:
        first, second = (_cell_means(one.readings, cells) for one in (a, b))
        filled = np.flatnonzero(np.isfinite(first) & np.isfinite(second))
        # Without a gap nothing is copied.
        has_gap = len(filled) == 0 or filled[-1] - filled[0] >= len(filled)
        inside = filled if has_gap else slice(int(filled[0]), int(filled[-1]) + 1)
        first, second = first[inside], second[inside]
        time_us = filled * cells.length_us
        time_us += cells.start_us + cells.length_us // 2
        return Pairs(cells, time_us, first, second, cells.length_us / SECOND_US, filled)
    tolerance_s = min(a.cadence_s, b.cadence_s) / 2
    found = align_nearest(a.readings, b.readings, tolerance_s=tolerance_s)
    time_us = a.readings.time_us[found.index_a]
    return Pairs(
        cells,
        time_us,
        a.readings.value[found.index_a],
        b.readings.value[found.index_b],
        tolerance_s,
        None,
    )


def _cell_means(readings: Readings, cells: Cells) -> FloatArray:
    time_us, value = cleaned(readings)
    at, inside = cells.of(time_us)
    if bool((at[1:] > at[:-1]).all()):
        if len(at) == cells.count:
            return value[inside]
        means = np.full(cells.count, np.nan)
        is_whole = len(at) > 0 and at[-1] - at[0] + 1 == len(at)
        means[slice(int(at[0]), int(at[-1]) + 1) if is_whole else at] = value[inside]
        return means
    count = np.bincount(at, minlength=cells.count)
    with np.errstate(invalid="ignore", divide="ignore"):
        total = np.bincount(at, weights=value[inside], minlength=cells.count)
        return np.asarray(total / count, np.float64)


def by_cell(
    time_us: TimeArray, value: FloatArray, start_us: int, cell_us: int, cells: int
) -> FloatArray:
    """Means of (N,) values, in order of time, in equal cells; (cells,), NaN for an empty one."""
    if cells * 4 < len(time_us):
        edges = start_us + np.arange(cells + 1, dtype=np.int64) * cell_us
        bounds = np.searchsorted(time_us, edges)
        heard = np.diff(bounds)
        filled = np.flatnonzero(heard)
        result = np.full(cells, np.nan)
        if len(filled):
            told = value[: bounds[-1]]
            result[filled] = np.add.reduceat(told, bounds[filled]) / heard[filled]
        return result
    at = (time_us - start_us) // cell_us
    inside = (at >= 0) & (at < cells)
    if not inside.all():
        at, value = at[inside], value[inside]
    count = np.bincount(at, minlength=cells)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.bincount(at, weights=value, minlength=cells) / count, np.float64)

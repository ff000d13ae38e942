"""When a working has a value, and which values of its inputs belong to that moment.

One definition, for new readings and kept ones: a working has a value whenever one of its inputs
reports and the newest readings of the others are no older than their own limit, three cadences
unless said otherwise; else there is a gap.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.series.gaps import GAP_CADENCES, cleaned, microseconds
from rook_tally.core.series.readings import Readings

HELD_CADENCES = GAP_CADENCES
_FEW = 4096


@dataclass(frozen=True, slots=True)
class Input:
    """A series that a formula uses.

    Attributes
    ----------
    series_id : int
    factor : float
        Coherent value = base value × factor.
    held_us : int
        How old its newest reading may be.
    gap_us : int
        How far apart its readings may be before there is a gap.
    """

    series_id: int
    factor: float
    held_us: int
    gap_us: int


@dataclass(frozen=True, slots=True)
class InputSamples:
    """The good readings of a series in coherent units: strictly rising (N,) times and values."""

    time_us: TimeArray
    value: FloatArray


NOTHING_HEARD = InputSamples(np.empty(0, dtype=np.int64), np.empty(0))


def heard_of(readings: Readings, factor: float) -> InputSamples:
    """Good readings in coherent units; what is suspect takes no part."""
    time_us, value = cleaned(readings)
    return InputSamples(time_us, value if factor == 1.0 else value * factor)


@dataclass(slots=True)
class Inputs:
    """Readings of every series a formula uses, by series id, and what is asked of them again.

    Several formulas may be worked out from the same inputs; what they have in common is then found
    once.
    """

    heard: Mapping[int, InputSamples]
    _moments: dict[tuple[frozenset[int], int | None, int | None], TimeArray] = field(
        default_factory=dict
    )
    _single: dict[int, TimeArray] = field(default_factory=dict)
    _held: dict[tuple[int, int, int], tuple[TimeArray, FloatArray]] = field(default_factory=dict)
    _fresh: dict[tuple[int, int, int], tuple[TimeArray, BoolArray]] = field(default_factory=dict)

    def of(self, series_id: int) -> InputSamples:
        """The readings of one series; none when nothing is known of it."""
        return self.heard.get(series_id, NOTHING_HEARD)

    def moments(
        self, series_ids: Collection[int], start_us: int | None = None, end_us: int | None = None
    ) -> TimeArray:
        """Every moment in [start, end) at which one of some series reported, strictly rising.

        The same array every time, so that what is held at its moments is found once.
        """
        key = frozenset(series_ids), start_us, end_us
        known = self._moments.get(key)
        if known is None:
            several = [_part(self.of(one).time_us, start_us, end_us) for one in sorted(key[0])]
            known = joined_moments([one for one in several if len(one)])
            if len(known) == 1:
                # A reading that came in: the moment of every formula that rests on it.
                known = self._single.setdefault(int(known[0]), known)
            self._moments[key] = known
        return known

    @property
    def remembered_bytes(self) -> int:
        """Size of what is cached beside the readings, bytes."""
        arrays = (
            *self._moments.values(),
            *itertools.chain.from_iterable(self._held.values()),
            *(fresh for _, fresh in self._fresh.values()),
        )
        # A part of another array takes no room of its own, and one that stands twice takes it once.
        return sum(
            one.nbytes for one in {id(one): one for one in arrays if one.base is None}.values()
        )

    def held(self, one: Input, times: TimeArray) -> FloatArray:
        """The value of a series at moments: its newest reading, NaN when that is too old.

        Nobody may write into what this returns.
        """
        # Asked for by its formula and again for whether it is fresh.
        key = one.series_id, one.held_us, id(times)
        known = self._held.get(key)
        if known is not None:
            return known[1]
        heard = self.of(one.series_id)
        if heard.time_us is times:
            return heard.value
        # Of stations that tell several things at once.
        if len(heard.time_us) == len(times) and np.array_equal(heard.time_us, times):
            return heard.value
        if not len(heard.time_us):
            value = np.full(len(times), np.nan)
        elif len(times) < max(len(heard.time_us) // 4, _FEW):
            at = heard.time_us.searchsorted(times, side="right") - 1
            stale = (at < 0) | (times - heard.time_us[at] > one.held_us)
            value = heard.value[at]
            value[stale] = np.nan
        else:
            value = _held_on(heard, times, one.held_us)
        # The moments are kept with it, so that their identity stays theirs.
        self._held[key] = (times, value)
        return value

    def is_fresh(self, one: Input, times: TimeArray) -> BoolArray:
        """Where the newest reading of a series is not too old. Nobody may write into it."""
        key = one.series_id, one.held_us, id(times)
        known = self._fresh.get(key)
        if known is None:
            known = self._fresh[key] = (times, np.isfinite(self.held(one, times)))
        return known[1]


def _part(times: TimeArray, start_us: int | None, end_us: int | None) -> TimeArray:
    """Those of rising times in [start, end); the array itself when all of them are."""
    low = 0 if start_us is None else int(times.searchsorted(start_us))
    high = len(times) if end_us is None else int(times.searchsorted(end_us))
    return times if high - low == len(times) else times[low:high]


def _held_on(heard: InputSamples, times: TimeArray, held_us: int) -> FloatArray:
    """Each reading repeated until the next, or until it is too old.

    Repeating takes half the time of looking up; what is too old is found from the few long steps
    between readings instead of at every moment.
    """
    begins = np.searchsorted(times, heard.time_us)
    value = np.empty(len(times))
    value[: begins[0]] = np.nan
    value[begins[0] :] = np.repeat(heard.value, np.diff(begins, append=len(times)))
    long = np.flatnonzero(np.append(np.diff(heard.time_us) > held_us, True))
    ends = np.append(begins[1:], len(times))[long]
    olds = np.searchsorted(times, heard.time_us[long] + held_us, side="right")
    # Stretches [old, end) that do not overlap, marked at their edges.
    some = np.flatnonzero(ends > olds)
    if len(some):
        edges = np.zeros(len(times) + 1, dtype=np.int8)
        np.add.at(edges, olds[some], 1)
        np.add.at(edges, ends[some], -1)
        value[np.cumsum(edges[:-1], dtype=np.int8) > 0] = np.nan
    return value


def joined_moments(several: list[TimeArray]) -> TimeArray:
    """Rising times of several series as one, each moment once."""
    if not several:
        return np.empty(0, dtype=np.int64)
    if len(several) == 1:
        return several[0]
    moments = np.concatenate(several)
    # Runs that rise already are merged, which takes a tenth of the time of sorting.
    moments.sort(kind="stable")
    new = np.empty(len(moments), dtype=np.bool_)
    new[0] = True
    np.not_equal(moments[1:], moments[:-1], out=new[1:])
    return moments if new.all() else moments[new]


def held_us(cadence_s: float, within_s: float | None) -> int:
    """The greatest age of a reading that counts: as told, else three cadences."""
    return microseconds(HELD_CADENCES * cadence_s if within_s is None else within_s)

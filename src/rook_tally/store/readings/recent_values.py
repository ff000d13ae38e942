"""The last readings of each series as one writer knows them, so that a batch in which nothing could
be suspect need not be looked at in the store."""

from __future__ import annotations

import math
from array import array
from collections import deque
from collections.abc import Sequence

import numpy as np

from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.series.screening import (
    SCREENED_TAIL,
    SPIKE_ACCURACIES,
    SPIKE_NEIGHBOURS,
    SPIKE_SIGMAS,
    STUCK_READINGS,
)
from rook_tally.core.series.sensor_faults import MAD_TO_SIGMA
from rook_tally.store.readings.append import NewReading
from rook_tally.store.readings.rescreening import is_screened_later
from rook_tally.store.site.site import Series

# The reading that is judged with the newest, its window, and those of the readings beside it.
_RUN = 4 * SPIKE_NEIGHBOURS
# From so many equal values on, a stuck one is possible (`judging`).
_STILL = STUCK_READINGS // 2
# Earlier than any moment: where fewer are known, every one is among them.
_UNKNOWN_US = -(1 << 62)


class _Tail:
    """The end of a series: its newest moment and value, for how many readings in a row nothing has
    jumped, been zero or been suspect, how many have had the same value, and the last few, where
    none of them was zero or suspect."""

    __slots__ = (
        "calm",
        "heard",
        "high",
        "last_us",
        "lately",
        "low",
        "may_be_zero",
        "moments",
        "most",
        "run",
        "still",
        "value",
    )

    def __init__(self) -> None:
        self.last_us = -1
        self.value = math.nan
        self.calm = self.still = 0
        # As many as are looked at together for a spike.
        self.lately: deque[float] = deque(maxlen=2 * SPIKE_NEIGHBOURS + 1)
        # All of them lie within, and perhaps others that are left out by now.
        self.low = self.high = math.nan
        # As far as a spike stands out of them.
        self.most = 0.0
        self.may_be_zero = False
        self.run: deque[float] = deque(maxlen=_RUN)
        # Round and round, as bare numbers: of thousands of series these would be megabytes.
        self.moments = array("q", [_UNKNOWN_US]) * (SCREENED_TAIL + 1)
        self.heard = 0

    def reaches_back_to(self, time_us: int) -> bool:
        """True if a reading of that moment stands among those this was told from."""
        return time_us >= self.moments[self.heard % len(self.moments)]

    def hear(self, time_us: int, value: float, most: float, *, is_good: bool) -> None:
        """One more at its end."""
        self.last_us = time_us
        self.moments[self.heard % (SCREENED_TAIL + 1)] = time_us
        self.heard += 1
        self.still = self.still + 1 if value == self.value else 1
        self.lately.append(value)
        low, high = self.low, self.high
        if not low <= value <= high or high - low > most:
            self.low, self.high = low, high = min(self.lately), max(self.lately)
        is_calm = is_good and value != 0.0 and high - low <= most
        self.calm = self.calm + 1 if is_calm else 0
        if is_good and (value != 0.0 or self.may_be_zero):
            self.run.append(value)
        else:
            self.run.clear()
        self.value = value

    @property
    def decides_nothing(self) -> bool:
        """True if the newest reading makes certain of none before it that it was a spike.

        That could be the one that has enough readings behind it now; all others were judged before.
        Where a gap lies between them nobody is judged, and this asks for more than has to be.
        """
        if len(self.run) < _RUN:
            return False
        run = list(self.run)
        at = _RUN - SPIKE_NEIGHBOURS - 2
        return not (
            self._is_far(run, at)
            and not self._is_far(run, at - 1)
            and not self._is_far(run, at + 1)
        )

    def _is_far(self, run: list[float], at: int) -> bool:
        """True if a reading lies far from the median of the window around it: as `hampel` asks."""
        window = run[at - SPIKE_NEIGHBOURS : at + SPIKE_NEIGHBOURS + 1]
        median = sorted(window)[SPIKE_NEIGHBOURS]
        away = abs(run[at] - median)
        if away <= self.most:
            return False
        mad = sorted([abs(one - median) for one in window])[SPIKE_NEIGHBOURS]
        return away > SPIKE_SIGMAS * MAD_TO_SIGMA * mad


class _Hole:
    """Where readings come late one after the other: the readings before, with the late ones at
    their end, and those after. Between them nothing is held."""

    __slots__ = ("before", "high", "is_calm", "longest_still", "low")

    def __init__(self, before: _Tail, after: Readings) -> None:
        self.before = before
        self.low, self.high = float(after.value.min()), float(after.value.max())
        self.is_calm = bool((after.value != 0).all() and (after.quality == Quality.GOOD).all())
        moved = np.flatnonzero(np.diff(after.value) != 0) + 1
        self.longest_still = int(np.diff(np.concatenate(([0], moved, [len(after)]))).max())

    def decides_nothing(self, *, never_still: bool) -> bool:
        """True if nothing around the newest of its late readings moves as far as a spike, is zero,
        suspect or stands still."""
        before = self.before
        lowest, highest = min(self.low, before.low), max(self.high, before.high)
        if before.calm <= SCREENED_TAIL or not self.is_calm or highest - lowest > before.most:
            return False
        return not never_still or before.still + self.longest_still < _STILL


class RecentReadings:
    """Used by one thread. What others write shows as a newest moment that is not ours: that series
    is then looked at in the store until enough of it is known again.

    `empty_us` are by series id two moments between which nothing of the series is held: where its
    last late reading is, and the next after that.
    """

    def __init__(self) -> None:
        self._tails: dict[int, _Tail] = {}
        self._holes: dict[int, _Hole] = {}
        # What was late and is looked at in the store: the end of what `know` will hear.
        self._looked_at: dict[int, _Tail] = {}
        self.empty_us: dict[int, tuple[int, int]] = {}

    def are_beyond_suspicion(
        self,
        series: Series,
        written: Sequence[NewReading],
        *,
        newest_before_us: int | None,
        newest_us: int,
    ) -> bool:
        """Hear of rows just written; whether neither they nor those before them can be suspect.

        Parameters
        ----------
        newest_before_us
            The series' newest row before these; None when it is not known, or they are not all
            newer.
        newest_us
            Its newest row with them.

        Returns
        -------
        bool
            True when nothing moved as far as a spike, was zero or stood still in them and the
            `SCREENED_TAIL` before, or when they make certain of none before that it was a spike:
            the same as `judging` asks of rows.
        """
        if self._looked_at:
            self._looked_at.pop(series.id, None)
        ordered = written if len(written) == 1 else sorted(written, key=_moment_of)
        tail = self._tails.get(series.id)
        if newest_before_us is None and ordered[-1].time_us < newest_us:
            if tail is not None and tail.reaches_back_to(ordered[-1].time_us):
                del self._tails[series.id]
            return self._is_calm_where_late(series, ordered)
        quantity = series.quantity
        if not is_screened_later(quantity):
            return True
        if tail is None or newest_before_us is None or newest_before_us != tail.last_us:
            tail = self._tails[series.id] = _Tail()
        tail.most = most = SPIKE_ACCURACIES * quantity.accuracy
        tail.may_be_zero = quantity.zero_possible
        decides_nothing = True
        for one in ordered:
            tail.hear(one.time_us, one.value, most, is_good=one.quality is Quality.GOOD)
            # Counted from the first of the window, which has none before it to have jumped from.
            if tail.calm <= SCREENED_TAIL and decides_nothing:
                decides_nothing = tail.decides_nothing
        return decides_nothing and (tail.still < _STILL or not quantity.never_still)

    def _is_calm_where_late(self, series: Series, ordered: Sequence[NewReading]) -> bool:
        """Hear of late rows: a station sends what it stored for hours, each in the same hole."""
        series_id = series.id
        from_us, until_us = self.empty_us.get(series_id, (0, 0))
        hole = self._holes.get(series_id)
        if hole is None or not from_us < ordered[0].time_us <= ordered[-1].time_us < until_us:
            end = _Tail()
            end.last_us = ordered[-1].time_us
            end.most = SPIKE_ACCURACIES * series.quantity.accuracy
            end.may_be_zero = series.quantity.zero_possible
            self._forget_hole(series_id)
            self._looked_at[series_id] = end
            return False
        before = hole.before
        is_calm, can_be_suspect = True, is_screened_later(series.quantity)
        for one in ordered if can_be_suspect else ():
            before.hear(one.time_us, one.value, before.most, is_good=one.quality is Quality.GOOD)
            is_calm = is_calm and hole.decides_nothing(never_still=series.quantity.never_still)
        self.empty_us[series_id] = (ordered[-1].time_us, until_us)
        if not is_calm:
            self._looked_at[series_id] = before
        return is_calm

    def know(self, series_id: int, near: Readings) -> None:
        """Hear of a series' readings as the store has them around what was written last, after a
        look at them: the next needs none, as long as nothing moves."""
        if not len(near):
            return
        late = self._looked_at.pop(series_id, None)
        if late is not None:
            self._know_hole(series_id, near, late)
            return
        known = self._tails.get(series_id)
        if known is not None and int(near.time_us[-1]) == known.last_us:
            self._tails[series_id] = _tail_of(near, known)

    def _know_hole(self, series_id: int, near: Readings, late: _Tail) -> None:
        stop = int(np.searchsorted(near.time_us, late.last_us, side="right"))
        after = near[stop:]
        # So many are looked at together for a spike: what comes after them changes nothing here.
        if len(after) <= 2 * SPIKE_NEIGHBOURS or not stop or near.time_us[stop - 1] != late.last_us:
            self._forget_hole(series_id)
            return
        self._holes[series_id] = _Hole(_tail_of(near[:stop], late), after)
        self.empty_us[series_id] = (late.last_us, int(after.time_us[0]))

    def _forget_hole(self, series_id: int) -> None:
        self._holes.pop(series_id, None)
        self.empty_us.pop(series_id, None)

    def forget_what_is_empty(self) -> None:
        """Somebody else wrote readings: perhaps where nothing was held."""
        self._holes.clear()
        self._looked_at.clear()
        self.empty_us.clear()

    def forget(self) -> None:
        """Drop all that is known: the last batch was not written."""
        self._tails.clear()
        self.forget_what_is_empty()


def _tail_of(readings: Readings, known: _Tail) -> _Tail:
    """The end of readings of a series of which so much is known."""
    tail = _Tail()
    tail.most, tail.may_be_zero = known.most, known.may_be_zero
    moments, values = readings.time_us.tolist(), readings.value.tolist()
    good = (readings.quality == Quality.GOOD).tolist()
    for time_us, value, is_good in zip(moments, values, good, strict=True):
        tail.hear(time_us, value, tail.most, is_good=is_good)
    if len(readings) <= SCREENED_TAIL and tail.calm == len(readings):
        # Fewer than are looked at are all there are: before them is nothing to have jumped.
        tail.calm += SCREENED_TAIL
    return tail


def _moment_of(reading: NewReading) -> int:
    return reading.time_us

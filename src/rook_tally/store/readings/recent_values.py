"""The last readings of each series as one writer knows them, so that a batch in which nothing could
be suspect need not be looked at in the store."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence

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
from rook_tally.store.site.configuration import Series

# The reading that is judged with the newest, its window, and those of the readings beside it.
_RUN = 4 * SPIKE_NEIGHBOURS
# From so many equal values on, a stuck one is possible (`judging`).
_STILL = STUCK_READINGS // 2


class _Tail:
    """The end of a series: its newest moment and value, for how many readings in a row nothing has
    jumped, been zero or been suspect, how many have had the same value, and the last few, where
    none of them was zero or suspect."""

    __slots__ = (
        "calm",
        "high",
        "last_us",
        "lately",
        "low",
        "may_be_zero",
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

    def hear(self, value: float, most: float, *, is_good: bool) -> None:
        """One more at its end."""
        self.still = self.still + 1 if value == self.value else 1
        self.lately.append(value)
        if not self.low <= value <= self.high or self.high - self.low > most:
            self.low, self.high = min(self.lately), max(self.lately)
        is_calm = value != 0.0 and self.high - self.low <= most
        self.calm = self.calm + 1 if is_calm and is_good else 0
        is_plain = is_good and (value != 0.0 or self.may_be_zero)
        if is_plain:
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


class RecentReadings:
    """Used by one thread. What others write shows as a newest moment that is not ours: that series
    is then looked at in the store until enough of it is known again."""

    def __init__(self) -> None:
        self._tails: dict[int, _Tail] = {}

    def are_beyond_suspicion(
        self, series: Series, written: Sequence[NewReading], newest_before_us: int | None
    ) -> bool:
        """Hear of rows just written; whether neither they nor those before them can be suspect.

        Parameters
        ----------
        newest_before_us
            The series' newest row before these; None when it is not known, or they are not all
            newer.

        Returns
        -------
        bool
            True when nothing moved as far as a spike, was zero or stood still in them and the
            `SCREENED_TAIL` before, or when they make certain of none before that it was a spike:
            the same as `judging` asks of rows.
        """
        tail = self._tails.get(series.id)
        if tail is None or newest_before_us is None or newest_before_us != tail.last_us:
            tail = self._tails[series.id] = _Tail()
        most = SPIKE_ACCURACIES * series.quantity.accuracy
        ordered = written if len(written) == 1 else sorted(written, key=_moment_of)
        tail.most = most
        tail.may_be_zero = series.quantity.zero_possible
        decides_nothing = True
        for one in ordered:
            tail.hear(one.value, most, is_good=one.quality is Quality.GOOD)
            tail.last_us = one.time_us
            # Counted from the first of the window, which has none before it to have jumped from.
            is_calm = tail.calm > SCREENED_TAIL
            decides_nothing = decides_nothing and (is_calm or tail.decides_nothing)
        is_moving = tail.still < _STILL or not series.quantity.never_still
        return is_moving and decides_nothing

    def know(self, series_id: int, near: Readings) -> None:
        """Hear of a series' last readings as the store has them, after a look at what was written
        last: the next needs none, as long as nothing moves."""
        known = self._tails.get(series_id)
        if known is None or not len(near) or int(near.time_us[-1]) != known.last_us:
            return
        tail = _Tail()
        tail.last_us, tail.most = known.last_us, known.most
        tail.may_be_zero = known.may_be_zero
        good = (near.quality == Quality.GOOD).tolist()
        for value, is_good in zip(near.value.tolist(), good, strict=True):
            tail.hear(value, tail.most, is_good=is_good)
        if len(near) <= SCREENED_TAIL and tail.calm == len(near):
            # Fewer than are looked at are all there are: before them is nothing to have jumped.
            tail.calm += SCREENED_TAIL
        self._tails[series_id] = tail

    def forget(self) -> None:
        """Drop all that is known: the last batch was not written."""
        self._tails.clear()


def _moment_of(reading: NewReading) -> int:
    return reading.time_us

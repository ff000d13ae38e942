"""The last readings of each series as one writer knows them, so that a batch in which nothing could
be suspect need not be looked at in the store."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence

from rook_tally.core.series.readings import Quality
from rook_tally.core.series.screening import (
    SCREENED_TAIL,
    SPIKE_ACCURACIES,
    SPIKE_NEIGHBOURS,
    STUCK_READINGS,
)
from rook_tally.store.readings.append import NewReading
from rook_tally.store.site.configuration import Series

# From so many equal values on, a stuck one is possible (`judging`).
_STILL = STUCK_READINGS // 2


class _Tail:
    """The end of a series: its newest moment and value, for how many readings in a row nothing has
    jumped, been zero or been suspect, and how many have had the same value."""

    __slots__ = ("calm", "last_us", "lately", "still", "value")

    def __init__(self) -> None:
        self.last_us = -1
        self.value = math.nan
        self.calm = self.still = 0
        # As many as are looked at together for a spike.
        self.lately: deque[float] = deque(maxlen=2 * SPIKE_NEIGHBOURS + 1)


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
            `SCREENED_TAIL`
            before: the same as `judging` asks of rows.
        """
        tail = self._tails.get(series.id)
        if tail is None or newest_before_us is None or newest_before_us != tail.last_us:
            tail = self._tails[series.id] = _Tail()
        most = SPIKE_ACCURACIES * series.quantity.accuracy
        ordered = written if len(written) == 1 else sorted(written, key=_moment_of)
        for one in ordered:
            value = one.value
            tail.still = tail.still + 1 if value == tail.value else 1
            tail.lately.append(value)
            is_calm = value != 0.0 and max(tail.lately) - min(tail.lately) <= most
            tail.calm = tail.calm + 1 if is_calm and one.quality is Quality.GOOD else 0
            tail.value = value
        tail.last_us = ordered[-1].time_us
        is_moving = tail.still < _STILL or not series.quantity.never_still
        # Counted from the first of the window, which has none before it to have jumped from.
        return tail.calm >= SCREENED_TAIL + len(ordered) and is_moving

    def forget(self) -> None:
        """Drop all that is known: the last batch was not written."""
        self._tails.clear()


def _moment_of(reading: NewReading) -> int:
    return reading.time_us

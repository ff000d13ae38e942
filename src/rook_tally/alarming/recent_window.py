"""The last readings of a series, held by one writer so that nothing is read from the store as long
as readings come in order and nobody else writes."""

from __future__ import annotations

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.timestamps import MINUTE_US

SLACK_US = 30 * MINUTE_US
_FIRST_ROOM = 256


class Tail:
    """The last good readings of a series in coherent units, from `since_us` on."""

    __slots__ = ("_end", "_time_us", "_value", "keep_us", "newest_us", "since_us")

    def __init__(self, keep_us: int) -> None:
        self.keep_us = keep_us
        self._time_us = np.empty(_FIRST_ROOM, dtype=np.int64)
        self._value = np.empty(_FIRST_ROOM)
        self._end = 0
        self.since_us = 0
        self.newest_us = -1
        """The moment of the last reading; −1 without one."""

    def fill(self, time_us: TimeArray, value: FloatArray, since_us: int) -> None:
        """Hold these readings and no others."""
        self.since_us, self._end = since_us, len(time_us)
        room = max(_FIRST_ROOM, 2 * len(time_us))
        self._time_us, self._value = np.empty(room, dtype=np.int64), np.empty(room)
        self._time_us[: self._end], self._value[: self._end] = time_us, value
        self._note_newest()

    @property
    def all(self) -> tuple[TimeArray, FloatArray]:
        """All readings held; the arrays are ours."""
        return self._time_us[: self._end], self._value[: self._end]

    def add(self, time_us: int, value: float) -> None:
        """Take a reading after the last."""
        if self._end == len(self._time_us):
            oldest = max(self.since_us, time_us - self.keep_us - SLACK_US)
            held, told = self.since(oldest)
            self.fill(held.copy(), told.copy(), oldest)
        self._time_us[self._end], self._value[self._end] = time_us, value
        self._end += 1
        self.newest_us = time_us

    def since(self, moment_us: int) -> tuple[TimeArray, FloatArray]:
        """The readings from a moment on; the arrays are ours."""
        first = self._first(moment_us)
        return self._time_us[first : self._end], self._value[first : self._end]

    def cut(self, moment_us: int) -> None:
        """Forget the readings from a moment on."""
        self._end = self._first(moment_us)
        self._note_newest()

    def _first(self, moment_us: int) -> int:
        """Where the readings from a moment on begin."""
        if moment_us > self.newest_us:
            return self._end
        return int(self._time_us[: self._end].searchsorted(moment_us))

    def _note_newest(self) -> None:
        self.newest_us = int(self._time_us[self._end - 1]) if self._end else -1

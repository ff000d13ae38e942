"""The collector's clock held against one that only goes on, and against what the store knows."""

from __future__ import annotations

import ctypes
import time
from collections.abc import Callable

import structlog

from rook_tally.clock import now_us
from rook_tally.store.alarms.clock_trust import (
    MOST_BEHIND_AT_START_US,
    MOST_BEHIND_US,
    note_jump,
    note_not_set,
    why_not_set,
)
from rook_tally.store.alarms.control_runs import shift_runs
from rook_tally.store.base import Store

MOST_DRIFT_US = 30_000_000
# Of `struct timex`, and what `adjtimex` returns for a clock that nothing keeps right.
_TIMEX_BYTES, _TIME_ERROR = 512, 5

_log = structlog.get_logger(__name__)


def running_us() -> int:
    """µs since the machine started, asleep or not: nobody sets this clock."""
    return time.clock_gettime_ns(time.CLOCK_BOOTTIME) // 1_000


def is_synchronised() -> bool:
    """True if the kernel's clock is kept right from outside, as its time service tells it."""
    untold = ctypes.create_string_buffer(_TIMEX_BYTES)
    state: int = ctypes.CDLL(None).adjtimex(untold)
    return 0 <= state < _TIME_ERROR


class ClockWatch:
    """Looks again and again whether the clock is set, and whether it jumped.

    A machine without a clock of its own starts with the time at which it was last up. So a clock
    that nothing keeps right may at the start not be behind what the store knows; later on somebody
    may set it back.
    """

    def __init__(
        self,
        store: Store,
        *,
        wall: Callable[[], int] = now_us,
        running: Callable[[], int] = running_us,
        synchronised: Callable[[], bool] = is_synchronised,
    ) -> None:
        self._store, self._wall, self._running = store, wall, running
        self._synchronised = synchronised
        self._was_set = False
        self._before: tuple[int, int] | None = None
        self.is_set = True
        self.look()

    def look(self) -> None:
        """Compare the clocks; a jump, and a clock that is not set, are journalled.

        Raises
        ------
        StoreError
            When the store cannot be read or written.
        """
        wall_us, running = self._wall(), self._running()
        with self._store.read() as connection:
            is_sure = self._was_set or self._synchronised()
            most_us = MOST_BEHIND_US if is_sure else MOST_BEHIND_AT_START_US
            why = why_not_set(connection, now_us=wall_us, most_behind_us=most_us)
        jumped_us = 0
        if self._before is not None:
            jumped_us = (wall_us - self._before[0]) - (running - self._before[1])
        self._before = wall_us, running
        if abs(jumped_us) > MOST_DRIFT_US:
            _log.warning("clock_jumped", by_s=round(jumped_us / 1e6, 1))
            with self._store.write() as connection:
                note_jump(connection, now_us=wall_us, by_us=jumped_us)
                shift_runs(connection, by_us=jumped_us)
        if why and self.is_set:
            _log.error("clock_not_set", why=why)
            with self._store.write() as connection:
                note_not_set(connection, why, now_us=wall_us)
        if not why and not self.is_set:
            _log.info("clock_set")
        self.is_set = not why
        self._was_set |= self.is_set

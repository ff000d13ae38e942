"""The collector's clock held against one that only goes on, and against what the store knows."""

from __future__ import annotations

import time
from collections.abc import Callable

import structlog

from rook_tally.collector.moment import now_us
from rook_tally.store import Store
from rook_tally.store.clock_trust import note_jump, note_not_set, why_not_set
from rook_tally.store.runs import shift_runs

MOST_DRIFT_US = 30_000_000
_log = structlog.get_logger(__name__)


def running_us() -> int:
    """µs since the machine started, asleep or not: nobody sets this clock."""
    return time.clock_gettime_ns(time.CLOCK_BOOTTIME) // 1_000


class ClockWatch:
    """Looks again and again whether the clock is set, and whether it jumped."""

    def __init__(
        self, store: Store, *, wall: Callable[[], int] = now_us,
        running: Callable[[], int] = running_us,
    ) -> None:  # fmt: skip
        self._store, self._wall, self._running = store, wall, running
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
            why = why_not_set(connection, now_us=wall_us)
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

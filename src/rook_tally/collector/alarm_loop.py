"""Keeping time for the watches: one collector at a time does this for a store."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import structlog

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.collector.leases import hold
from rook_tally.core.errors import StoreError
from rook_tally.store.base import Store, Subject
from rook_tally.store.site import listening_since
from rook_tally.store.site.leases import Lease, Leases, Role

LOOK_EVERY_S = 1.0
_CONCERNED = frozenset({Subject.ALARMS, Subject.REQUESTS, Subject.WATCHES, Subject.SITE})

_log = structlog.get_logger(__name__)


class AlarmLoop:
    """Looks once a second, and when an alarm, a wish or a watch changed."""

    def __init__(
        self,
        duties: Leases,
        *,
        clock: Callable[[], int],
        clock_is_set: Callable[[], bool] = lambda: True,
    ) -> None:
        self._duties, self._clock, self._clock_is_set = duties, clock, clock_is_set
        self._keeper: AlarmClock | None = None
        self._moved = asyncio.Event()

    def take_up(self, changed: set[Subject]) -> None:
        """Hear what changed in the store."""
        if changed & _CONCERNED:
            self._moved.set()

    async def run(self) -> None:
        """Look whenever that is ours to do, until cancelled."""
        held: Lease | None = None
        try:
            while True:
                self._moved.clear()
                try:
                    before, held = held, await hold(self._duties, Role.WATCHING, held)
                    if held is not before:
                        # What was known is another collector's by now.
                        self._keeper = None
                    if held is not None:
                        await asyncio.to_thread(self._look, held.store)
                except StoreError as error:
                    _log.warning("watches_put_off", error=str(error))
                try:
                    async with asyncio.timeout(LOOK_EVERY_S):
                        await self._moved.wait()
                except TimeoutError:
                    continue
        finally:
            if held is not None:
                await asyncio.to_thread(held.release)

    def _look(self, store: Store) -> None:
        if not self._clock_is_set():
            # Nobody can say for how long anybody was silent; once it is set, listening begins anew.
            self._keeper = None
            return
        now_us = self._clock()
        if self._keeper is None:
            with store.write() as connection:
                since_us = listening_since(connection, now_us=now_us)
            self._keeper = AlarmClock(store, since_us=since_us)
        self._keeper.look(now_us)

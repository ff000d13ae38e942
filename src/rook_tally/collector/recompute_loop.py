"""The past of workings: bound to what the site has, and worked out again where it changed.

One collector at a time does this for a store, beside the doors: a part at a time, each in a
transaction of its own.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable

import structlog

from rook_tally.collector.leases import hold
from rook_tally.core.errors import StoreError
from rook_tally.intake.pipeline.live_workings import FAULTS
from rook_tally.store.base import RecomputeSpan, Store, Subject, drop_due, stretches_to_work_out
from rook_tally.store.site import load_site
from rook_tally.store.site.leases import Lease, Leases, Role
from rook_tally.store.workings import bind_workings, bound_workings, has_workings, work_out_due

LOOK_EVERY_S = 5.0
# Between two parts the doors have the store to themselves.
_BREATH_S = 0.02
_CONCERNED = frozenset({Subject.SITE, Subject.SERIES, Subject.WORKINGS})

_log = structlog.get_logger(__name__)


# After each binding so many times as long without one, but never longer than this.
_REST_SHARE, _LONGEST_REST_S = 10.0, 5.0


class RecomputeLoop:
    """Keeps the past of workings up to date; woken by what changes in the store."""

    def __init__(self, duties: Leases, *, clock: Callable[[], int]) -> None:
        self._duties = duties
        self._clock = clock
        self._moved = asyncio.Event()
        self._needs_binding = True
        # No binding before this, by the clock that only goes forward.
        self._bound_until_s = 0.0

    def take_up(self, changed: set[Subject]) -> None:
        """Hear what changed in the store."""
        if changed & _CONCERNED:
            self._needs_binding |= bool(changed & {Subject.SITE, Subject.SERIES})
            self._moved.set()

    async def run(self) -> None:
        """Work out what is due whenever that is ours to do, until cancelled."""
        held: Lease | None = None
        try:
            while True:
                self._moved.clear()
                try:
                    held = await hold(self._duties, Role.WORKING_OUT, held)
                    if held is not None:
                        await self._catch_up(held.store)
                except StoreError as error:
                    _log.warning("working_out_put_off", error=str(error))
                # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(LOOK_EVERY_S):
                        await self._moved.wait()
        finally:
            if held is not None:
                await asyncio.to_thread(held.release)

    async def _catch_up(self, store: Store) -> None:
        if self._needs_binding:
            # A site to which series come one after the other is not bound anew for each of them.
            await asyncio.sleep(max(0.0, self._bound_until_s - time.monotonic()))
            self._needs_binding = False
            begun_s = time.monotonic()
            troubles = await asyncio.to_thread(_bind, store)
            spent_s = time.monotonic() - begun_s
            self._bound_until_s = begun_s + min(_REST_SHARE * spent_s, _LONGEST_REST_S)
            for slug, error in troubles.items():
                _log.warning("not_worked_out", working=slug, why=error)
        while due := await asyncio.to_thread(_due, store):
            await asyncio.to_thread(self._work_out, store, due)
            await asyncio.sleep(_BREATH_S)

    def _work_out(self, store: Store, due: RecomputeSpan) -> None:
        with store.read() as connection:
            bound = {
                series.id: (series, one.program)
                for series, one in bound_workings(connection, load_site(connection))
            }
        if due.series_id in bound:
            try:
                work_out_due(store, due, *bound[due.series_id], now_us=self._clock())
            except FAULTS as error:
                # Else it would be tried for ever, and nothing behind it.
                _log.error("past_not_worked_out", series=due.series_id, why=repr(error))
            else:
                return
        # What it rested on is gone, or it cannot be worked out: nothing more can be said of it.
        with store.write() as connection:
            drop_due(connection, due.series_id)


def _bind(store: Store) -> dict[str, str]:
    with store.read() as connection:
        if not has_workings(connection):
            # No reason to keep anybody else from writing, as series come.
            return {}
    with store.write() as connection:
        troubles = bind_workings(connection)
    return {slug: str(error) for slug, error in troubles.items()}


def _due(store: Store) -> RecomputeSpan | None:
    with store.read() as connection:
        return next(iter(stretches_to_work_out(connection)), None)

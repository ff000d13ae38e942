"""Forwards while the doors are open: each at its own pace, so that one that hangs holds nothing up.

One collector at a time forwards for a store. What a target has taken is written down after each
stretch, so whatever is broken off is sent once more, with the same keys.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable

import msgspec
import structlog

from rook_tally.collector.leases import look_while_held
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.errors import StoreError
from rook_tally.core.forwards.definitions import Forward
from rook_tally.forwarding.batches import ChosenSeries, next_batches
from rook_tally.forwarding.targets import NotTakenError, Target, target_of
from rook_tally.store.alarms import write_journal
from rook_tally.store.base import Store
from rook_tally.store.site.forwards import ForwardState, forwards, keep_state
from rook_tally.store.site.leases import Leases, Role

_LOOK_S = 1.0
_REST, _LONGEST_REST_S = 16, 0.2
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 1.0, 300.0

_log = structlog.get_logger(__name__)


class ForwardLoop:
    """Runs every forward that is on."""

    def __init__(self, duties: Leases, *, clock: Callable[[], int]) -> None:
        self._duties, self._clock = duties, clock
        self._running: dict[str, tuple[Forward, asyncio.Task[None]]] = {}

    async def run(self) -> None:
        """Follow what is kept, until cancelled."""
        try:
            await look_while_held(self._duties, Role.FORWARDING, self._look, every_s=_LOOK_S)
        finally:
            await self._end(set(self._running))

    async def _look(self, store: Store) -> None:
        """Begin what is new, end what is gone or says something else."""

        def look() -> dict[str, Forward]:
            with store.read() as connection:
                return {one.slug: one for one, _ in forwards(connection) if one.is_on}

        wanted = await asyncio.to_thread(look)
        await self._end(
            {
                slug
                for slug, (told, task) in self._running.items()
                if wanted.get(slug) != told or task.done()
            }
        )
        for slug, told in wanted.items():
            if slug not in self._running:
                task = asyncio.create_task(keep_forwarding(store, told, self._clock))
                self._running[slug] = told, task

    async def _end(self, slugs: set[str]) -> None:
        for slug in slugs:
            _, task = self._running.pop(slug)
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                try:
                    await task
                except StoreError as error:
                    _log.warning("forward_ended", forward=slug, error=str(error))


async def keep_forwarding(store: Store, told: Forward, clock: Callable[[], int]) -> None:
    """Send what there is, again and again, until cancelled; a target that does not take it is tried
    again after a pause that grows."""
    target, pause_s = target_of(told), _FIRST_PAUSE_S
    chosen = ChosenSeries(told)
    try:
        while True:
            began_s = time.monotonic()
            try:
                is_behind = await forward_once(store, told, chosen, target, clock)
                pause_s = _FIRST_PAUSE_S
                # What is caught up on takes a small share of the collector's time.
                spent_s = time.monotonic() - began_s
                await asyncio.sleep(min(_REST * spent_s, _LONGEST_REST_S) if is_behind else _LOOK_S)
            except NotTakenError as error:
                await asyncio.to_thread(_note_trouble, store, told, str(error), clock())
                await asyncio.sleep(pause_s)
                pause_s = min(2 * pause_s, _LONGEST_PAUSE_S)
            except StoreError as error:
                _log.warning("forward_put_off", forward=told.slug, error=str(error))
                await asyncio.sleep(pause_s)
    finally:
        await target.close()


async def forward_once(
    store: Store, told: Forward, chosen: ChosenSeries, target: Target, clock: Callable[[], int]
) -> bool:
    """Send what there is since the cursor; True if there is more to come at once.

    Raises
    ------
    NotTakenError
        When the target did not take a batch; nothing was written down then.
    """
    state = await asyncio.to_thread(_state, store, told)
    if state is None:
        return False
    found = await asyncio.to_thread(next_batches, store, told, chosen, state, clock())
    size = readings = 0
    remark = ""
    for batch in found.batches:
        remark = await target.send(batch) or remark
        size, readings = size + len(batch.body), readings + batch.readings
    after = found.after
    if found.batches:
        after = msgspec.structs.replace(
            after,
            readings=state.readings + readings,
            sent_bytes=state.sent_bytes + size,
            last_us=clock(),
            trouble=remark,
            trouble_us=(state.trouble_us or clock()) if remark else 0,
        )
    if after != state:
        await asyncio.to_thread(_note_sent, store, told, state, after, clock())
    return found.is_behind


def _state(store: Store, told: Forward) -> ForwardState | None:
    with store.read() as connection:
        return {one.slug: state for one, state in forwards(connection)}.get(told.slug)


def _note_sent(
    store: Store, told: Forward, before: ForwardState, after: ForwardState, now_us: int
) -> None:
    with store.write() as connection:
        keep_state(connection, told.slug, after)
        if before.trouble and not after.trouble:
            words = f"{told.host} takes readings again"
            entry = Entry(now_us, JournalKind.DUTY, "", f"Forward {told.slug}", words=words)
            write_journal(connection, [entry])


def _note_trouble(store: Store, told: Forward, why: str, now_us: int) -> None:
    """Write down why a target takes nothing; in the journal once."""
    state = _state(store, told)
    if state is None or state.trouble == why:
        return
    _log.warning("forward_not_taken", forward=told.slug, why=why)
    with store.write() as connection:
        since_us = state.trouble_us or now_us
        keep_state(
            connection, told.slug, msgspec.structs.replace(state, trouble=why, trouble_us=since_us)
        )
        if not state.trouble:
            entry = Entry(now_us, JournalKind.DUTY, "", f"Forward {told.slug}", words=why)
            write_journal(connection, [entry])

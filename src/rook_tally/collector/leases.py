"""Taking a duty that one collector at a time does for a store."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

import structlog

from rook_tally.collector.in_thread import made_in_thread
from rook_tally.core.errors import StoreError
from rook_tally.store.base import Store
from rook_tally.store.site.leases import Lease, Leases, Role

_log = structlog.get_logger(__name__)


async def hold(duties: Leases, duty: Role, held: Lease | None) -> Lease | None:
    """The duty, still held or taken now; None while somebody else has it.

    Cancelled in the midst it is given up again: else nobody would have it.
    """

    if held is not None and held.was_asked_lately:
        return held

    def take() -> Lease | None:
        if held is not None:
            if held.is_still_held():
                return held
            _log.warning(f"{duty.name.lower()}_was_taken_over")
        taken = duties.take(duty)
        if taken is not None:
            _log.info(f"{duty.name.lower()}_is_ours")
        return taken

    def undo(taken: Lease | None) -> None:
        if taken is not None and taken is not held:
            taken.release()

    return await made_in_thread(take, undo)


async def look_while_held(
    duties: Leases, duty: Role, look: Callable[[Store], Awaitable[None]], *, every_s: float
) -> None:
    """Call `look` every so often while a duty is ours, until cancelled; the store's errors put it
    off to the next time. It is given the store as it may write to it: for as long as we have the
    duty."""
    held: Lease | None = None
    try:
        while True:
            try:
                held = await hold(duties, duty, held)
                if held is not None:
                    await look(held.store)
            except StoreError as error:
                _log.warning(f"{duty.name.lower()}_put_off", error=str(error))
            await asyncio.sleep(every_s)
    finally:
        if held is not None:
            await asyncio.to_thread(held.release)

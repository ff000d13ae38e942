"""Taking a duty that one collector at a time does for a store."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

import structlog

from rook_tally.core.errors import StoreError
from rook_tally.store import Duty, HeldDuty, Store, take_duty

_log = structlog.get_logger(__name__)


async def hold(store: Store, duty: Duty, held: HeldDuty | None) -> HeldDuty | None:
    """The duty, still held or taken now; None while somebody else has it.

    Cancelled in the midst it is given up again: else nobody would have it.
    """

    def take() -> HeldDuty | None:
        if held is not None and held.is_still_held():
            return held
        taken = take_duty(store, duty)
        if taken is not None:
            _log.info(f"{duty.name.lower()}_is_ours")
        return taken

    taking = asyncio.ensure_future(asyncio.to_thread(take))
    try:
        return await asyncio.shield(taking)
    except asyncio.CancelledError:
        taken = await taking
        if taken is not None and taken is not held:
            taken.release()
        raise


async def look_while_held(
    store: Store, duty: Duty, look: Callable[[], Awaitable[None]], *, every_s: float
) -> None:
    """Call `look` every so often while a duty is ours, until cancelled; the store's errors put it
    off to the next time."""
    held: HeldDuty | None = None
    try:
        while True:
            try:
                held = await hold(store, duty, held)
                if held is not None:
                    await look()
            except StoreError as error:
                _log.warning(f"{duty.name.lower()}_put_off", error=str(error))
            await asyncio.sleep(every_s)
    finally:
        if held is not None:
            held.release()

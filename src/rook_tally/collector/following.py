"""Following the store: what desks and commands change there is taken up without a restart."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

import structlog

from rook_tally.core.errors import StoreError
from rook_tally.store import ChangeTail, Store, Subject

_LOOK_S = 0.05
_AGAIN_S = 1.0

_log = structlog.get_logger(__name__)


async def follow(
    store: Store, on_change: Callable[[set[Subject]], Awaitable[None]], stop: asyncio.Event
) -> None:
    """Call `on_change` with what changed, again and again, until told to stop."""
    tail: ChangeTail | None = None
    try:
        while not stop.is_set():
            pause_s = _LOOK_S
            try:
                if tail is None:
                    tail = await asyncio.to_thread(ChangeTail, store)
                    # What changed before somebody listened.
                    await on_change(set(Subject))
                elif tail.has_news():
                    subjects = await asyncio.to_thread(tail.subjects)
                    if subjects:
                        await on_change(subjects)
            except StoreError as error:
                _log.warning("store_not_followed", error=str(error))
                if tail is not None:
                    tail.close()
                    tail = None
                pause_s = _AGAIN_S
            try:
                await asyncio.wait_for(stop.wait(), pause_s)
            except TimeoutError:
                continue
    finally:
        if tail is not None:
            tail.close()

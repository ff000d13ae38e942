"""Following the store: what desks and commands change there is taken up without a restart."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from functools import partial

import structlog

from rook_tally.collector.in_thread import made_in_thread
from rook_tally.core.errors import StoreError
from rook_tally.store.base import ChangeTail, Store, Subject

_LOOK_S = 0.05
_AGAIN_S = 1.0

_log = structlog.get_logger(__name__)


async def follow(store: Store, on_change: Callable[[set[Subject]], None]) -> None:
    """Call `on_change` with what changed, again and again, until cancelled."""
    tail: ChangeTail | None = None
    try:
        while True:
            pause_s = _LOOK_S
            try:
                if tail is None:
                    tail = await made_in_thread(partial(ChangeTail, store), ChangeTail.close)
                    # What changed before somebody listened.
                    on_change(set(Subject))
                elif tail.has_news():
                    subjects = await asyncio.to_thread(tail.subjects)
                    if subjects:
                        on_change(subjects)
            except StoreError as error:
                _log.warning("store_not_followed", error=str(error))
                if tail is not None:
                    tail.close()
                    tail = None
                pause_s = _AGAIN_S
            await asyncio.sleep(pause_s)
    finally:
        if tail is not None:
            tail.close()

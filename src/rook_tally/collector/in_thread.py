"""Things made in a thread that have an owner, even when whoever wanted them is cancelled
meanwhile."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from typing import TypeVar

from rook_tally.core.errors import StoreError

_Made = TypeVar("_Made")


async def made_in_thread(make: Callable[[], _Made], undo: Callable[[_Made], None]) -> _Made:
    """Call `make` in a thread and return its result; undo it when cancelled meanwhile, as nobody
    would close it.

    Raises
    ------
    StoreError
        What `make` raises.
    """
    making = asyncio.ensure_future(asyncio.to_thread(make))
    try:
        return await asyncio.shield(making)
    except asyncio.CancelledError:
        # Not made, there is nothing to undo; in its place the caller hears of being cancelled.
        with contextlib.suppress(StoreError):
            made = await making
            await asyncio.to_thread(undo, made)
        raise

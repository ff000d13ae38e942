"""Following what the store's settings say: again whenever woken, and soon after a failure."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable

import structlog

from rook_tally.core.errors import DoorError, StoreError

_log = structlog.get_logger(__name__)


class SettingsFollower:
    """Calls `follow` at the start and after every wake.

    Where it raises a StoreError or a DoorError it is called again after `again_s`.
    """

    def __init__(
        self, name: str, follow: Callable[[], Awaitable[None]], *, again_s: float = 1.0
    ) -> None:
        self._name, self._follow, self._again_s = name, follow, again_s
        self._moved = asyncio.Event()

    def wake(self) -> None:
        """The settings may have changed."""
        self._moved.set()

    async def run(self) -> None:
        """Follow until cancelled."""
        while True:
            self._moved.clear()
            pause_s = None
            try:
                await self._follow()
            except (StoreError, DoorError) as error:
                _log.warning("settings_not_followed", of=self._name, error=str(error))
                pause_s = self._again_s
            # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(pause_s):
                    await self._moved.wait()

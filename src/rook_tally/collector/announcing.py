"""Announcements of our doors by DNS-SD, switched off and on as the store says."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import TYPE_CHECKING

from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.ways_out import ANNOUNCED_AS, WayOutSort
from rook_tally.store.base import Store
from rook_tally.store.site.closed_ways import ClosedWays, closed_ways

if TYPE_CHECKING:
    from rook_tally.intake.doors.discovery import Discovery

_DOOR = "discovery"


class AnnouncementSupervisor:
    """Announces and listens while nobody has switched that off. `make` makes what does it, for the
    doors but those that are shut to the network."""

    def __init__(
        self, store: Store, presence: Heartbeat, make: Callable[[frozenset[str]], Discovery]
    ) -> None:
        self._store, self._presence, self._make = store, presence, make
        self._open: Discovery | None = None
        self._shut: frozenset[str] = frozenset()
        self.settings = SettingsFollower("announcements", self._follow_setting)

    async def _follow_setting(self) -> None:
        def read() -> ClosedWays:
            with self._store.read() as connection:
                return closed_ways(connection)

        closed = await asyncio.to_thread(read)
        shut = frozenset(name for sort, name in closed if sort is WayOutSort.DOOR)
        is_on = (WayOutSort.ANNOUNCEMENT, ANNOUNCED_AS) not in closed
        if self._open is not None and (not is_on or shut != self._shut):
            await self.close()
            if not is_on:
                self._presence.withdraw(_DOOR)
        if is_on and self._open is None:
            self._open, self._shut = self._make(shut), shut
            await self._open.open()

    async def close(self) -> None:
        """Take the announcement back."""
        discovery, self._open = self._open, None
        if discovery is not None:
            await discovery.close()

"""Announcements of our doors by DNS-SD, switched off and on as the store says."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import TYPE_CHECKING

from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.ways_out import ANNOUNCED_AS, WayOutSort
from rook_tally.store.base import Store
from rook_tally.store.site.closed_ways import closed_ways

if TYPE_CHECKING:
    from rook_tally.intake.doors.discovery import Discovery

_DOOR = "discovery"


class AnnouncementSupervisor:
    """Announces and listens while nobody has switched that off. `make` makes what does it."""

    def __init__(self, store: Store, presence: Heartbeat, make: Callable[[], Discovery]) -> None:
        self._store, self._presence, self._make = store, presence, make
        self._open: Discovery | None = None
        self.settings = SettingsFollower("announcements", self._follow_setting)

    async def _follow_setting(self) -> None:
        def is_on() -> bool:
            with self._store.read() as connection:
                return (WayOutSort.ANNOUNCEMENT, ANNOUNCED_AS) not in closed_ways(connection)

        wanted = await asyncio.to_thread(is_on)
        if wanted and self._open is None:
            self._open = self._make()
            await self._open.open()
        elif not wanted and self._open is not None:
            await self.close()
            self._presence.withdraw(_DOOR)

    async def close(self) -> None:
        """Take the announcement back."""
        discovery, self._open = self._open, None
        if discovery is not None:
            await discovery.close()

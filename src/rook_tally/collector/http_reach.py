"""Whom the HTTP door is open to: the network as it was started, or this machine alone while that
is switched off under what leaves."""

from __future__ import annotations

import asyncio

from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.errors import DoorError
from rook_tally.core.ways_out import WayOutSort
from rook_tally.intake.addresses import Endpoint
from rook_tally.intake.doors.http import HttpDoor
from rook_tally.store.base import Store
from rook_tally.store.site import DoorState
from rook_tally.store.site.closed_ways import closed_ways

NAME = "http"


def http_endpoint(store: Store, wanted: Endpoint) -> Endpoint:
    """Where the door listens, as its switch is now."""
    with store.read() as connection:
        is_off = (WayOutSort.DOOR, NAME) in closed_ways(connection)
    return wanted.on_this_machine if is_off else wanted


class HttpReach:
    """Moves the door as its switch says. `wanted` is the host the collector was started with."""

    def __init__(self, store: Store, presence: Heartbeat, door: HttpDoor, wanted: str) -> None:
        self._store, self._presence, self._door = store, presence, door
        self._wanted = Endpoint(wanted, door.endpoint.port)
        self.settings = SettingsFollower("http", self._follow_switch)

    async def _follow_switch(self) -> None:
        """Listen where the switch says.

        Raises
        ------
        StoreError, DoorError
            When that has to be tried again.
        """
        endpoint = await asyncio.to_thread(http_endpoint, self._store, self._wanted)
        try:
            await self._door.move_to(endpoint)
        except DoorError as error:
            self._presence.report(NAME, str(endpoint))(DoorState.TRYING, error.what)
            raise
        self._presence.report(NAME, str(endpoint))(DoorState.OPEN)

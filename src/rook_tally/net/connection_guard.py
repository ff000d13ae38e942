"""Connections to a web server of ours, bounded: those too many, and those that say nothing."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable

from aiohttp import web

_LOOK_S = 1.0
SILENT_S = 60.0
"""A connection on which nothing was asked for so long is closed."""


class ConnectionGuard:
    """Looks over a server's connections every second; `note` is its middleware.

    Connections that are not the server's are added, and say when they are at work.
    """

    def __init__(self, most: int, *, silent_s: float = SILENT_S, look_s: float = _LOOK_S) -> None:
        self._most, self._silent_s, self._look_s = most, silent_s, look_s
        self._runner: web.AppRunner | None = None
        # In the order in which they came.
        self._others: dict[object, None] = {}
        self._at_work: set[object] = set()
        # Since when each has been idle.
        self._idle: dict[object, float] = {}

    def attach(self, runner: web.AppRunner) -> None:
        """Guard this runner's server."""
        self._runner = runner

    def add(self, connection: object) -> None:
        """Guard a connection that is not the runner's; it has its `transport`."""
        self._others[connection] = None

    def remove(self, connection: object) -> None:
        """Forget a connection that was added."""
        self._others.pop(connection, None)
        self._at_work.discard(connection)

    def begin(self, connection: object) -> None:
        """A request is being answered: the connection is not closed meanwhile."""
        self._at_work.add(connection)
        self._idle.pop(connection, None)

    def end(self, connection: object) -> None:
        """The request is answered: the connection counts as idle again."""
        self._at_work.discard(connection)

    @web.middleware
    async def note(
        self, request: web.Request, handler: Callable[[web.Request], Awaitable[web.StreamResponse]]
    ) -> web.StreamResponse:
        """Know which connections are at work."""
        self.begin(request.protocol)
        try:
            return await handler(request)
        finally:
            self.end(request.protocol)

    async def run(self) -> None:
        """Guard until cancelled."""
        while True:
            await asyncio.sleep(self._look_s)
            self._look(time.monotonic())

    def let_go(self, is_unwanted: Callable[[str], bool]) -> None:
        """Close the connections of some peers, by their addresses, whatever is under way."""
        for one in self._connections():
            transport = getattr(one, "transport", None)
            peer = transport.get_extra_info("peername") if transport is not None else None
            if transport is not None and peer and is_unwanted(str(peer[0])):
                transport.abort()

    def _connections(self) -> list[object]:
        server = None if self._runner is None else self._runner.server
        return [*self._others, *([] if server is None else server.connections)]

    def _look(self, now_s: float) -> None:
        several = self._connections()
        self._idle = {
            one: self._idle.get(one, now_s) for one in several if one not in self._at_work
        }
        too_many = len(several) - self._most
        for at, (one, since_s) in enumerate(sorted(self._idle.items(), key=lambda told: told[1])):
            if at < too_many or now_s - since_s > self._silent_s:
                transport = getattr(one, "transport", None)
                if transport is not None:
                    transport.abort()

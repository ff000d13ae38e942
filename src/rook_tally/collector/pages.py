"""Pages opened and closed as the store's setting says."""

from __future__ import annotations

import asyncio
import contextlib
from typing import TYPE_CHECKING

import structlog

from rook_tally.collector.moment import now_us
from rook_tally.collector.presence import Presence
from rook_tally.core.errors import DoorError
from rook_tally.intake.addresses import Certificate, Endpoint, bound_socket, server_tls
from rook_tally.store import DoorState, PageSetting, Store, page_setting

if TYPE_CHECKING:
    from rook_tally.page.server import PageServer

_AGAIN_S = 5.0

_log = structlog.get_logger(__name__)


class PageKeeper:
    """Serves the page where the store says so; a port that is taken is tried again."""

    def __init__(self, store: Store, presence: Presence, tls: Certificate | None) -> None:
        self._store, self._presence, self._tls = store, presence, tls
        self._setting = PageSetting()
        self._server: PageServer | None = None
        self._again: asyncio.Task[None] | None = None

    async def follow_settings(self) -> None:
        """Open, close or move the page; who may look is read anew."""

        def read() -> PageSetting:
            with self._store.read() as connection:
                return page_setting(connection)

        setting = await asyncio.to_thread(read)
        if setting == self._setting:
            if self._server is not None:
                await self._server.take_devices()
            return
        await self._shut()
        self._setting = setting
        if setting.is_on:
            await self._open()

    async def _open(self) -> None:
        endpoint = Endpoint(self._setting.host, self._setting.port)
        report = self._presence.report("page", str(endpoint))
        try:
            listening = bound_socket(endpoint)
        except DoorError as error:
            report(DoorState.TRYING, error.what)
            self._again = asyncio.create_task(self._try_again())
            return
        # Loaded late: a tenth of a collector's start, and most serve no page.
        from rook_tally.page.server import PageServer

        tls = None if self._tls is None else server_tls(self._tls)
        server = PageServer(listening, store=self._store, clock=now_us, tls=tls)
        await server.open()
        self._server = server
        host, port = listening.getsockname()[:2]
        self._presence.report("page", str(Endpoint(host, port)))(DoorState.OPEN)

    async def _try_again(self) -> None:
        await asyncio.sleep(_AGAIN_S)
        self._again = None
        await self._open()

    async def _shut(self) -> None:
        if self._again is not None:
            self._again.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._again
            self._again = None
        if self._server is not None:
            await self._server.close()
            self._server = None
        if self._setting.is_on:
            self._presence.withdraw("page")

    async def close(self) -> None:
        """Serve no longer."""
        await self._shut()
        self._setting = PageSetting()

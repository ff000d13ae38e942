"""Pages opened and closed as the store's setting says."""

from __future__ import annotations

import asyncio
import contextlib
from typing import TYPE_CHECKING

import structlog

from rook_tally.collector.moment import now_us
from rook_tally.collector.presence import Presence
from rook_tally.core.duties import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError, StoreError
from rook_tally.intake.addresses import Certificate, Endpoint, bound_socket, server_tls
from rook_tally.store import DoorState, PageSetting, Store, page_setting

if TYPE_CHECKING:
    from rook_tally.page.server import PageServer

_AGAIN_S = 5.0

_log = structlog.get_logger(__name__)


class PageKeeper:
    """Serves the page where the store says so; what cannot be opened is tried again."""

    def __init__(
        self, store: Store, presence: Presence, tls: Certificate | None,
        begin: BeginDuty = begin_unwatched,
    ) -> None:  # fmt: skip
        self._store, self._presence, self._tls = store, presence, tls
        self._begin = begin
        self._setting = PageSetting()
        self._server: PageServer | None = None
        self._moved = asyncio.Event()

    def wake(self) -> None:
        """The page's setting changed, or who may look."""
        self._moved.set()

    async def run(self) -> None:
        """Follow the setting until cancelled."""
        while True:
            self._moved.clear()
            is_settled = await self._follow_setting()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(None if is_settled else _AGAIN_S):
                    await self._moved.wait()

    async def _follow_setting(self) -> bool:
        """Open, close or move the page, and read anew who may look; False where that has to be
        tried again."""

        def read() -> PageSetting:
            with self._store.read() as connection:
                return page_setting(connection)

        try:
            setting = await asyncio.to_thread(read)
            if setting == self._setting and self._server is not None:
                await self._server.take_devices()
                return True
            await self._shut()
            self._setting = setting
            if setting.is_on:
                await self._open()
        except StoreError as error:
            _log.warning("page_not_followed", error=str(error))
            return False
        except DoorError as error:
            address = str(Endpoint(self._setting.host, self._setting.port))
            self._presence.report("page", address)(DoorState.TRYING, error.what)
            return False
        return True

    async def _open(self) -> None:
        tls = None if self._tls is None else server_tls(self._tls)
        listening = bound_socket(Endpoint(self._setting.host, self._setting.port))
        # Loaded late: a tenth of a collector's start, and most serve no page.
        from rook_tally.page.server import PageServer

        server = PageServer(
            listening, store=self._store, clock=now_us, tls=tls, begin=self._begin,
            names=self._setting.names
        )  # fmt: skip
        try:
            await server.open()
        except BaseException:
            await server.close()
            listening.close()
            raise
        self._server = server
        host, port = listening.getsockname()[:2]
        self._presence.report("page", str(Endpoint(host, port)))(DoorState.OPEN)

    async def _shut(self) -> None:
        if self._server is not None:
            await self._server.close()
            self._server = None
        if self._setting.is_on:
            self._presence.withdraw("page")

    async def close(self) -> None:
        """Serve no longer."""
        await self._shut()
        self._setting = PageSetting()

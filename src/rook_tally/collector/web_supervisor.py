"""Pages opened and closed as the store's setting says."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING

import structlog

from rook_tally.clock import now_us
from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError
from rook_tally.intake.addresses import Certificate, Endpoint, bound_socket, server_tls
from rook_tally.store.base import Store
from rook_tally.store.site import DoorState, PageSetting, page_setting

if TYPE_CHECKING:
    from rook_tally.web.server import PageServer

_AGAIN_S = 5.0

_log = structlog.get_logger(__name__)


class WebSupervisor:
    """Serves the page where the store says so; what cannot be opened is tried again."""

    def __init__(
        self,
        store: Store,
        presence: Heartbeat,
        tls: Certificate | None,
        begin: BeginDuty = begin_unwatched,
    ) -> None:
        self._store, self._presence, self._tls = store, presence, tls
        self._begin = begin
        self._setting = PageSetting()
        self._server: PageServer | None = None
        self.settings = SettingsFollower("page", self._follow_setting, again_s=_AGAIN_S)

    async def _follow_setting(self) -> None:
        """Open, close or move the page, and read anew who may look.

        Raises
        ------
        StoreError, DoorError
            When that has to be tried again.
        """

        def read() -> PageSetting:
            with self._store.read() as connection:
                return page_setting(connection)

        setting = await asyncio.to_thread(read)
        if setting == self._setting and self._server is not None:
            await self._server.take_devices()
            return
        await self._shut()
        self._setting = setting
        if not setting.is_on:
            return
        try:
            await self._open()
        except DoorError as error:
            address = str(Endpoint(setting.host, setting.port))
            self._presence.report("page", address)(DoorState.TRYING, error.what)
            raise

    async def _open(self) -> None:
        tls = None if self._tls is None else server_tls(self._tls)
        listening = bound_socket(Endpoint(self._setting.host, self._setting.port))
        # Loaded late: a tenth of a collector's start, and most serve no page.
        from rook_tally.web.server import PageServer

        server = PageServer(
            listening,
            store=self._store,
            clock=now_us,
            tls=tls,
            begin=self._begin,
            names=self._setting.names,
        )
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

"""Devices that lose their link at an awkward moment, in a server of the test's own."""

from __future__ import annotations

import asyncio
import socket
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import aiohttp
import pytest

from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.site import (
    PageDevice,
    add_page_device,
    page_devices,
    revoke_page_device,
    save_sheet,
)
from rook_tally.web.live_sheets import LiveSheets
from rook_tally.web.server import COOKIE, PageServer
from tests.builders import NOON_US
from tests.processes import PATIENCE_S
from tests.wall.studio import pane, sheet_of


@pytest.fixture
def key(store: Store) -> str:
    """The key of a phone that may look at a sheet."""
    with store.write() as connection:
        save_sheet(connection, sheet_of(pane(PaneKind.STANDING)))
        return add_page_device(connection, "phone", now_us=NOON_US)


@asynccontextmanager
async def _served(store: Store) -> AsyncIterator[tuple[PageServer, str]]:
    with socket.create_server(("127.0.0.1", 0)) as listening:
        server = PageServer(listening, store=store, clock=lambda: NOON_US)
        await server.open()
        yield server, f"http://127.0.0.1:{listening.getsockname()[1]}"
        await server.close()


async def test_a_device_revoked_while_its_page_is_being_opened_is_told(
    store: Store, key: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with _served(store) as (server, address):
        loop, panes_of = asyncio.get_running_loop(), LiveSheets.panes_of

        def revoked_meanwhile(board: LiveSheets, slug: str, now_us: int) -> list[str]:
            with store.write() as connection:
                revoke_page_device(connection, "phone")
            asyncio.run_coroutine_threadsafe(server.take_devices(), loop).result()
            return panes_of(board, slug, now_us)

        monkeypatch.setattr(LiveSheets, "panes_of", revoked_meanwhile)
        async with (
            aiohttp.ClientSession(cookies={COOKIE: key}) as session,
            session.get(f"{address}/live/now") as answer,
        ):
            assert answer.status == 200
            async with asyncio.timeout(PATIENCE_S):
                body = await answer.text()
        assert body.endswith("event: gone\ndata:\n\n")
        assert "event: panes" not in body


async def test_a_list_of_devices_read_before_the_revoking_does_not_undo_it(
    store: Store, key: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with _served(store) as (server, address):
        has_read, may_answer = threading.Event(), threading.Event()

        def read_slowly(connection: object) -> list[PageDevice]:
            devices = page_devices(connection)  # type: ignore[arg-type]
            if not has_read.is_set():
                has_read.set()
                may_answer.wait()
            return devices

        monkeypatch.setattr("rook_tally.web.server.page_devices", read_slowly)
        early = asyncio.create_task(server.take_devices())
        await asyncio.to_thread(has_read.wait)
        with store.write() as connection:
            revoke_page_device(connection, "phone")
        late = asyncio.create_task(server.take_devices())
        # Room for the second to read and to end, were it not for the first.
        await asyncio.wait((late,), timeout=0.2)
        may_answer.set()
        await asyncio.gather(early, late)
        async with (
            aiohttp.ClientSession(cookies={COOKIE: key}) as session,
            session.get(f"{address}/") as answer,
        ):
            assert answer.status == 403


@pytest.mark.parametrize(
    ("host", "status"),
    [
        ("127.0.0.1", 200),
        ("localhost", 200),
        (socket.gethostname(), 200),
        ("wall.example", 200),
        ("evil.example", 421),
        ("[", 421),
        ("127.0.0.1.evil.example", 421),
    ],
)
async def test_a_page_is_served_under_this_machines_names_only(
    store: Store, key: str, host: str, status: int
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as listening:
        server = PageServer(listening, store=store, clock=lambda: NOON_US, names=("Wall.example",))
        await server.open()
        address = f"http://127.0.0.1:{listening.getsockname()[1]}/page.css"
        async with aiohttp.ClientSession() as session:
            headers = {"Host": f"{host}:80" if host != "[" else host}
            async with session.get(address, headers=headers) as answer:
                assert answer.status in (status, 400 if host == "[" else status)
        await server.close()

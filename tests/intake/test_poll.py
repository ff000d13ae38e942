"""Where a polled address may lead: within its own host, and to another machine."""

from __future__ import annotations

import socket
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

import pytest
from aiohttp import web
from aiohttp.resolver import ThreadedResolver

from rook_tally.core.errors import DoorError
from rook_tally.intake.doors.poll import polled, polling_session
from rook_tally.store.site import PollSetting
from tests.builders import NOON_US


@asynccontextmanager
async def _station(location: str = "/readings") -> AsyncIterator[str]:
    """A station that sends whoever asks for `/` elsewhere."""

    async def elsewhere(_request: web.Request) -> web.Response:
        raise web.HTTPFound(location)

    async def readings(_request: web.Request) -> web.Response:
        return web.json_response({"temperature": 21.4})

    app = web.Application()
    app.router.add_get("/", elsewhere)
    app.router.add_get("/readings", readings)
    app.router.add_get("/circle", elsewhere)
    runner = web.AppRunner(app)
    await runner.setup()
    with socket.create_server(("127.0.0.1", 0)) as listening:
        await web.SockSite(runner, listening).start()
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
        await runner.cleanup()


async def _asked(url: str) -> bytes:
    async with polling_session(url) as session:
        return (
            await polled(session, PollSetting(url=url, station="a", every_s=60), lambda: NOON_US)
        ).body


async def test_a_redirect_within_the_host_is_followed() -> None:
    async with _station() as address:
        assert await _asked(f"{address}/") == b'{"temperature": 21.4}'


@pytest.mark.parametrize(
    ("location", "why"),
    [
        ("http://127.0.0.1:9/readings", "sends us to another address, http://127.0.0.1:9/readings"),
        ("http://169.254.169.254/latest/meta-data", "sends us to another address"),
        ("file:///etc/passwd", "sends us to another address"),
        ("/circle", "sends us in circles"),
    ],
)
async def test_a_redirect_elsewhere_is_refused(location: str, why: str) -> None:
    async with _station(location) as address:
        with pytest.raises(DoorError, match=why):
            await _asked(f"{address}/")


@pytest.mark.parametrize("leads_to", ["127.0.0.1", "169.254.169.254", "::1", "0.0.0.0"])
async def test_a_name_that_leads_to_this_machine_is_not_asked(
    leads_to: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def resolve(*_told: Any, **_more: Any) -> list[dict[str, Any]]:
        return [
            {
                "hostname": "station.example",
                "host": leads_to,
                "port": 80,
                "family": socket.AF_INET,
                "proto": 0,
                "flags": 0,
            }
        ]

    monkeypatch.setattr(ThreadedResolver, "resolve", resolve)
    with pytest.raises(DoorError, match="leads to this machine itself"):
        await _asked("http://station.example/readings")


async def test_this_machines_own_address_may_be_set_up() -> None:
    async with _station() as address:
        port = address.rpartition(":")[2]
        assert await _asked(f"http://localhost:{port}/readings") == b'{"temperature": 21.4}'

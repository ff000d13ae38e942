"""The HTTP door: readings in by POST, the newest out by GET, problems as RFC 9457 says."""

from __future__ import annotations

import asyncio
import socket
import ssl
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any
from weakref import WeakSet

import msgspec
from aiohttp import web

from rook_tally.core.hosts import is_loopback
from rook_tally.intake.addresses import Endpoint, bound_socket
from rook_tally.intake.bounds import BODY_WITHIN_S, LARGEST_MESSAGE, MOST_CONNECTIONS
from rook_tally.intake.door_protocols import Reception
from rook_tally.intake.doors.health import AskHealth
from rook_tally.intake.doors.http_readings import ReadingsRequest, ReadingsRoute, StationControls
from rook_tally.intake.doors.openapi import openapi_document
from rook_tally.intake.doors.plain_posts import PlainPosts
from rook_tally.intake.doors.this_machine import why_not_from_here
from rook_tally.net.connection_guard import ConnectionGuard
from rook_tally.net.problem_answers import json_response, problem, problems
from rook_tally.store.base import Store
from rook_tally.store.readings import LatestRow, latest_rows

_FINISHED_WITHIN_S = 5.0
_BACKLOG = 128


class HttpDoor:
    """Serves `/v1/…` on a socket that is bound already.

    `clock` returns the moment now in µs; it is the arrival time of what comes in. `controls` are
    what a station is to be told in the answer to what it sends, `health` how the collector stands;
    `routes` are those for programs that ask, `documented` what the OpenAPI document says of them.
    """

    def __init__(
        self,
        listening: socket.socket,
        *,
        reception: Reception,
        store: Store,
        clock: Callable[[], int],
        tls: ssl.SSLContext | None = None,
        health: AskHealth,
        controls: StationControls = lambda _: {},
        routes: Sequence[web.RouteDef] = (),
        documented: Mapping[str, Any] | None = None,
    ) -> None:
        self._documented = documented or {}
        self._health = health
        self._tls = tls
        self._socket = listening
        self._server: asyncio.Server | None = None
        self._store = store
        self._clock = clock
        host, port = listening.getsockname()[:2]
        self.endpoint = Endpoint(host, port)
        self._readings = ReadingsRoute(
            store, reception, clock, controls, lambda: not self.endpoint.is_loopback
        )
        self._guard = ConnectionGuard(MOST_CONNECTIONS)
        self._plain: WeakSet[PlainPosts] = WeakSet()
        app = web.Application(
            client_max_size=LARGEST_MESSAGE, middlewares=[self._guard.note, problems]
        )
        app.router.add_post("/v1/readings", self._post_readings, expect_handler=_expect)
        app.router.add_get("/v1/health", self._get_health)
        app.router.add_get("/v1/latest", self._get_latest)
        app.router.add_get("/v1/openapi.json", self._get_openapi)
        app.router.add_routes(routes)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=_FINISHED_WITHIN_S)
        self._guard.attach(self._runner)

    async def open(self) -> None:
        """Begin to listen."""
        await self._runner.setup()
        await self._listen()

    async def _listen(self) -> None:
        self._server = await asyncio.get_running_loop().create_server(
            self._connection, sock=self._socket, ssl=self._tls, backlog=_BACKLOG
        )

    def _connection(self) -> PlainPosts:
        server = self._runner.server
        assert server is not None
        begun = PlainPosts(self._readings, self._guard, server)
        self._plain.add(begun)
        return begun

    def _stop_listening(self) -> None:
        if self._server is not None:
            self._server.close()
            self._server = None

    async def move_to(self, endpoint: Endpoint) -> None:
        """Listen there and nowhere else. Connections from where it is no longer heard are closed.

        Raises
        ------
        DoorError
            When that address cannot be had; nothing listens then until it can.
        """
        if endpoint == self.endpoint and self._server is not None:
            return
        self._stop_listening()
        self._socket = bound_socket(endpoint)
        self.endpoint = endpoint
        await self._listen()
        if endpoint.is_loopback:
            self._guard.let_go(lambda peer: not is_loopback(peer))

    async def guard_connections(self) -> None:
        """Close what is too many or says nothing, until cancelled."""
        await self._guard.run()

    async def close(self) -> None:
        """Stop listening; requests under way are answered first."""
        self._stop_listening()
        under_way = [task for one in list(self._plain) if (task := one.end()) is not None]
        if under_way:
            await asyncio.wait(under_way, timeout=_FINISHED_WITHIN_S)
        await self._runner.cleanup()

    async def _post_readings(self, request: web.Request) -> web.Response:
        """A request that is not plain; those that are never come here (`plain_posts`)."""
        head = ReadingsRequest(request.remote or "", request.headers, request.query.get("station"))
        return (await self._readings.answer(head, partial(_whole_body, request))).response()

    async def _get_openapi(self, _request: web.Request) -> web.Response:
        return json_response(200, openapi_document(self._documented))

    async def _get_health(self, _request: web.Request) -> web.Response:
        health = await self._health()
        told = {"status": "ok" if health.is_well else "not well"}
        return json_response(200 if health.is_well else 503, told | msgspec.to_builtins(health))

    async def _get_latest(self, request: web.Request) -> web.Response:
        # What is measured is nobody's business beyond this machine until pages are shared.
        why = why_not_from_here(request.remote or "", request.headers)
        if why:
            raise problem(
                403, "Not from elsewhere", f"the newest readings are for this machine only; {why}"
            )

        def rows() -> list[LatestRow]:
            with self._store.read() as connection:
                return latest_rows(connection, now_us=self._clock())

        # What is not known of a row is left out of it, which is msgspec's to do.
        return json_response(200, msgspec.to_builtins(await asyncio.to_thread(rows)))


async def _expect(request: web.Request) -> None:
    """Ask for the body, unless it is too large anyway: the handler then says so at once."""
    is_welcome = request.content_length is None or request.content_length <= LARGEST_MESSAGE
    if is_welcome and request.transport is not None:
        request.transport.write(b"HTTP/1.1 100 Continue\r\n\r\n")


async def _whole_body(request: web.Request) -> bytes:
    _check_length(request)
    try:
        if request.content.is_eof():
            # A small one came with its head, as nearly all do: there is nothing to wait for.
            return await request.read()
        async with asyncio.timeout(BODY_WITHIN_S):
            return await request.read()
    except TimeoutError:
        raise problem(
            408, "The message does not come", f"its body took longer than {BODY_WITHIN_S:g} s"
        ) from None
    except web.HTTPRequestEntityTooLarge:
        raise _too_large() from None


def _check_length(request: web.Request) -> None:
    if request.content_length is not None and request.content_length > LARGEST_MESSAGE:
        raise _too_large()


def _too_large() -> web.HTTPException:
    return problem(
        413,
        "The message is too large",
        f"at most {LARGEST_MESSAGE // 1024} KiB a message; nothing was kept; send it in parts",
    )

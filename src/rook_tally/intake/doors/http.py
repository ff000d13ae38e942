"""The HTTP door: readings in by POST, the newest out by GET, problems as RFC 9457 says."""

from __future__ import annotations

import asyncio
import socket
import ssl
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec
import structlog
from aiohttp import web

from rook_tally.core.auth_throttle import AuthThrottle
from rook_tally.core.hosts import is_loopback
from rook_tally.intake.addresses import Endpoint, bound_socket
from rook_tally.intake.bounds import BODY_WITHIN_S, LARGEST_MESSAGE, MOST_CONNECTIONS
from rook_tally.intake.door_protocols import Reception
from rook_tally.intake.doors.answers import PROBLEM_TITLES, answer_counts, is_taken, problem_detail
from rook_tally.intake.doors.health import AskHealth
from rook_tally.intake.doors.key_policy import KeyPolicy
from rook_tally.intake.doors.openapi import openapi_document
from rook_tally.intake.doors.this_machine import why_not_from_here
from rook_tally.intake.message import BodyFormat, IntakeResult, Message, Problem
from rook_tally.net.connection_guard import ConnectionGuard
from rook_tally.net.problem_answers import json_response, problem, problem_response, problems
from rook_tally.store.base import Store, access_hash
from rook_tally.store.readings import LatestRow, latest_rows
from rook_tally.store.site.trust import is_access_key

# What a person's curl sends with a key when no type is given; the body then decides.
_UNTYPED = frozenset(
    {"", "application/x-www-form-urlencoded", "text/plain", "application/octet-stream"}
)
# What any web page can send to any address without asking (Fetch Standard, 2.2.2).
_PAGE_SENDS = frozenset({"application/x-www-form-urlencoded", "text/plain", "multipart/form-data"})
_FORMS = {form.value: form for form in BodyFormat if form is not BodyFormat.ENVIRONMENTAL}
_NO_PAGE_SENDS = frozenset(_FORMS) - _PAGE_SENDS
_STATUS = {Problem.UNREADABLE: 400, Problem.EMPTY: 422, Problem.WRONG_KEY: 401}

_log = structlog.get_logger(__name__)


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
        controls: Callable[[str], Mapping[str, tuple[str, float | None]]] = lambda _: {},
        routes: Sequence[web.RouteDef] = (),
        documented: Mapping[str, Any] | None = None,
    ) -> None:
        self._documented = documented or {}
        self._controls = controls
        self._health = health
        self._tls = tls
        self._patience = AuthThrottle()
        self._looking = asyncio.Lock()
        self._keys = KeyPolicy(store)
        self._socket = listening
        self._site: web.SockSite | None = None
        self._reception = reception
        self._store = store
        self._clock = clock
        host, port = listening.getsockname()[:2]
        self.endpoint = Endpoint(host, port)
        self._guard = ConnectionGuard(MOST_CONNECTIONS)
        app = web.Application(
            client_max_size=LARGEST_MESSAGE, middlewares=[self._guard.note, problems]
        )
        app.router.add_post("/v1/readings", self._post_readings, expect_handler=_expect)
        app.router.add_get("/v1/health", self._get_health)
        app.router.add_get("/v1/latest", self._get_latest)
        app.router.add_get("/v1/openapi.json", self._get_openapi)
        app.router.add_routes(routes)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=5.0)
        self._guard.attach(self._runner)

    async def open(self) -> None:
        """Begin to listen."""
        await self._runner.setup()
        await self._listen()

    async def _listen(self) -> None:
        site = web.SockSite(self._runner, self._socket, ssl_context=self._tls)
        await site.start()
        self._site = site

    async def move_to(self, endpoint: Endpoint) -> None:
        """Listen there and nowhere else. Connections from where it is no longer heard are closed.

        Raises
        ------
        DoorError
            When that address cannot be had; nothing listens then until it can.
        """
        if endpoint == self.endpoint and self._site is not None:
            return
        if self._site is not None:
            await self._site.stop()
            self._site = None
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
        await self._runner.cleanup()

    async def _post_readings(self, request: web.Request) -> web.Response:
        peer = request.remote or ""
        access_key = _access_key(request)
        wait_s = self._patience.wait_s(peer, self._clock())
        # Looked at first: one stale sender silences no other at its address.
        if wait_s and not await self._is_known(access_key):
            raise problem(
                429,
                "Too many wrong access keys",
                f"this address is heard again in {wait_s} s",
                {"Retry-After": str(wait_s)},
            )
        if access_key is None:
            await self._check_keyless(request)
        body = await _whole_body(request)
        declared = request.headers.get("Content-Type", "")
        form = _FORMS.get(declared)
        if form is None and declared:
            # With parameters, or in capitals: taking it apart costs as much as all the rest.
            declared = request.content_type
            form = _FORMS.get(declared)
        if form is None and declared not in _UNTYPED:
            raise problem(
                415,
                "The type is not understood",
                f"{declared} is none of {', '.join(_FORMS)}; nothing was kept",
            )
        answer = await self._reception.take(
            Message(
                door="http",
                address=request.remote or "",
                body=body,
                arrived_us=self._clock(),
                form=form,
                station=request.query.get("station"),
                access_key=access_key,
            )
        )
        if answer.problem is Problem.WRONG_KEY and self._patience.note_wrong(peer, self._clock()):
            _log.warning("wrong_keys", peer=peer)
        told = self._controls(answer.station) if answer.station is not None else {}
        return _response(answer, told)

    async def _is_known(self, access_key: str | None) -> bool:
        """True if a key is some station's; asked only where wrong ones came from."""
        if access_key is None:
            return False

        def look() -> bool:
            with self._store.read() as connection:
                return is_access_key(connection, access_hash(access_key))

        async with self._looking:
            return await asyncio.to_thread(look)

    async def _check_keyless(self, request: web.Request) -> None:
        """Raise unless a message without a key may come in: from a program on this machine, in a
        type that no web page sends without asking."""
        why = why_not_from_here(request.remote or "", request.headers)
        is_open = not self.endpoint.is_loopback
        if not why and await self._keys.wants_all_keys(is_open=is_open):
            why = "this site wants a key from everybody"
        if why:
            raise problem(
                401, "An access key is needed", f"{why}; send Authorization: Bearer <station key>"
            )
        declared = request.headers.get("Content-Type", "")
        if declared in _NO_PAGE_SENDS:
            return
        if declared == "" or request.content_type in _PAGE_SENDS:
            raise problem(
                415,
                "The type has to be told",
                f"without an access key the type is one of {', '.join(_FORMS)}: "
                "what comes untyped any web page could have sent; nothing was kept",
            )

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


def _access_key(request: web.Request) -> str | None:
    header = request.headers.get("Authorization")
    if header is None:
        return None
    scheme, _, key = header.partition(" ")
    if scheme.lower() != "bearer" or not key.strip():
        raise problem(
            401, "The access key is not known", "send it as Authorization: Bearer <station key>"
        )
    return key.strip()


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


def _response(
    answer: IntakeResult, controls: Mapping[str, tuple[str, float | None]]
) -> web.Response:
    counts = dict(answer_counts(answer, controls))
    if answer.problem is not None:
        title = PROBLEM_TITLES[answer.problem]
        return problem_response(_STATUS[answer.problem], title, problem_detail(answer), counts)
    if is_taken(answer):
        return json_response(200, counts)
    if answer.stray:
        return json_response(202, counts)
    return problem_response(
        422, "No value could be kept", "; ".join(one.why for one in answer.refused[:5]), counts
    )

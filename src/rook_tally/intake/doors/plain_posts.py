"""The short way of the HTTP door: requests as sensors send them, answered without a web framework.

A connection begins here. As long as what comes on it is `POST /v1/readings` with a length
and nothing unusual in its head, it is read by llhttp and answered. With the first bytes
that are anything else the connection becomes aiohttp's, from the beginning of that request: what a
request means in any other case is said in one place only.
"""

from __future__ import annotations

import asyncio
import http
import re
import time
from collections.abc import Callable
from email.utils import formatdate
from functools import lru_cache
from typing import Final

import httptools
import structlog

from rook_tally.intake.bounds import BODY_WITHIN_S
from rook_tally.intake.doors.http_readings import ReadingsRequest, ReadingsRoute
from rook_tally.net.connection_guard import ConnectionGuard
from rook_tally.net.problem_answers import HttpAnswer, problem_answer

_BEGINNING: Final = b"POST /v1/readings"
_HEAD_END: Final = b"\r\n\r\n"
# Names that need no decoding; any other is aiohttp's to read.
_TARGET: Final = re.compile(rb"/v1/readings(?:\?station=([A-Za-z0-9._~-]+))?")
LONGEST_HEAD = 4096
"""Bytes of a head that are looked at here."""
LONGEST_BODY = 64 * 1024
"""Bytes of a body that are waited for here: as much as aiohttp holds of one before it is read."""
# These change how a request is framed or answered.
_UNUSUAL: Final = frozenset(
    {"transfer-encoding", "content-encoding", "expect", "upgrade", "te", "trailer"}
)
_CONNECTIONS: Final = frozenset({"keep-alive", "close"})

_log = structlog.get_logger(__name__)


class _Head:
    """Collects the head of a request as llhttp calls back, and decides whether it is plain."""

    __slots__ = ("headers", "is_plain", "length", "parser", "station")

    def __init__(self) -> None:
        self.headers: dict[str, str] = {}
        self.station: str | None = None
        self.length = -1
        self.is_plain = True
        self.parser = httptools.HttpRequestParser(self)

    def on_url(self, url: bytes) -> None:
        """Its target: ours, with a station or without."""
        target = _TARGET.fullmatch(url)
        if target is None:
            self.is_plain = False
        elif target[1] is not None:
            self.station = target[1].decode("ascii")

    def on_header(self, name: bytes, value: bytes) -> None:
        """One header."""
        told = name.decode("latin-1").lower()
        # One that comes twice, or not in ASCII, is read in more than one way out there.
        if told in self.headers or told in _UNUSUAL or not value.isascii():
            self.is_plain = False
        else:
            self.headers[told] = value.decode("ascii")

    def on_headers_complete(self) -> None:
        """All headers are there."""
        length = self.headers.get("content-length", "")
        if length.isdigit() and len(length) < 10:
            self.length = int(length)
        if self.headers.get("connection", "close").lower() not in _CONNECTIONS:
            self.is_plain = False

    @property
    def is_last(self) -> bool:
        """True if its sender wants the connection closed once it is answered."""
        return self.headers.get("connection", "").lower() == "close"


def _read_head(head: bytes) -> _Head | None:
    """A head that ends with its empty line; None for one that is not plain."""
    told = _Head()
    try:
        told.parser.feed_data(head)
    except (httptools.HttpParserError, httptools.HttpParserUpgrade):
        return None
    is_plain = (
        told.is_plain
        and 0 <= told.length <= LONGEST_BODY
        and told.parser.get_method() == b"POST"
        and told.parser.get_http_version() == "1.1"
    )
    return told if is_plain else None


def _may_become_plain(received: bytes) -> bool:
    """True if a head may follow whose beginning this is; its lines end as HTTP says."""
    return (
        len(received) < LONGEST_HEAD
        and received.startswith(_BEGINNING[: len(received)])
        and received.count(b"\n") == received.count(b"\r\n")
    )


class PlainPosts(asyncio.Protocol):
    """One connection, until it is handed over. `otherwise` makes the protocol that it becomes."""

    def __init__(
        self,
        readings: ReadingsRoute,
        guard: ConnectionGuard,
        otherwise: Callable[[], asyncio.Protocol],
    ) -> None:
        self.transport: asyncio.Transport | None = None
        self._readings, self._guard, self._otherwise = readings, guard, otherwise
        self._received = b""
        self._head: _Head | None = None
        self._last_head = b""
        self._last_read: _Head | None = None
        self._whole = 0
        self._peer = ""
        self._late: asyncio.TimerHandle | None = None
        self._task: asyncio.Task[None] | None = None
        self._is_ending = self._is_full = self._is_tls = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """Somebody has connected."""
        assert isinstance(transport, asyncio.Transport)
        self.transport = transport
        name = transport.get_extra_info("peername")
        self._peer = str(name[0]) if name else ""
        self._is_tls = transport.get_extra_info("sslcontext") is not None
        self._guard.add(self)

    def connection_lost(self, exc: Exception | None) -> None:
        """Nobody is there any more."""
        # What is under way is kept all the same: only its answer has nowhere to go.
        self.transport = None
        self._begin_anew()
        self._guard.remove(self)

    def eof_received(self) -> bool:
        """Stay until what is under way is answered; TLS has no half of a connection."""
        self._is_ending = True
        return self._task is not None and not self._is_tls

    def pause_writing(self) -> None:
        """Its sender does not read our answers: begin nothing further."""
        self._is_full = True

    def resume_writing(self) -> None:
        """Its sender has read them."""
        self._is_full = False
        if self._task is None:
            self._go_on()

    def data_received(self, data: bytes) -> None:
        """Take bytes as they come; what is too much waits in the socket."""
        self._received = self._received + data if self._received else data
        if self._task is None and not self._is_full:
            self._go_on()
        elif len(self._received) > LONGEST_BODY and self.transport is not None:
            self.transport.pause_reading()

    def end(self) -> asyncio.Task[None] | None:
        """Take nothing further; returns what is still being answered."""
        self._is_ending = True
        if self._task is None and self.transport is not None:
            self.transport.close()
        return self._task

    def _go_on(self) -> None:
        """Answer the next request if it is whole, wait for the rest of it, or hand the connection
        over."""
        if not self._received or (self._head is None and not self._look_at_head()):
            return
        if self._head is None or len(self._received) < self._whole:
            self._wait()
            return
        head, length = self._head, self._head.length
        message, self._received = (
            self._received[self._whole - length : self._whole],
            self._received[self._whole :],
        )
        self._begin_anew()
        self._is_ending |= head.is_last
        self._guard.begin(self)
        request = ReadingsRequest(self._peer, head.headers, head.station)
        self._task = asyncio.get_running_loop().create_task(self._answer(request, message))

    def _look_at_head(self) -> bool:
        """Read the head, if it is whole; False once the connection is handed over."""
        received = self._received
        end = received.find(_HEAD_END, 0, LONGEST_HEAD) + len(_HEAD_END)
        if end >= len(_HEAD_END) and received.startswith(_BEGINNING):
            # Byte for byte the head before: what a sensor sends mostly differs in its body alone.
            head = received[:end]
            if head != self._last_head:
                self._last_head, self._last_read = head, _read_head(head)
            self._head = self._last_read
            if self._head is not None:
                self._whole = end + self._head.length
                return True
        elif end < len(_HEAD_END) and _may_become_plain(received):
            return True
        self._hand_over()
        return False

    def _wait(self) -> None:
        """Give the rest of the request its time; what is too slow is aiohttp's to tell."""
        if self._late is None:
            self._late = asyncio.get_running_loop().call_later(BODY_WITHIN_S, self._hand_over)

    def _begin_anew(self) -> None:
        self._head = None
        if self._late is not None:
            self._late.cancel()
            self._late = None

    async def _answer(self, request: ReadingsRequest, message: bytes) -> None:
        async def body() -> bytes:
            return message

        try:
            answer = await self._readings.answer(request, body)
        except Exception:  # noqa: BLE001 - whatever it is, the connection goes on
            # One request ends nothing: it is answered, and seen in the log.
            _log.exception("request_failed", path="/v1/readings")
            answer = problem_answer(500, "Internal Server Error", "a fault of ours; send it again")
        finally:
            self._task = None
            self._guard.end(self)
        if self.transport is None:
            return
        self.transport.write(_written(answer, is_last=self._is_ending))
        if self._is_ending:
            self.transport.close()
            return
        self.transport.resume_reading()
        if not self._is_full:
            self._go_on()

    def _hand_over(self) -> None:
        transport, received = self.transport, self._received
        if transport is None:
            return
        self._received, self.transport = b"", None
        self._begin_anew()
        self._guard.remove(self)
        protocol = self._otherwise()
        transport.set_protocol(protocol)
        protocol.connection_made(transport)
        transport.resume_reading()
        protocol.data_received(received)


def _written(answer: HttpAnswer, *, is_last: bool) -> bytes:
    head = _head_written(
        answer.status, answer.content_type, len(answer.body), int(time.time()), is_last
    )
    if answer.headers:
        more = "".join(f"{name}: {value}\r\n" for name, value in answer.headers.items())
        head += more.encode("ascii")
    return head + b"\r\n" + answer.body


@lru_cache(64)
def _head_written(status: int, content_type: str, length: int, now_s: int, is_last: bool) -> bytes:
    """The lines that nearly every answer of a second has alike; its date as RFC 9110 says
    (5.6.7)."""
    lines = [
        f"HTTP/1.1 {status} {http.HTTPStatus(status).phrase}",
        f"Content-Type: {content_type}",
        f"Content-Length: {length}",
        f"Date: {formatdate(now_s, usegmt=True)}",
    ]
    if is_last:
        lines.append("Connection: close")
    return "".join(f"{line}\r\n" for line in lines).encode("ascii")

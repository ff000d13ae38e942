"""The short way of the HTTP door: whatever comes, it means what aiohttp says it means, however the
bytes are cut; and nobody who sends half a message, never reads or goes away holds anything up."""

from __future__ import annotations

import asyncio
import contextlib
import json
import socket
import ssl
from collections.abc import AsyncIterator, Sequence
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rook_tally.core.errors import StoreError
from rook_tally.intake.addresses import Endpoint, bound_socket
from rook_tally.intake.doors import plain_posts
from rook_tally.intake.doors.health import CollectorHealth
from rook_tally.intake.doors.http import HttpDoor
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.net.connection_guard import ConnectionGuard
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from tests.builders import NOON_US
from tests.certificates import own_certificate

BODY = b'{"temperature": 21.5}'
LAST = b"GET /v1/nothing HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n"
"""Served by nobody: its answer is the last that comes of a connection."""
PLAIN = {"Host": "localhost", "Content-Type": "application/json"}

Answer = tuple[int, str, object]
"""Its status, its type, and what it says."""


class Heard:
    """Takes messages in, keeps what it was told, and may be held up or refuse."""

    def __init__(self) -> None:
        self.messages: list[Message] = []
        self.may_answer = asyncio.Event()
        self.may_answer.set()
        self.error: Exception | None = None

    async def take(self, message: Message) -> IntakeResult:
        self.messages.append(message)
        await self.may_answer.wait()
        if self.error is not None:
            raise self.error
        return IntakeResult(kept=1, station=message.station)


@contextlib.asynccontextmanager
async def served(
    store: Store, *, short_way: bool = True, buffers: int = 0, tls: ssl.SSLContext | None = None
) -> AsyncIterator[tuple[HttpDoor, Heard]]:
    """A door that is open; `short_way` False leaves every request to aiohttp."""

    async def health() -> CollectorHealth:
        raise AssertionError("nobody asks here")

    heard = Heard()
    listening = bound_socket(Endpoint("127.0.0.1", 0))
    if buffers:
        limit(listening, buffers)
    with pytest.MonkeyPatch.context() as patch:
        if not short_way:
            patch.setattr(plain_posts, "_read_head", lambda _: None)
        door = HttpDoor(
            listening, reception=heard, store=store, clock=lambda: NOON_US, health=health, tls=tls
        )
        await door.open()
        try:
            yield door, heard
        finally:
            await door.close()


def limit(connection: socket.socket, size: int) -> None:
    """So much of a connection waits in the kernel at most."""
    connection.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, size)
    connection.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, size)


def post(
    body: bytes = BODY,
    headers: dict[str, str] | None = None,
    *,
    target: str = "/v1/readings?station=a",
    more: bytes = b"",
) -> bytes:
    told = PLAIN | {"Content-Length": str(len(body))} | (headers or {})
    lines = "".join(f"{name}: {value}\r\n" for name, value in told.items()).encode("latin-1")
    return f"POST {target} HTTP/1.1\r\n".encode() + lines + more + b"\r\n" + body


@contextlib.asynccontextmanager
async def connected(
    door: HttpDoor, connection: socket.socket | None = None, tls: ssl.SSLContext | None = None
) -> AsyncIterator[tuple[asyncio.StreamReader, asyncio.StreamWriter]]:
    if connection is None:
        connection = socket.socket()
    connection.setblocking(False)
    await asyncio.get_running_loop().sock_connect(connection, ("127.0.0.1", door.endpoint.port))
    reader, writer = await asyncio.open_connection(
        sock=connection, ssl=tls, server_hostname=None if tls is None else "127.0.0.1"
    )
    try:
        yield reader, writer
    finally:
        writer.transport.abort()
        with contextlib.suppress(ConnectionError):
            await writer.wait_closed()


async def send(door: HttpDoor, sent: bytes) -> list[int]:
    """The codes of the answers to what is sent, until the door closes."""
    told: list[int] = []
    async with connected(door) as (reader, writer):
        writer.write(sent)
        with contextlib.suppress(ConnectionError):
            while True:
                told.append((await read_answer(reader))[0])
    return told


async def read_answer(reader: asyncio.StreamReader) -> Answer:
    """The next answer; ConnectionError where the door has closed."""
    try:
        head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
    except asyncio.IncompleteReadError:
        raise ConnectionResetError from None
    lines = head.split("\r\n")
    told = {name.lower(): value.strip() for name, _, value in (one.partition(":") for one in lines)}
    body = await reader.readexactly(int(told.get("content-length", 0)))
    form = told.get("content-type", "")
    # What is no HTTP at all aiohttp quotes in plain text, as it was cut.
    return int(lines[0].split()[1]), form, json.loads(body) if "json" in form else ""


async def both_ways(
    store: Store, requests: Sequence[bytes], cuts: Sequence[int] = ()
) -> tuple[list[Answer], list[Message]]:
    """What is answered and taken in of some requests; the same by both ways, or the test fails.

    aiohttp is sent one after the other: of what comes in one piece it forgets the first requests
    for a fault in a later one. To ours they come cut anywhere. Then one that is the last.
    """
    async with served(store, short_way=False) as (door, heard):
        theirs, taken_in = await converse(door, [[one] for one in requests]), heard.messages
    async with served(store) as (door, heard):
        cut = pieces(b"".join(requests), cuts)
        ours = await converse(door, [cut], count=len(requests))
    assert ours == theirs
    assert heard.messages == taken_in
    return ours, taken_in


async def converse(
    door: HttpDoor, several: Sequence[Sequence[bytes]], *, count: int = 1
) -> list[Answer]:
    """Each of several in its pieces, once what was before is answered, with `count` answers each;
    then one that is the last."""
    told: list[Answer] = []
    async with connected(door) as (reader, writer):
        with contextlib.suppress(ConnectionError):
            for sent in several:
                await write(writer, sent)
                ended = len([one for one in told if one[0] >= 200]) + count
                while len([one for one in told if one[0] >= 200]) < ended:
                    told.append(await read_answer(reader))
            writer.write(LAST)
            while True:
                told.append(await read_answer(reader))
    return told


async def write(writer: asyncio.StreamWriter, sent: Sequence[bytes]) -> None:
    for piece in sent:
        writer.write(piece)
        await writer.drain()
        # The door's turn: what is cut arrives cut.
        await asyncio.sleep(0)
        await asyncio.sleep(0)


def pieces(sent: bytes, cuts: Sequence[int]) -> list[bytes]:
    ends = [*sorted({at for at in cuts if 0 < at < len(sent)}), len(sent)]
    return [sent[begin:end] for begin, end in zip([0, *ends], ends, strict=False)]


HOSTILE = {
    "plain": post(),
    "without a station": post(target="/v1/readings"),
    "two, one behind the other": post() + post(b'{"humidity": 50}'),
    "no body": post(b""),
    "a key": post(headers={"Authorization": "Bearer abc"}),
    "a scheme nobody knows": post(headers={"Authorization": "Basic abc"}),
    "two keys": post(headers={"Authorization": "Bearer a"}, more=b"authorization: Bearer b\r\n"),
    "two types": post(more=b"Content-Type: text/csv\r\n"),
    "untyped": post(headers={"Content-Type": ""}),
    "with a charset": post(headers={"Content-Type": "Application/JSON; charset=utf-8"}),
    "no type at all": post(headers={"Content-Type": "nonsense"}),
    "a type nobody knows": post(headers={"Content-Type": "text/xml"}),
    "from a page": post(headers={"Origin": "http://evil.example"}),
    "through a proxy": post(headers={"X-Forwarded-For": "10.0.0.1"}),
    "for another host": post(headers={"Host": "evil.example"}),
    "kept alive": post(headers={"Connection": "keep-alive"}),
    "a query that is encoded": post(target="/v1/readings?station=%61%20b"),
    "a query said twice": post(target="/v1/readings?station=a&station=b"),
    "another query": post(target="/v1/readings?x=1&station=b#c"),
    "an absolute target": post(target="http://localhost/v1/readings?station=a"),
    "a path below": post(target="/v1/readings/"),
    "a path beside": post(target="/v1/readings2"),
    "another method": post().replace(b"POST", b"PUT", 1),
    "an old version": post().replace(b"HTTP/1.1", b"HTTP/1.0"),
    "a version to come": post().replace(b"HTTP/1.1", b"HTTP/3.7"),
    "no version": post().replace(b" HTTP/1.1", b""),
    "two lengths": post(more=b"Content-Length: 3\r\n"),
    "the same length twice": post(more=b"Content-Length: %d\r\n" % len(BODY)),
    "a length with a sign": post(headers={"Content-Length": f"+{len(BODY)}"}),
    "lengths in a list": post(headers={"Content-Length": f"{len(BODY)}, {len(BODY)}"}),
    "a length that is none": post(headers={"Content-Length": "0x15"}),
    "a length in other digits": post(headers={"Content-Length": "\xb2\xb9"}),
    "a length below nothing": post(headers={"Content-Length": "-1"}),
    "chunks": post(b'5\r\n{"a":\r\n3\r\n 1}\r\n0\r\n\r\n', more=b"Transfer-Encoding: chunked\r\n"),
    "chunks beside a length": post(more=b"Transfer-Encoding: chunked\r\n"),
    "chunks said oddly": post(more=b"Transfer-Encoding : chunked\r\n"),
    "a body said to be packed": post(headers={"Content-Encoding": "gzip"}),
    "expecting": post(headers={"Expect": "the worst"}),
    "a folded header": post(more=b"X-Long: one\r\n two\r\n"),
    "a header without a name": post(more=b": value\r\n"),
    "a header without a colon": post(more=b"nonsense\r\n"),
    "a header with a space": post(more=b"X Y: z\r\n"),
    "a header with a zero": post(more=b"X: a\x00b\r\n"),
    "a header with a bell": post(more=b"X: a\x07b\r\n"),
    "a bare line feed": post(more=b"X: a\nContent-Length: 3\r\n"),
    "a bare carriage return": post(more=b"X: a\rContent-Length: 3\r\n"),
    "umlauts": post(headers={"X-Room": "K\xfcche"}),
    "many headers": post(more=b"".join(b"X-%d: y\r\n" % at for at in range(90))),
    "a long head": post(more=b"X: " + b"y" * 5_000 + b"\r\n"),
    "too long a head": post(more=b"X: " + b"y" * 20_000 + b"\r\n"),
    "a large body": post(b'{"a": "' + b"9" * 200_000 + b'"}'),
    "an empty line before": b"\r\n" + post(),
    "something in front": b"\x16\x03\x01\x02\x00\x01" + post(),
}


@pytest.mark.parametrize("sent", HOSTILE.values(), ids=HOSTILE)
async def test_it_means_what_aiohttp_says(store: Store, sent: bytes) -> None:
    told, messages = await both_ways(store, [sent])
    assert told, "every request has an answer"
    assert len(messages) <= len(told)


async def test_what_is_plain_goes_the_short_way(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    """aiohttp is not asked: without it the answers are the same."""
    async with served(store) as (door, heard):
        monkeypatch.setattr(HttpDoor, "_post_readings", None)
        several = post() + post(headers={"Authorization": "Bearer k", "Connection": "keep-alive"})
        told = await send(door, several + post(headers={"Connection": "close"}))
    assert told == [200, 200, 200]
    assert [one.station for one in heard.messages] == ["a", "a", "a"]
    assert [one.access_key for one in heard.messages] == [None, "k", None]


@st.composite
def conversations(draw: st.DrawFn) -> list[bytes]:
    """Some requests of one connection that are plain, and one that may be anything."""
    plain = st.builds(
        post, st.sampled_from([b"", BODY, b"9" * 300]), target=st.just("/v1/readings")
    )
    return [*draw(st.lists(plain, max_size=3)), HOSTILE[draw(st.sampled_from(sorted(HOSTILE)))]]


@pytest.fixture(scope="module")
def own_store(empty_store: Path) -> Store:
    return open_store(empty_store)


@settings(max_examples=60, deadline=None)
@given(sent=conversations(), cuts=st.lists(st.integers(1, 700), max_size=6))
def test_however_it_is_cut(own_store: Store, sent: list[bytes], cuts: list[int]) -> None:
    asyncio.run(_cut_and_whole(own_store, sent, cuts))


async def _cut_and_whole(store: Store, sent: list[bytes], cuts: list[int]) -> None:
    await both_ways(store, sent, cuts)


@settings(max_examples=60, deadline=None)
@given(cut=st.integers(0, 120), poison=st.binary(min_size=1, max_size=200))
def test_poison_in_a_head(own_store: Store, cut: int, poison: bytes) -> None:
    asyncio.run(_poisoned(own_store, post()[:cut] + poison + LAST))


async def _poisoned(store: Store, sent: bytes) -> None:
    async with asyncio.timeout(60):
        async with served(store, short_way=False) as (door, heard):
            theirs, taken_in = await send(door, sent), heard.messages
        async with served(store) as (door, heard):
            ours = await send(door, sent)
    # Where the poison ends a head, ours has answered what was whole.
    assert ours[-len(theirs) :] == theirs
    assert heard.messages[len(heard.messages) - len(taken_in) :] == taken_in


async def test_what_comes_behind_the_last_is_not_taken_in(store: Store) -> None:
    async with served(store) as (door, heard):
        told = await send(door, post(headers={"Connection": "Close"}) + post())
    assert told == [200]
    assert len(heard.messages) == 1


async def test_what_was_whole_is_taken_in_whatever_comes_behind_it(store: Store) -> None:
    async with served(store) as (door, heard):
        told = await send(door, post(headers={"Content-Length": str(len(BODY) + 9)}) + LAST)
    assert told == [200, 400]
    assert len(heard.messages) == 1


async def test_an_answer_is_an_answer_of_http(store: Store) -> None:
    async with served(store) as (door, _), connected(door) as (reader, writer):
        writer.write(post())
        head = (await reader.readuntil(b"\r\n\r\n")).decode("ascii").split("\r\n")
    assert head[0] == "HTTP/1.1 200 OK"
    assert any(one.startswith("Date: ") and one.endswith(" GMT") for one in head)


async def test_a_fault_ends_no_connection(store: Store) -> None:
    async with served(store) as (door, heard), connected(door) as (reader, writer):
        heard.error = StoreError("the disk is full")
        writer.write(post())
        status, form, problem = await read_answer(reader)
        assert (status, form) == (503, "application/problem+json")
        assert isinstance(problem, dict)
        assert problem["detail"] == "the disk is full; nothing was kept, send it again"
        heard.error = ZeroDivisionError()
        writer.write(post())
        assert (await read_answer(reader))[0] == 500
        heard.error = None
        writer.write(post())
        assert (await read_answer(reader))[0] == 200
    assert [one.body for one in heard.messages] == [BODY] * 3


async def test_who_ends_sending_is_answered_first(store: Store) -> None:
    async with served(store) as (door, heard), connected(door) as (reader, writer):
        heard.may_answer.clear()
        writer.write(post())
        writer.write_eof()
        await begun(heard)
        heard.may_answer.set()
        assert (await read_answer(reader))[0] == 200


async def begun(heard: Heard, count: int = 1) -> None:
    while len(heard.messages) < count:
        await asyncio.sleep(0.001)


async def test_over_tls_it_is_the_same(
    store: Store, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    chain, key = own_certificate(tmp_path)
    ours = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    ours.load_cert_chain(chain, key)
    theirs = ssl.create_default_context(cafile=str(chain))
    async with served(store, tls=ours) as (door, heard):
        async with connected(door, tls=theirs) as (reader, writer):
            writer.write(post() + b"GET /v1/nothing HTTP/1.1\r\nHost: localhost\r\n\r\n")
            assert (await read_answer(reader))[0] == 200
            # Handed over, with its TLS.
            assert (await read_answer(reader))[0] == 404
            writer.write(post())
            assert (await read_answer(reader))[0] == 200
        heard.may_answer.clear()
        async with connected(door, tls=theirs) as (_, writer):
            writer.write(post())
            await begun(heard, 3)
            writer.close()
            await writer.wait_closed()
        heard.may_answer.set()
    assert len(heard.messages) == 3
    assert caplog.records == []


async def test_a_door_that_closes_answers_what_is_under_way(store: Store) -> None:
    async with (
        served(store) as (door, heard),
        connected(door) as (reader, writer),
        connected(door) as (idle, _),
    ):
        heard.may_answer.clear()
        writer.write(post())
        await begun(heard)
        closing = asyncio.create_task(door.close())
        assert await idle.read() == b""
        assert not closing.done()
        heard.may_answer.set()
        assert (await read_answer(reader))[0] == 200
        await closing


async def test_who_goes_away_is_kept_all_the_same(store: Store) -> None:
    async with served(store) as (door, heard):
        heard.may_answer.clear()
        async with connected(door) as (_, writer):
            writer.write(post())
            await begun(heard)
        heard.may_answer.set()
        assert await send(door, post() + LAST) == [200, 404]
    assert len(heard.messages) == 2


async def test_a_body_that_does_not_come_is_told_so(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("rook_tally.intake.doors.plain_posts.BODY_WITHIN_S", 0.01)
    monkeypatch.setattr("rook_tally.intake.doors.http.BODY_WITHIN_S", 0.01)
    async with served(store) as (door, heard), connected(door) as (reader, writer):
        writer.write(post(headers={"Content-Length": "100"}))
        assert (await read_answer(reader))[0] == 408
    assert heard.messages == []


async def test_connections_that_are_too_many_are_closed(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Those of the short way are counted as all are; those idle longest go."""
    monkeypatch.setattr("rook_tally.intake.doors.http.MOST_CONNECTIONS", 3)
    monkeypatch.setattr(
        ConnectionGuard.__init__, "__kwdefaults__", {"silent_s": 60.0, "look_s": 0.01}
    )
    async with served(store) as (door, _), contextlib.AsyncExitStack() as stack:
        opened = [await stack.enter_async_context(connected(door)) for _ in range(5)]
        guarding = asyncio.create_task(door.guard_connections())
        for reader, _ in opened[:2]:
            with contextlib.suppress(ConnectionError):
                assert await reader.read() == b""
        reader, writer = opened[-1]
        writer.write(post())
        assert (await reader.readuntil(b"\r\n")).startswith(b"HTTP/1.1 200")
        guarding.cancel()


async def test_who_never_reads_is_not_answered_for_ever(store: Store) -> None:
    small = socket.socket()
    limit(small, 8_192)
    async with (
        served(store, buffers=8_192) as (door, heard),
        connected(door, small) as (reader, writer),
    ):
        writer.transport.pause_reading()  # type: ignore[attr-defined]
        writer.write(post() * 20_000)
        # What it sends stays with it: nothing further is read of it, and others are served.
        seen = -1
        while seen < len(heard.messages):
            seen = len(heard.messages) + 1
            assert await send(door, post() + LAST) == [200, 404]
        assert writer.transport.get_write_buffer_size() > 0
        # Once it reads, it is answered again.
        writer.transport.resume_reading()  # type: ignore[attr-defined]
        await reader.readexactly(200_000)
        assert len(heard.messages) > seen

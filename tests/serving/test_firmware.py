"""Firmware over HTTP: who is offered what, images in parts, and the time."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from contextlib import asynccontextmanager

import pytest
import sqlalchemy as sa
from aiohttp import ClientResponse, ClientSession, web

from rook_tally.core.firmware.images import does_hold
from rook_tally.core.firmware.rollout import Rollout, RolloutStage
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.net.problem_answers import problems
from rook_tally.serving.firmware import FirmwareRoutes
from rook_tally.store.base import Store, schema
from rook_tally.store.site import add_station
from rook_tally.store.site.firmware import ImageDraft, add_image, images, signing_key
from rook_tally.store.site.firmware_rollouts import (
    RolloutStep,
    begin_rollout,
    change_rollout,
    firmware_of,
)
from tests.builders import NOON_US
from tests.processes import wait_until

KIND = "substrate-probe"
BODY = bytes(range(251)) * 2000
Ask = Callable[..., Awaitable[ClientResponse]]


@pytest.fixture
def key(store: Store) -> Iterator[str]:
    """The access key of a station that is offered an image."""
    with store.write() as connection:
        made = add_station(connection, "post-1", place="Yard", kind=KINDS[KIND])
        draft = ImageDraft(KIND, "1.1", BODY, "quieter")
        add_image(connection, draft, who="me", now_us=NOON_US)
        begin_rollout(connection, KIND, "", Rollout(0, stage=RolloutStage.ALL), now_us=NOON_US)
    yield made


@asynccontextmanager
async def _served(store: Store, key: str, *, clock_is_set: bool = True) -> AsyncIterator[Ask]:
    app = web.Application(middlewares=[problems])
    app.router.add_routes(FirmwareRoutes(store, lambda: NOON_US, lambda: clock_is_set).routes())
    runner = web.AppRunner(app)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    host, port = runner.addresses[0][:2]
    try:
        async with ClientSession(f"http://{host}:{port}") as session:

            async def ask(path: str, method: str = "GET", **headers: str) -> ClientResponse:
                told = {name.replace("_", "-"): value for name, value in headers.items()}
                answer = await session.request(
                    method, path, headers={"Authorization": f"Bearer {key}"} | told
                )
                await answer.read()
                return answer

            yield ask
    finally:
        await runner.cleanup()


def _run(store: Store, key: str, look: Callable[[Ask], Awaitable[None]]) -> None:
    async def run() -> None:
        async with _served(store, key) as ask:
            await look(ask)

    asyncio.run(run())


def _fetched(store: Store) -> int | None:
    with store.read() as connection:
        (one,) = firmware_of(connection, KIND).updates
    return one.fetched_us


def test_a_station_is_offered_a_signed_text_and_the_image_in_one_or_in_parts(
    store: Store, key: str
) -> None:
    async def look(ask: Ask) -> None:
        offer = await ask("/v1/firmware?version=1.0")
        assert (offer.status, offer.content_type) == (200, "text/plain")
        text, _, signature = (await offer.text()).partition("signature: ")
        with store.read() as connection:
            public = signing_key(connection)
        assert public is not None
        assert does_hold(public.public, text, signature.strip())
        told = dict(line.split(": ") for line in text.splitlines()[1:])
        where = f"/v1/firmware/{told['sha256']}"
        whole = await ask(where)
        assert (whole.status, await whole.read()) == (200, BODY)
        # Written down once it has gone out.
        await asyncio.to_thread(wait_until, lambda: _fetched(store) == NOON_US)
        parts = b""
        while len(parts) < len(BODY):
            part = await ask(where, Range=f"bytes={len(parts)}-{len(parts) + 99_999}")
            assert part.status == 206
            end = min(len(parts) + 100_000, len(BODY))
            assert part.headers["Content-Range"] == f"bytes {len(parts)}-{end - 1}/{len(BODY)}"
            parts += await part.read()
        assert parts == BODY

    _run(store, key, look)


@pytest.mark.parametrize(
    ("told", "status", "part"),
    [
        ("bytes=10-19", 206, BODY[10:20]),
        ("bytes=-7", 206, BODY[-7:]),
        ("bytes=501990-", 206, BODY[501_990:]),
        ("bytes=0-", 200, BODY),
        ("bytes=x-y", 200, BODY),
        ("pages=1-2", 200, BODY),
        (f"bytes={len(BODY)}-", 416, None),
    ],
)
def test_ranges_are_those_of_http(
    store: Store, key: str, told: str, status: int, part: bytes | None
) -> None:
    async def look(ask: Ask) -> None:
        with store.read() as connection:
            where = f"/v1/firmware/{images(connection)[0].sha256}"
        await ask("/v1/firmware?version=1.0")
        answer = await ask(where, Range=told)
        assert answer.status == status
        if part is None:
            assert answer.headers["Content-Range"] == f"bytes */{len(BODY)}"
        else:
            assert await answer.read() == part
            other = await ask(where, Range=told, If_Range='"another"')
            assert (other.status, await other.read()) == (200, BODY)

    _run(store, key, look)


def test_a_head_and_a_part_that_is_not_the_last_are_no_fetching(store: Store, key: str) -> None:
    async def look(ask: Ask) -> None:
        with store.read() as connection:
            where = f"/v1/firmware/{images(connection)[0].sha256}"
        await ask("/v1/firmware?version=1.0")
        head = await ask(where, "HEAD")
        assert (head.status, head.headers["Content-Length"]) == (200, str(len(BODY)))
        await ask(where, Range="bytes=0-99")
        assert _fetched(store) is None
        await ask(where, Range=f"bytes={len(BODY) - 1}-")
        await asyncio.to_thread(wait_until, lambda: _fetched(store) == NOON_US)

    _run(store, key, look)


def test_programs_may_have_the_offer_as_json(store: Store, key: str) -> None:
    async def look(ask: Ask) -> None:
        told = await (await ask("/v1/firmware", Accept="application/json")).json()
        assert (told["version"], told["size"], told["notes"]) == ("1.1", len(BODY), "quieter")
        assert told["image"] == f"/v1/firmware/{told['sha256']}"
        assert "version: 1.1\n" in told["signed"]

    _run(store, key, look)


@pytest.mark.parametrize("version", ["1.1", "v1.1.0", "2.0"])
def test_who_runs_it_or_something_newer_is_offered_nothing(
    store: Store, key: str, version: str
) -> None:
    async def look(ask: Ask) -> None:
        assert (await ask(f"/v1/firmware?version={version}")).status == 204

    _run(store, key, look)


def test_what_is_withdrawn_half_way_is_not_given_further(store: Store, key: str) -> None:
    async def look(ask: Ask) -> None:
        with store.read() as connection:
            where = f"/v1/firmware/{images(connection)[0].sha256}"
        assert (await ask("/v1/firmware?version=1.0")).status == 200
        with store.write() as connection:
            change_rollout(connection, KIND, RolloutStep.PAUSE, now_us=NOON_US)
        answer = await ask(where, Range="bytes=100-")
        assert answer.status == 404
        assert "post-1 is offered nothing now" in (await answer.json())["detail"]

    _run(store, key, look)


def test_an_image_whose_signature_does_not_hold_is_never_offered(store: Store, key: str) -> None:
    async def look(ask: Ask) -> None:
        with store.write() as connection:
            connection.execute(sa.update(schema.firmware_image).values(signature="00" * 64))
            digest = images(connection)[0].sha256
        assert (await ask("/v1/firmware?version=1.0")).status == 204
        assert (await ask(f"/v1/firmware/{digest}")).status == 404

    _run(store, key, look)


def test_nobody_without_a_stations_key_is_answered_and_guessing_is_slowed(
    store: Store, key: str
) -> None:
    async def look(ask: Ask) -> None:
        for header in ("", "Basic eDp5", "Bearer", "Bearer wrong"):
            answer = await ask("/v1/firmware", Authorization=header)
            assert answer.status == 401
            assert answer.headers["WWW-Authenticate"] == "Bearer"
        for _ in range(12):
            answer = await ask("/v1/firmware", Authorization="Bearer wrong")
        assert answer.status == 429
        assert int(answer.headers["Retry-After"]) > 0
        # One that guesses silences no station beside it.
        assert (await ask("/v1/firmware?version=1.0")).status == 200

    _run(store, key, look)


def test_hostile_versions_and_digests_are_answered(store: Store, key: str) -> None:
    async def look(ask: Ask) -> None:
        assert (await ask("/v1/firmware?version=" + "9" * 5000)).status == 200
        assert (await ask("/v1/firmware?version=%00%0a%F0%9F%AA%B1")).status == 200
        assert (await ask("/v1/firmware/..%2f..%2fetc%2fpasswd")).status == 404

    _run(store, key, look)


@pytest.mark.parametrize("clock_is_set", [True, False])
def test_the_time_is_told_where_it_is_known(store: Store, key: str, clock_is_set: bool) -> None:
    async def run() -> None:
        async with _served(store, key, clock_is_set=clock_is_set) as ask:
            answer = await ask("/v1/time")
            if clock_is_set:
                assert await answer.json() == {"time": NOON_US // 1_000_000}
            else:
                assert answer.status == 503

    asyncio.run(run())

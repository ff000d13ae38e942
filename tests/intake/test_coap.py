"""CoAP in and out: plain from this machine, protected by OSCORE, observed, hostile."""

from __future__ import annotations

import asyncio
import contextlib
import json
import random
import socket
from collections.abc import AsyncIterator, Callable, Iterator
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import aiocoap
import cbor2
import pytest
from aiocoap import Context, error, oscore
from aiocoap.numbers import codes
from aiocoap.resource import ObservableResource, Resource, Site

from rook_tally.core.door_settings import CoapSetting, PollSetting
from rook_tally.core.errors import DoorError
from rook_tally.core.oscore_keys import oscore_keys
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.bounds import LARGEST_MESSAGE
from rook_tally.intake.doors.coap import CoapDoor
from rook_tally.intake.doors.coap_client import CoapPollDoor, coap_polled
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.store.base import Store, access_hash
from rook_tally.store.readings import latest
from rook_tally.store.site import DoorState, Station, add_station, load_site, renew_access_key
from tests.builders import NOON_US

PATIENCE_S = 30.0
JSON, SENML, SENML_CBOR = 50, 110, 112


def free_udp_port() -> int:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


async def until(condition: Callable[[], object]) -> None:
    async with asyncio.timeout(PATIENCE_S):
        while not condition():
            await asyncio.sleep(0.02)


class Served:
    """A door that is open, and a client of others beside it."""

    def __init__(self, port: int, client: Context, told: list[tuple[DoorState, str]]) -> None:
        self.address, self.client, self.told = f"coap://127.0.0.1:{port}", client, told
        self.port = port

    async def post(
        self, body: bytes, form: int | None = JSON, *, query: str = "", code: Any = codes.POST
    ) -> tuple[str, str]:
        """The code of the answer, such as `2.04`, and its payload."""
        message = aiocoap.Message(code=code, uri=f"{self.address}/v1/readings{query}", payload=body)
        if form is not None:
            message.opt.content_format = form
        answer = await asyncio.wait_for(self.client.request(message).response, PATIENCE_S)
        return answer.code.dotted, answer.payload.decode()


@contextlib.asynccontextmanager
async def served(store: Store, folder: Path) -> AsyncIterator[Served]:
    commits = CommitQueue(store)
    told: list[tuple[DoorState, str]] = []
    port = free_udp_port()
    door = CoapDoor(
        CoapSetting(f"127.0.0.1:{port}"),
        reception=commits,
        store=store,
        folder=folder,
        report=lambda state, detail="": told.append((state, detail)),
        clock=lambda: NOON_US,
    )
    door.open()
    client = await Context.create_client_context(transports=["oscore", "udp6"])
    try:
        await until(lambda: told)
        yield Served(port, client, told)
    finally:
        await client.shutdown()
        await door.close()
        await commits.close()


def _station(store: Store, key: str) -> tuple[Station, str]:
    with store.write() as connection:
        access_key = add_station(connection, key, place="Shed", kind=PLAIN, cadence_s=60)
    with store.read() as connection:
        found = load_site(connection).station(key)
    assert found is not None
    return found, access_key


def _values(store: Store) -> dict[tuple[str, str], float]:
    with store.read() as connection:
        newest = latest(connection)
        return {
            (one.station.key, one.field): newest[one.id].value
            for one in load_site(connection).series
            if one.id in newest
        }


async def test_each_form_is_taken_in_and_what_is_wrong_is_said(
    store: Store, tmp_path: Path
) -> None:
    _, key = _station(store, "box")
    async with served(store, tmp_path / "coap") as door:
        code, told = await door.post(b'{"temperature": 21.5}', query=f"?key={key}")
        assert (code, json.loads(told)["kept"]) == ("2.04", 1)
        senml = b'[{"bn": "box/", "n": "humidity", "u": "%RH", "v": 44}]'
        assert (await door.post(senml, SENML))[0] == "2.04"
        packed = cbor2.dumps([{0: "co2", 2: 612}])
        assert (await door.post(packed, SENML_CBOR, query="?station=box"))[0] == "2.04"
        # PUT as well, and what is told no form: the body decides.
        put = await door.post(
            b'{"pressure": "1013 hPa"}', None, query="?station=box", code=codes.PUT
        )
        assert put[0] == "2.04"
        # A body of many blocks (RFC 7959).
        rows = [{"time": 1_700_000_000 + at, "temperature": 20} for at in range(400)]
        code, told = await door.post(json.dumps(rows).encode(), query=f"?key={key}")
        assert (code, json.loads(told)["kept"]) == ("2.04", 400)

        code, told = await door.post(b'{"temperature": 21.5', query="?station=box")
        assert (code, told) == (
            "4.00",
            "The message cannot be read: not JSON: it ends in the middle; send a whole JSON "
            "object; kept as a stray",
        )
        assert (await door.post(b"{}", query="?station=box"))[0] == "4.22"
        code, told = await door.post(b'{"temperature": 1}', query="?key=guessed")
        assert (code, "access key" in told) == ("4.01", True)
        code, told = await door.post(b"<temperature/>", 41)
        assert (code, told.startswith("content format")) == ("4.15", True)
        code, told = await door.post(b" " * (LARGEST_MESSAGE + 1), query="?station=box")
        assert (code, "at most 1024 KiB" in told) == ("4.13", True)
        found = await door.client.request(
            aiocoap.Message(code=codes.GET, uri=f"{door.address}/.well-known/core")
        ).response
        (offered,) = [one for one in found.payload.decode().split(",") if "readings" in one]
        assert set(offered.replace('"', "").split(";")[1:]) == {"ct=50 110 112", "rt=readings"}
    assert _values(store) == {
        ("box", "temperature"): 21.5,
        ("box", "humidity"): 44.0,
        ("box", "co2"): 612.0,
        ("box", "pressure"): 1013.0,
    }


@pytest.fixture
def ours(
    store: Store, tmp_path: Path
) -> Iterator[tuple[Station, oscore.FilesystemSecurityContext]]:
    """A station, and what it protects its messages with."""
    station, key = _station(store, "box")
    context = _context(tmp_path / "ours", station, key)
    yield station, context
    # Else it writes down how far it counted when its folder is gone.
    context._destroy()


def _context(folder: Path, station: Station, key: str) -> oscore.FilesystemSecurityContext:
    """What a station has: the other half of the collector's."""
    keys = oscore_keys(station.id, access_hash(key))
    folder.mkdir()
    told = {
        "secret_hex": keys.secret.hex(),
        "sender-id_hex": keys.sender_id.hex(),
        "recipient-id_hex": keys.recipient_id.hex(),
    }
    (folder / "secret.json").write_text(json.dumps(told))
    return oscore.FilesystemSecurityContext(str(folder))


async def test_protected_messages_prove_who_speaks_also_after_a_restart(
    store: Store, tmp_path: Path, ours: tuple[Station, oscore.FilesystemSecurityContext]
) -> None:
    station, context = ours
    _station(store, "other")
    for value in (20, 21):
        # The second time the door is another one, which knows nothing of the first's messages: it
        # asks for a sign of life (Echo, RFC 8613 B.1.2), which the client answers by itself.
        async with served(store, tmp_path / "coap") as door:
            door.client.client_credentials[f"{door.address}/*"] = context
            for at in range(3):
                code, told = await door.post(f'{{"temperature": {value}.{at}}}'.encode())
                assert (code, json.loads(told)["kept"]) == ("2.04", 1), told
            code, told = await door.post(b'{"station": "other", "temperature": 99}')
            assert (code, "cannot speak for other" in told) == ("4.22", True)
            code, told = await door.post(b" " * 3000, None)
            assert code == "4.22"
    assert _values(store) == {("box", "temperature"): 21.2}

    async with served(store, tmp_path / "coap") as door:
        door.client.client_credentials[f"{door.address}/*"] = context
        assert (await door.post(b'{"temperature": 22}'))[0] == "2.04"
        with store.write() as connection:
            renew_access_key(connection, station)
        # What was shared is worth nothing from a moment later on.
        with pytest.raises(error.Error):
            async with asyncio.timeout(PATIENCE_S):
                while True:
                    assert (await door.post(b'{"temperature": 22}'))[0] in ("2.04", "4.01")
                    await asyncio.sleep(0.2)


async def test_what_comes_over_the_network_as_it_is_is_refused(
    store: Store, tmp_path: Path
) -> None:
    async with served(store, tmp_path / "coap") as door:
        resource = (await _the_door(store, tmp_path))._readings
        for host in ("192.0.2.7:4000", "[2001:db8::7]", "[::ffff:192.0.2.7]:1"):
            asked = SimpleNamespace(
                remote=SimpleNamespace(hostinfo=host), opt=SimpleNamespace(block1=None), payload=b""
            )
            with pytest.raises(error.Unauthorized, match="OSCORE"):
                await resource.render_post(asked)
        assert door.told[0][0] is DoorState.OPEN


async def _the_door(store: Store, folder: Path) -> CoapDoor:
    return CoapDoor(
        CoapSetting("0.0.0.0:5683"),
        reception=CommitQueue(store),
        store=store,
        folder=folder,
        report=lambda _state, _detail="": None,
        clock=lambda: NOON_US,
    )


async def test_noise_ends_nothing(store: Store, tmp_path: Path) -> None:
    _station(store, "box")
    dice = random.Random(25)
    async with served(store, tmp_path / "coap") as door:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as noise:
            noise.connect(("127.0.0.1", door.port))
            for at in range(300):
                # A third begins like a message, a third like a protected one.
                head = (b"", b"\x40\x02", b"\x44\x02\x12\x34abcd\x96\x09\x07")[at % 3]
                with contextlib.suppress(OSError):
                    noise.send(head + dice.randbytes(dice.randrange(80)))
        code, told = await door.post(b'{"temperature": 21.5}', query="?station=box")
        assert (code, json.loads(told)["kept"]) == ("2.04", 1)


async def test_a_port_of_another_program_is_waited_for(store: Store, tmp_path: Path) -> None:
    told: list[tuple[DoorState, str]] = []
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as theirs:
        theirs.bind(("127.0.0.1", 0))
        port = theirs.getsockname()[1]
        commits = CommitQueue(store)
        door = CoapDoor(
            CoapSetting(f"127.0.0.1:{port}"),
            reception=commits,
            store=store,
            folder=tmp_path,
            report=lambda state, detail="": told.append((state, detail)),
            clock=lambda: NOON_US,
        )
        door.open()
        await until(lambda: told)
        await door.close()
        await commits.close()
    assert told[0][0] is DoorState.TRYING
    assert "cannot be opened" in told[0][1]


class _Asked(Resource):  # type: ignore[misc]
    """A station that tells its temperature to whoever asks."""

    value = 20.0

    async def render_get(self, _request: Any) -> Any:
        body = json.dumps([{"n": "temperature", "v": self.value}]).encode()
        return aiocoap.Message(payload=body, content_format=SENML, max_age=60)

    def becomes(self, value: float) -> None:
        self.value = value


class _Telling(_Asked, ObservableResource):  # type: ignore[misc]
    """One that tells it by itself to whoever observes it."""

    def becomes(self, value: float) -> None:
        self.value = value
        self.updated_state()


@contextlib.asynccontextmanager
async def probe(*, tells: bool) -> AsyncIterator[tuple[_Asked, str]]:
    port, site = free_udp_port(), Site()
    resource = _Telling() if tells else _Asked()
    site.add_resource(("air",), resource)
    context = await Context.create_server_context(
        site, bind=("127.0.0.1", port), transports=["udp6"]
    )
    try:
        yield resource, f"coap://127.0.0.1:{port}/air"
    finally:
        await context.shutdown()


@pytest.mark.parametrize("tells", [True, False])
async def test_an_address_tells_by_itself_or_is_asked(store: Store, tells: bool) -> None:
    _station(store, "air")
    told: list[tuple[DoorState, str]] = []
    commits = CommitQueue(store)
    clock = iter(range(NOON_US, NOON_US + 10**9, 1_000_000))
    async with probe(tells=tells) as (resource, address):
        door = CoapPollDoor(
            # Asked every hour, what is new would not be seen in time.
            PollSetting(address, "air", 3600.0 if tells else 0.2),
            reception=commits,
            report=lambda state, detail="": told.append((state, detail)),
            clock=lambda: next(clock),
        )
        door.open()
        try:
            for value in (20.0, 21.0, 22.0):
                resource.becomes(value)
                await until(partial(_is, store, value))
        finally:
            await door.close()
            await commits.close()
    assert {state for state, _ in told} == {DoorState.OPEN}


def _is(store: Store, value: float) -> bool:
    return _values(store).get(("air", "temperature")) == value


async def test_an_address_that_is_gone_or_wrong_is_said(store: Store) -> None:
    async with probe(tells=False) as (_, address):
        message = await coap_polled(PollSetting(address, "air", 60.0), lambda: NOON_US)
        assert json.loads(message.body) == [{"n": "temperature", "v": 20.0}]
        with pytest.raises(DoorError, match=r"answers 4\.04"):
            await coap_polled(PollSetting(f"{address}/nowhere", "air", 60.0), lambda: NOON_US)
    # Nobody listens there any more, which the kernel says.
    with pytest.raises(DoorError, match="cannot be reached"):
        await coap_polled(PollSetting(address, "air", 60.0), lambda: NOON_US)
    with pytest.raises(DoorError, match="cannot be found"):
        await coap_polled(PollSetting("coap://no.such.invalid/a", "air", 60.0), lambda: NOON_US)


async def test_a_name_does_not_lead_to_this_machine(monkeypatch: pytest.MonkeyPatch) -> None:
    async def found(*_words: object, **_more: object) -> list[tuple[Any, ...]]:
        return [(socket.AF_INET, socket.SOCK_DGRAM, 17, "", ("127.0.0.1", 5683))]

    monkeypatch.setattr(asyncio.get_running_loop(), "getaddrinfo", found)
    with pytest.raises(DoorError, match="leads to this machine itself"):
        await coap_polled(PollSetting("coap://box.example/air", "air", 60.0), lambda: NOON_US)

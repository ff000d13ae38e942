"""Forwards: in order, at least once, same keys for repeats, back-filled, resumed after weeks."""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import AsyncIterator
from functools import partial

import numpy as np
import paho.mqtt.client as mqtt
import pytest
from aiohttp import web
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.collector.forward_loop import forward_once, keep_forwarding
from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import Forward, ForwardForm, ForwardKind, checked_forward
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.core.ways_out import WayOutSort
from rook_tally.forwarding.batches import ChosenSeries
from rook_tally.forwarding.targets import NotTakenError, target_of
from rook_tally.leaving.ways_out import ways_out
from rook_tally.store.base import Store
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.readings import latest, read_range
from rook_tally.store.site import Series, add_station, load_site, newest_strays, set_site
from rook_tally.store.site.forwards import ForwardState, forwards, save_forward
from rook_tally.store.site.gateway_keys import add_gateway_key, revoke_gateway_key
from rook_tally.store.site.read_keys import ReadScope, add_read_key
from tests.bench.air_of_rooms import START_US, keep, moments
from tests.builders import append
from tests.processes import CollectorProcess, wait_until

END_US = START_US + 4 * DAY_US
COUNT = 4 * 288


class Sink:
    """Takes what is posted; `answers` are given first, then 200."""

    def __init__(self) -> None:
        self.answers: list[int] = []
        self.keys: list[str] = []
        self.found: list[tuple[str, float, float]] = []
        self.address = ""

    async def take(self, request: web.Request) -> web.Response:
        if self.answers:
            return web.Response(status=self.answers.pop(0), text="not now")
        self.keys.append(request.headers["Idempotency-Key"])
        base = ""
        for one in json.loads(await request.read()):
            base = one.get("bn", base)
            self.found.append((base + one["n"], one["t"], one["v"]))
        return web.Response(status=204)

    def values(self, name: str) -> list[float]:
        return [value for told, _, value in self.found if told == name]


@pytest.fixture
async def sink() -> AsyncIterator[Sink]:
    made = Sink()
    app = web.Application()
    app.router.add_post("/in", made.take)
    runner = web.AppRunner(app)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    port = site._server.sockets[0].getsockname()[1]
    made.address = f"http://127.0.0.1:{port}/in"
    yield made
    await runner.cleanup()


@pytest.fixture
def booth(store: Store) -> Series:
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
    return keep(store, "booth", moments(4), np.arange(COUNT, dtype=np.float64))


def forward(sink: Sink, **said: object) -> Forward:
    told = {"slug": "friend", "kind": ForwardKind.HTTP, "address": sink.address, **said}
    return Forward(**told)  # type: ignore[arg-type]


def kept(store: Store, told: Forward, from_us: int | None = None) -> Forward:
    with store.write() as connection:
        save_forward(connection, told, who="wren", now_us=END_US, from_us=from_us)
    return told


def state_of(store: Store) -> ForwardState:
    with store.read() as connection:
        ((_, state),) = forwards(connection)
    return state


async def sent(store: Store, told: Forward) -> None:
    """Send until there is nothing left."""
    target, chosen = target_of(told), ChosenSeries(told)
    try:
        while await forward_once(store, told, chosen, target, lambda: END_US):
            pass
        await forward_once(store, told, chosen, target, lambda: END_US)
    finally:
        await target.close()


async def test_from_now_on_only_what_comes_is_sent(store: Store, booth: Series, sink: Sink) -> None:
    told = kept(store, forward(sink))
    await sent(store, told)
    assert sink.found == []
    append(store, booth, (END_US + SECOND_US, 5000.0), (END_US + 2 * SECOND_US, 5001.0))
    await sent(store, told)
    assert sink.values("booth/co2") == [5000.0, 5001.0]
    # A late one goes as well, when it comes.
    append(store, booth, (END_US - 30 * SECOND_US, 4999.0))
    await sent(store, told)
    assert sink.values("booth/co2")[-1] == 4999.0


async def test_the_past_is_sent_in_order_and_each_once(
    store: Store, booth: Series, sink: Sink
) -> None:
    told = kept(store, forward(sink), from_us=START_US)
    await sent(store, told)
    assert sink.values("booth/co2") == [float(at) for at in range(COUNT)]
    assert len(set(sink.keys)) == len(sink.keys)
    assert state_of(store).readings == COUNT


async def test_a_target_that_refuses_is_shown_and_gets_the_same_again(
    store: Store, booth: Series, sink: Sink
) -> None:
    told = kept(store, forward(sink), from_us=START_US)
    target, chosen = target_of(told), ChosenSeries(told)
    sink.answers = [500]
    with pytest.raises(NotTakenError, match="answered 500: not now"):
        await forward_once(store, told, chosen, target, lambda: END_US)
    # Half of it was taken, then it failed: all of that stretch comes again, with the same keys.
    before = list(sink.keys)
    await sent(store, told)
    assert set(before) <= set(sink.keys)
    await target.close()
    task = asyncio.create_task(keep_forwarding(store, told, lambda: END_US))
    sink.answers = [503, 503]
    append(store, booth, (END_US + SECOND_US, 7000.0))
    for _ in range(2000):
        await asyncio.sleep(0.01)
        if state_of(store).trouble:
            break
    assert "answered 503" in state_of(store).trouble
    for _ in range(2000):
        await asyncio.sleep(0.01)
        if sink.values("booth/co2")[-1:] == [7000.0]:
            break
    task.cancel()
    assert sink.values("booth/co2")[-1] == 7000.0


async def test_after_weeks_of_outage_nothing_is_missing(
    store: Store, booth: Series, sink: Sink
) -> None:
    told = kept(store, forward(sink), from_us=START_US)
    await sent(store, told)
    append(store, booth, (END_US + SECOND_US, 8000.0))
    # So much happens meanwhile that the notices of it are gone.
    with store.write() as connection:
        for _ in range(3):
            note_change(connection, Subject.TAPE)
        connection.exec_driver_sql("DELETE FROM change WHERE seq < (SELECT max(seq) FROM change)")
    await sent(store, told)
    values = sink.values("booth/co2")
    assert values[-1] == 8000.0
    assert set(range(COUNT)) <= {int(one) for one in values}


async def test_thinned_and_picked(store: Store, booth: Series, sink: Sink) -> None:
    keep(store, "booth", moments(4), np.full(COUNT, 3.0), quantity="pm25")
    told = kept(store, forward(sink, quantities=("pm25",), every_s=3600.0), from_us=START_US)
    await sent(store, told)
    assert {name for name, _, _ in sink.found} == {"booth/pm25"}
    times = [time for _, time, _ in sink.found]
    assert len(times) == 96 and times == sorted(times)
    assert all(time % 3600 == 0 for time in times)


async def test_means_of_what_comes_live_are_sent_once_their_step_is_over(
    store: Store, booth: Series, sink: Sink
) -> None:
    told = kept(store, forward(sink, every_s=600.0))
    await sent(store, told)
    for minute in range(0, 45, 5):
        append(store, booth, (END_US + minute * 60 * SECOND_US, 10.0 + minute))
        await sent(store, told)
    begun_s = END_US // SECOND_US
    # The step before is of the history; that of minute 40 is still under way.
    times = [round(time - begun_s) for _, time, _ in sink.found]
    assert [one for one in times if one >= 0] == [0, 600, 1200, 1800]


async def test_a_broker_gets_messages_that_our_own_door_understands(
    store: Store, booth: Series, collector: CollectorProcess
) -> None:
    found: list[tuple[str, object]] = []
    is_there = threading.Event()
    client = mqtt.Client(CallbackAPIVersion.VERSION2)
    client.on_message = lambda _c, _u, message: found.append(
        (message.topic, json.loads(message.payload))
    )
    client.on_subscribe = lambda *_: is_there.set()
    client.connect("127.0.0.1", int(collector.mqtt_port))
    client.loop_start()
    client.subscribe("copy/#", qos=1)
    assert await asyncio.to_thread(is_there.wait, 20)
    address = f"mqtt://127.0.0.1:{collector.mqtt_port}/copy"
    told = Forward(slug="copy", kind=ForwardKind.MQTT, address=address, form=ForwardForm.JSON)
    kept(store, told, from_us=END_US - HOUR_US)
    await sent(store, told)
    await asyncio.to_thread(partial(wait_until, lambda: found))
    client.loop_stop()
    topic, rows = found[0]
    assert topic == "copy/booth/readings"
    assert isinstance(rows, list) and [one["co2"] for one in rows] == [
        float(at) for at in range(COUNT - 12, COUNT)
    ]


async def test_another_rook_tally_takes_it_in_through_the_key_of_a_gateway(
    store: Store, booth: Series, collector: CollectorProcess
) -> None:
    """`store` is both ends: what it forwards as booth comes in again as shed.booth."""
    with store.write() as connection:
        key = add_gateway_key(connection, "shed", who="wren", now_us=END_US)
        add_station(connection, "shed.booth", place="Far away", kind=PLAIN, cadence_s=300)
    told = Forward(
        slug="far",
        kind=ForwardKind.ROOK_TALLY,
        address=collector.http,
        secret=key,
        places=(booth.station.place.name,),
    )
    kept(store, told, from_us=END_US - HOUR_US)
    await sent(store, told)
    with store.read() as connection:
        found = next(one for one in load_site(connection).series if one.station.key == "shed.booth")
        there = read_range(connection, found.id, 0, 1 << 60)
        here = read_range(connection, booth.id, END_US - HOUR_US, 1 << 60)
    assert there.time_us.tolist() == here.time_us.tolist()
    assert there.value.tolist() == here.value.tolist()
    assert (found.quantity.slug, state_of(store).trouble) == ("co2", "")
    # With the key gone it is refused, and what came stays.
    with store.write() as connection:
        revoke_gateway_key(connection, "shed")
    append(store, booth, (END_US + SECOND_US, 5000.0))
    with pytest.raises(NotTakenError, match="answered 401"):
        await sent(store, told)


async def test_a_station_not_taken_in_there_waits_among_strays_and_it_is_said(
    store: Store, booth: Series, collector: CollectorProcess
) -> None:
    with store.write() as connection:
        key = add_gateway_key(connection, "shed", who="wren", now_us=END_US)
    told = Forward(slug="far", kind=ForwardKind.ROOK_TALLY, address=collector.http, secret=key)
    kept(store, told, from_us=END_US - HOUR_US)
    await sent(store, told)
    assert "has not taken in booth yet" in state_of(store).trouble
    with store.read() as connection:
        assert {one.station for one in newest_strays(connection, 5)} == {"shed.booth"}


def test_a_gateway_speaks_for_nobody_but_its_own(
    store: Store, booth: Series, collector: CollectorProcess
) -> None:
    """Neither in the body, nor as a base name, nor in the query."""
    with store.write() as connection:
        key = add_gateway_key(connection, "shed", who="wren", now_us=END_US)
    header = f"Authorization: Bearer {key}"
    for body, query in (
        ('[{"station": "booth", "co2": 9}]', ""),
        ('[{"bn": "booth/", "n": "co2", "u": "ppm", "v": 9}]', ""),
        ('{"co2": 9}', "?station=booth"),
        ('{"station": "booth", "co2": 9}', "?station=booth"),
    ):
        status, answer = collector.post(body, "-H", header, query=query)
        assert (status, answer["kept"], answer["stray"]) == (202, 0, 1), (body, answer)
    with store.read() as connection:
        assert {one.station for one in newest_strays(connection, 9)} == {"shed.booth"}
        assert latest(connection)[booth.id].value == COUNT - 1


@pytest.mark.parametrize(
    ("kind", "address"),
    [
        (ForwardKind.HTTP, "ftp://example.org"),
        (ForwardKind.HTTP, "example.org"),
        (ForwardKind.MQTT, "https://example.org"),
        (ForwardKind.HTTP, "https://example.org:99999/"),
    ],
)
def test_an_address_that_cannot_be_is_refused(kind: ForwardKind, address: str) -> None:
    with pytest.raises(UsageError, match="no address to forward to"):
        checked_forward(Forward(slug="a", kind=kind, address=address))


def test_what_leaves_is_listed_and_nothing_at_first(store: Store, sink: Sink) -> None:
    with store.write() as connection:
        assert ways_out(connection, now_us=END_US) == []
        add_read_key(connection, "the school", ReadScope(("Shop",)), who="wren", now_us=END_US)
        save_forward(connection, forward(sink), who="lark", now_us=END_US)
        told = {one.sort: one for one in ways_out(connection, now_us=END_US)}
    key, out = told[WayOutSort.READ_KEY], told[WayOutSort.FORWARD]
    assert (key.name, key.what, key.allowed_by) == ("the school", "readings of Shop", "wren")
    assert (out.name, out.what, out.allowed_by) == ("friend", "readings of everything", "lark")
    assert out.whom.startswith("127.0.0.1:")

"""Two collectors at one broker, and a server that forgets their locks: no message is lost."""

from __future__ import annotations

import asyncio
import contextlib
import subprocess
from collections.abc import AsyncIterator, Callable
from pathlib import Path

import paho.mqtt.client as mqtt
import pytest
from paho.mqtt.enums import CallbackAPIVersion

from benchmarks.faults.postgres import cluster
from rook_tally.collector import mqtt_link as mqtt_module
from rook_tally.collector.heartbeat import presence_in
from rook_tally.collector.mqtt_link import MqttLink
from rook_tally.collector.requests import RequestRunner
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.addresses import Endpoint, OutsideBroker
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.site import add_station, load_site
from rook_tally.store.site.mqtt_sessions import sessions_used
from tests.collector.test_mqtt_link import free_port, mosquitto


async def _until(condition: Callable[[], object]) -> None:
    async with asyncio.timeout(90):
        while not condition():
            await asyncio.sleep(0.05)


@contextlib.asynccontextmanager
async def _side(store: Store, broker: OutsideBroker, folder: Path) -> AsyncIterator[MqttLink]:
    """MQTT as a collector has it, with its duties."""
    async with presence_in(store) as presence:
        commits = CommitQueue(store)
        side = MqttLink(presence.duties, commits, presence, broker, folder, None)
        await side.open(RequestRunner(store))
        duties = [asyncio.create_task(one()) for one in (presence.beat, side.keep_session)]
        try:
            yield side
        finally:
            for one in duties:
                one.cancel()
            await asyncio.wait(duties)
            await side.close()
            await commits.close()


def _kept(store: Store) -> set[float]:
    with store.read() as connection:
        return {
            value
            for one in load_site(connection).series
            for value in read_raw_range(connection, one.id, 0, 2**62).value.tolist()
        }


async def test_a_server_that_drops_all_locks_takes_no_message(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Found: each collector took the other's session for left, and unsubscribed it."""
    monkeypatch.setattr(mqtt_module, "_HOLD_LOOK_S", 0.05)
    port = free_port()
    async with contextlib.AsyncExitStack() as stack:
        server = stack.enter_context(cluster())
        stack.enter_context(mosquitto(port, tmp_path))
        url = server.new_database()[1]
        stores = [open_store(url), open_store(url)]
        for store in stores:
            stack.callback(store.close)
        with stores[0].write() as connection:
            add_station(connection, "a", place="Yard", kind=PLAIN)
        broker = OutsideBroker(Endpoint("127.0.0.1", port), tls=False)
        for store in stores:
            await stack.enter_async_context(_side(store, broker, tmp_path))
        sent: dict[float, mqtt.MQTTMessageInfo] = {}
        client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="sender")
        client.connect("127.0.0.1", port)
        client.loop_start()
        for number in range(300):
            value = 400.0 + number
            body = f'{{"co2": {value}, "time": {1_790_000_000 + number}}}'
            sent[value] = client.publish("rook/a/readings", body, qos=1)
            if number in (80, 200):
                await asyncio.to_thread(server.stop)
                await asyncio.to_thread(server.start)
            await asyncio.sleep(0.02)
        await _until(lambda: all(one.is_published() for one in sent.values()))
        await _until(lambda: sent.keys() <= _kept(stores[0]))
        client.disconnect()
        client.loop_stop()


async def test_what_stands_by_takes_over_when_who_took_in_ends(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The session is the store's: what the broker held meanwhile comes to the next."""
    monkeypatch.setattr(mqtt_module, "_HOLD_LOOK_S", 0.05)
    port = free_port()
    broker = OutsideBroker(Endpoint("127.0.0.1", port), tls=False)
    with mosquitto(port, tmp_path):
        with store.write() as connection:
            add_station(connection, "a", place="Yard", kind=PLAIN)
        client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="sender")

        def publish(numbers: range) -> None:
            for number in numbers:
                body = f'{{"co2": {400 + number}, "time": {1_790_000_000 + number}}}'
                client.publish("rook/a/readings", body, qos=1)

        other = open_store(store.address)
        async with contextlib.AsyncExitStack() as stack:
            async with _side(other, broker, tmp_path):
                await stack.enter_async_context(_side(store, broker, tmp_path))
                client.connect("127.0.0.1", port)
                client.loop_start()
                publish(range(20))
                await _until(lambda: len(_kept(store)) == 20)
            publish(range(20, 40))
            await _until(lambda: len(_kept(store)) == 40)
        other.close()
        client.disconnect()
        client.loop_stop()


async def test_one_that_does_not_reach_the_broker_lets_another_take_in(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(mqtt_module, "_HOLD_LOOK_S", 0.05)
    monkeypatch.setattr(mqtt_module, "_AWAY_S", 0.5)
    port = free_port()
    there = OutsideBroker(Endpoint("127.0.0.1", port), tls=False)
    nowhere = OutsideBroker(Endpoint("127.0.0.1", free_port()), tls=False)
    with mosquitto(port, tmp_path), contextlib.closing(open_store(store.address)) as other:
        with store.write() as connection:
            add_station(connection, "a", place="Yard", kind=PLAIN)
        async with _side(other, nowhere, tmp_path), _side(store, there, tmp_path):
            async with asyncio.timeout(40):
                while not _kept(store):
                    await asyncio.to_thread(_publish, port)


def _publish(port: int) -> None:
    subprocess.run(
        [
            "mosquitto_pub",
            "-p",
            str(port),
            "-q",
            "1",
            "-t",
            "rook/a/readings",
            "-m",
            '{"co2": 400, "time": 1790000000}',
        ],
        check=True,
        timeout=20,
    )


async def test_what_a_session_of_former_times_holds_is_taken_in_once(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Several collectors shared what came, each by a session of its own."""
    monkeypatch.setattr(mqtt_module, "_HOLD_LOOK_S", 0.05)
    monkeypatch.setattr(mqtt_module, "_QUIET_S", 0.3)
    port = free_port()
    broker = OutsideBroker(Endpoint("127.0.0.1", port), tls=False)
    with mosquitto(port, tmp_path):
        with store.write() as connection:
            add_station(connection, "a", place="Yard", kind=PLAIN)
            connection.exec_driver_sql(
                "INSERT INTO meta (key, value) VALUES ('mqtt_sessions', '2')"
            )
        group = f"$share/rook-{store.id[:12]}/rook/+/readings"
        _subscribed(port, f"rook-tally-{store.id[:12]}-1", group)
        await asyncio.to_thread(_publish, port)
        async with _side(store, broker, tmp_path):
            await _until(lambda: _kept(store) == {400.0})
            await _until(lambda: _used(store) == 1)


def _subscribed(port: int, session: str, topic: str) -> None:
    """Leave a lasting session that hears a topic."""
    subprocess.run(
        ["mosquitto_sub", "-p", str(port), "-i", session, "-c", "-q", "1", "-t", topic, "-E"],
        check=True,
        timeout=20,
    )


def _used(store: Store) -> int:
    with store.read() as connection:
        return sessions_used(connection)

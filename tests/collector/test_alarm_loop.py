"""The whole way: a reading over MQTT, a watch, a webhook; a control that is run and confirmed."""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.store.alarms import control_runs, journal, newest_letters, save_channel, save_watch
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from tests.collector.test_controls import publish
from tests.notify.test_telling import receiver
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


@contextmanager
def actuator(collector: CollectorProcess, says: Callable[[str], str | None]) -> Iterator[list[str]]:
    """A station that is told what to do, and says of it what `says` makes of it."""
    heard: list[str] = []
    listens = threading.Event()
    client = mqtt.Client(CallbackAPIVersion.VERSION2)

    def obey(one: mqtt.Client, _data: object, message: mqtt.MQTTMessage) -> None:
        value = message.payload.decode()
        heard.append(f"{message.topic.rpartition('/')[2]} {value}")
        told = says(value) if message.topic.endswith("/set") else None
        if told is not None:
            one.publish("rook/extractor/controls/on", told, qos=1, retain=True)

    client.on_connect = lambda one, *_: one.subscribe("rook/extractor/controls/on/+", qos=1)
    client.on_subscribe = lambda *_: listens.set()
    client.on_message = obey
    client.connect("127.0.0.1", int(collector.mqtt_port))
    client.loop_start()
    try:
        assert listens.wait(PATIENCE_S)
        yield heard
    finally:
        client.disconnect()
        client.loop_stop()


@contextmanager
def web() -> Iterator[tuple[str, list[dict[str, Any]]]]:
    """A receiver of webhooks in a thread of its own."""
    events: list[dict[str, Any]] = []
    address: list[str] = []
    ready, done = threading.Event(), threading.Event()

    async def serve() -> None:
        async with receiver() as (url, got):
            address.append(url)
            ready.set()
            while not done.is_set():
                await asyncio.to_thread(done.wait, 0.02)
                events[:] = [json.loads(body) for _, body in got]

    thread = threading.Thread(target=lambda: asyncio.run(serve()))
    thread.start()
    assert ready.wait(PATIENCE_S)
    try:
        yield address[0], events
    finally:
        done.set()
        thread.join()


def _watch(store: Store, url: str = "http://127.0.0.1:1/", **said: Any) -> None:
    with store.write() as connection:
        save_channel(connection, Channel(name="the web", sort=ChannelKind.WEBHOOK, url=url))
        save_watch(
            connection,
            Watch(
                slug="dust",
                name="Dust",
                sort=WatchKind.ABOVE,
                limit=25,
                tell=("the web",),
                scope=Scope(quantity="pm25", place="Kiln room"),
                **said,
            ),
            now_us=0,
        )


def _lines(store: Store) -> list[JournalKind]:
    with store.read() as connection:
        return [one.sort for one in reversed(journal(connection))]


def test_a_reading_over_mqtt_reaches_a_webhook_and_its_clearing_too(
    collector: CollectorProcess,
) -> None:
    store = open_store(collector.address)
    collector.add_station("counter")
    with web() as (url, events):
        _watch(store, url)
        collector.publish("counter", '{"pm25": 40}')
        wait_until(lambda: len(events) == 1)
        assert events[0]["type"] == "rook-tally.alarm.rang"
        assert events[0]["data"]["value"] == 40
        collector.publish("counter", '{"pm25": 4}')
        wait_until(lambda: len(events) == 2)
        assert events[1]["type"] == "rook-tally.alarm.cleared"
    store.close()


def test_a_control_is_run_confirmed_and_stopped(collector: CollectorProcess) -> None:
    store = open_store(collector.address)
    collector.add_station("counter")
    collector.add_station("extractor", kind="switch")
    _watch(store, run=RunControl(station="extractor", control="on"))
    with actuator(collector, says=lambda value: value) as heard:
        collector.publish("counter", '{"pm25": 40}')
        wait_until(lambda: JournalKind.CONFIRMED in _lines(store))
        assert heard == ["for 900", "set on"]
        collector.publish("counter", '{"pm25": 4}')
        wait_until(lambda: heard[-1] == "set off")
    wait_until(lambda: JournalKind.STOPPED in _lines(store))
    store.close()


def test_a_control_that_says_otherwise_is_left_to_whoever_did_that(
    collector: CollectorProcess,
) -> None:
    store = open_store(collector.address)
    collector.add_station("counter")
    collector.add_station("extractor", kind="switch")
    _watch(store, run=RunControl(station="extractor", control="on"))
    with actuator(collector, says=lambda value: value):
        collector.publish("counter", '{"pm25": 40}')
        wait_until(lambda: JournalKind.CONFIRMED in _lines(store))
        # Somebody turns the knob on the wall.
        told = '{"value": "off", "by": "hand"}'
        publish(collector, "rook/extractor/controls/on", told, "-r")
        wait_until(lambda: JournalKind.OVERRIDDEN in _lines(store))
        with store.read() as connection:
            assert [one.watch for one in control_runs(connection)] == ["dust"]
    store.close()


def test_what_could_not_be_told_waits_for_the_next_collector(collector: CollectorProcess) -> None:
    store = open_store(collector.address)
    collector.add_station("counter")
    _watch(store)
    collector.publish("counter", '{"pm25": 40}')
    wait_until(lambda: JournalKind.NOT_TOLD in _lines(store))
    collector.kill()
    with web() as (url, events):
        with store.write() as connection:
            save_channel(connection, Channel(name="the web", sort=ChannelKind.WEBHOOK, url=url))
        with CollectorProcess(collector.store):
            # One that was killed in the midst of a try has claimed it for two minutes.
            wait_until(lambda: len(events) == 1, within_s=150)
    with store.read() as connection:
        (letter,) = newest_letters(connection)
    assert events[0]["id"] == letter.notice.key
    assert _lines(store).count(JournalKind.RANG) == 1
    store.close()


def test_a_control_that_answers_late_is_first_missed_and_then_believed(
    collector: CollectorProcess, tmp_path: Path
) -> None:
    kind = tmp_path / "vent.toml"
    kind.write_text(
        'slug = "vent"\nname = "vent"\ncadence_s = 60\n'
        '[[control]]\nname = "flap"\ntitle = "Flap"\nsort = "switch"\nconfirm_s = 0.3\n'
    )
    assert rook_tally("--store", collector.address, "kind", "read", str(kind)).returncode == 0
    store = open_store(collector.address)
    collector.add_station("counter")
    collector.add_station("roof", kind="vent")
    _watch(store, run=RunControl(station="roof", control="flap"))
    collector.publish("counter", '{"pm25": 40}')
    wait_until(lambda: JournalKind.NOT_CONFIRMED in _lines(store))
    assert JournalKind.CONFIRMED not in _lines(store)
    publish(collector, "rook/roof/controls/flap", "on", "-r")
    wait_until(lambda: JournalKind.CONFIRMED in _lines(store))
    with store.read() as connection:
        (run,) = control_runs(connection)
    assert run.was_confirmed
    store.close()

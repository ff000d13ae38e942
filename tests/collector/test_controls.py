"""Controls: asked in the store, handed to the station, confirmed by its word, or visibly not."""

from __future__ import annotations

import contextlib
import json
import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import paho.mqtt.client as mqtt
import pytest
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import (
    RequestKind,
    RequestState,
    add_station,
    create_request,
    newest_requests,
    note_sent,
    request_numbered,
)
from tests.desks import now_us
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


@contextmanager
def heard_at(
    collector: CollectorProcess, topic: str, port: int | None = None
) -> Iterator[list[str]]:
    """What a client of the broker, or of another, hears of a topic: `topic body`, from when it
    listens."""
    lines: list[str] = []
    listens = threading.Event()
    client = mqtt.Client(CallbackAPIVersion.VERSION2)
    client.on_connect = lambda one, *_: one.subscribe(topic, qos=1)
    client.on_subscribe = lambda *_: listens.set()
    client.on_message = lambda _client, _data, one: lines.append(
        f"{one.topic} {one.payload.decode()}"
    )
    client.connect("127.0.0.1", port or int(collector.mqtt_port))
    client.loop_start()
    try:
        assert listens.wait(PATIENCE_S)
        yield lines
    finally:
        client.disconnect()
        client.loop_stop()


def publish(collector: CollectorProcess, topic: str, body: str, *words: str) -> None:
    subprocess.run(
        ["mosquitto_pub", "-p", collector.mqtt_port, "-q", "1", "-t", topic, "-m", body, *words],
        check=True,
        timeout=30,
    )


def control(collector: CollectorProcess, *words: str) -> subprocess.CompletedProcess[str]:
    return rook_tally("--store", collector.address, "control", *words)


def state_of(collector: CollectorProcess, key: str) -> RequestState:
    with open_store(collector.address) as store, store.read() as connection:
        return newest_requests(connection, key)[0].state


def test_a_switch_is_set_over_mqtt_and_confirmed_by_the_station(
    collector: CollectorProcess,
) -> None:
    collector.add_station("extractor", kind="switch")
    with heard_at(collector, "rook/extractor/controls/on/set") as heard:
        done = control(collector, "extractor", "on", "on", "--no-wait")
        assert done.returncode == 0, done.stderr
        wait_until(lambda: any("rook/extractor/controls/on/set on" in line for line in heard))
        assert state_of(collector, "extractor") is RequestState.SENT
        publish(collector, "rook/extractor/controls/on", "on", "-r")
        wait_until(lambda: state_of(collector, "extractor") is RequestState.CONFIRMED)
    shown = json.loads(control(collector, "extractor", "--json").stdout)
    assert shown[0]["says"] == "on"
    assert shown[0]["state"] == "confirmed"
    assert shown[0]["answer"] == "extractor says on"


def test_a_control_that_nobody_confirms_is_sent_again_and_then_given_up(
    collector: CollectorProcess, tmp_path: Any
) -> None:
    kind = tmp_path / "vent.toml"
    kind.write_text(
        'slug = "vent"\nname = "vent"\ncadence_s = 60\n'
        '[[control]]\nname = "flap"\nsort = "number"\nlow = 0\nhigh = 90\nconfirm_s = 0.3\n'
    )
    assert rook_tally("--store", collector.address, "kind", "read", str(kind)).returncode == 0
    collector.add_station("roof", kind="vent")
    with heard_at(collector, "rook/roof/controls/flap/set") as heard:
        done = control(collector, "roof", "flap", "45")
        assert done.returncode == 1
        assert "not confirmed" in done.stderr
        assert "sent 3 times, so it may have been done all the same" in done.stderr
        assert len([line for line in heard if line.endswith("/set 45")]) == 3
    # The station's late word is still taken.
    publish(collector, "rook/roof/controls/flap", "45.0")
    wait_until(lambda: state_of(collector, "roof") is RequestState.CONFIRMED)


def test_a_wrong_answer_confirms_nothing(collector: CollectorProcess) -> None:
    collector.add_station("extractor", kind="switch")
    with heard_at(collector, "rook/extractor/controls/on/set") as heard:
        control(collector, "extractor", "on", "on", "--no-wait")
        wait_until(lambda: bool(heard))
        publish(collector, "rook/extractor/controls/on", "off")
        wait_until(lambda: '"says":"off"' in control(collector, "extractor", "--json").stdout)
        assert state_of(collector, "extractor") is RequestState.SENT


def test_a_station_that_speaks_http_is_told_in_the_answer(collector: CollectorProcess) -> None:
    key = collector.add_station("hall", kind="room-air")
    bearer = ("-H", f"Authorization: Bearer {key}")
    assert collector.post('{"temp": 20.5}', *bearer)[1]["kept"] == 1
    control(collector, "hall", "brightness", "40", "--no-wait")
    wait_until(lambda: state_of(collector, "hall") is RequestState.SENT)
    _, answer = collector.post('{"temp": 20.6}', *bearer)
    assert answer["controls"] == {"brightness": "40"}
    _, answer = collector.post('{"temp": 20.7, "controls": {"brightness": 40}}', *bearer)
    assert (answer["kept"], answer["heard"]) == (1, 1)
    assert state_of(collector, "hall") is RequestState.CONFIRMED


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("extractor", "on", "maybe"), "on or off"),
        (("extractor", "zero"), "it has: on"),
        (("nobody", "on", "on"), "there is no station"),
    ],
)
def test_what_cannot_be_asked(
    shared_collector: CollectorProcess, words: tuple[str, ...], why: str
) -> None:
    rook_tally(
        "--store",
        shared_collector.address,
        "station",
        "add",
        "extractor",
        "--place",
        "Booth",
        "--kind",
        "switch",
    )
    done = control(shared_collector, *words)
    assert done.returncode == 2
    assert why in done.stderr


def test_something_else_asked_since_overtakes(collector: CollectorProcess) -> None:
    collector.add_station("extractor", kind="switch")
    for value in ("on", "off"):
        control(collector, "extractor", "on", value, "--no-wait")
    with open_store(collector.address) as store, store.read() as connection:
        newest, before = newest_requests(connection, "extractor")
    assert newest.value == "off"
    assert before.state in (RequestState.OVERTAKEN, RequestState.CONFIRMED)


def test_one_that_was_sent_before_the_collector_was_gone_for_a_day_is_not_sent_again(
    store_path: Path,
) -> None:
    day_ago_us = now_us() - DAY_US
    with contextlib.closing(open_store(store_path)) as store, store.write() as connection:
        add_station(connection, "extractor", place="Booth", kind=KINDS["switch"])
        number = create_request(
            connection, RequestKind.CONTROL, "extractor", "on", "on", who="Wren", now_us=day_ago_us
        )
        asked = request_numbered(connection, number)
        assert asked is not None
        note_sent(connection, asked, now_us=day_ago_us)
    with CollectorProcess(store_path) as collector:
        with heard_at(collector, "rook/extractor/controls/+/set") as heard:
            wait_until(lambda: state_of(collector, "extractor") is RequestState.UNCONFIRMED)
            assert control(collector, "extractor", "on", "off", "--no-wait").returncode == 0
            wait_until(lambda: heard)
        assert heard[0] == "rook/extractor/controls/on/set off"


def test_a_switch_pressed_while_nobody_could_carry_it_out_does_nothing_a_day_later(
    store_path: Path,
) -> None:
    day_ago_us = now_us() - DAY_US
    with contextlib.closing(open_store(store_path)) as store, store.write() as connection:
        add_station(connection, "extractor", place="Booth", kind=KINDS["switch"])
        create_request(
            connection, RequestKind.CONTROL, "extractor", "on", "on", who="Wren", now_us=day_ago_us
        )
    with CollectorProcess(store_path) as collector:
        with heard_at(collector, "rook/extractor/controls/+/set") as heard:
            wait_until(lambda: state_of(collector, "extractor") is RequestState.UNCONFIRMED)
            # What is asked now goes out, and nothing before it did.
            assert control(collector, "extractor", "on", "off", "--no-wait").returncode == 0
            wait_until(lambda: heard)
        assert heard[0] == "rook/extractor/controls/on/set off"
    with contextlib.closing(open_store(store_path)) as store, store.read() as connection:
        _, lapsed = newest_requests(connection, "extractor")
    assert lapsed.answer.startswith("it was asked for 1 d ago, and nobody could carry it out")

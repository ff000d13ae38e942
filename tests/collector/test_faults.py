"""Faults survived: real processes killed at bad moments; what was acknowledged is there, once."""

from __future__ import annotations

import contextlib
import http.client
import json
import random
import subprocess
import threading
from functools import partial
from pathlib import Path

import sqlalchemy as sa

from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import damaged_pages, read_raw_range, seal_all, stretches_due
from rook_tally.store.site import load_site
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desks import Desk
from tests.processes import CollectorProcess, rook_tally, wait_until

_BEGIN_S = 1_790_000_000
_MQTT_MESSAGES = 600
_KILLS = 3


def _kept(path: Path, field: str) -> list[float]:
    store = open_store(path)
    with store.read() as connection:
        values = [
            value
            for one in load_site(connection).series
            if one.field == field
            for value in read_raw_range(connection, one.id, 0, 2**62).value.tolist()
        ]
    store.close()
    return values


class _HttpSender(threading.Thread):
    """Posts one reading after the other to whatever collector is there."""

    def __init__(self) -> None:
        super().__init__(name="sender")
        self.address = ""
        self.enough = threading.Event()
        self.acknowledged: list[int] = []

    def has_acknowledged(self, count: int) -> bool:
        return len(self.acknowledged) >= count

    def run(self) -> None:
        number = 0
        while not self.enough.is_set():
            number += 1
            with contextlib.suppress(OSError, http.client.HTTPException):
                host, _, port = self.address.rpartition(":")
                connection = http.client.HTTPConnection(host, int(port), timeout=5)
                body = json.dumps({"time": _BEGIN_S + number, "co2": 400 + number})
                json_told = {"Content-Type": "application/json"}
                connection.request("POST", "/v1/readings?station=a", body, json_told)
                answer = connection.getresponse()
                if answer.status == 200 and json.loads(answer.read())["kept"] == 1:
                    self.acknowledged.append(400 + number)
                connection.close()
            self.enough.wait(0.002)


def test_killed_again_and_again_while_senders_keep_sending(store_path: Path) -> None:
    """Over MQTT and HTTP: every acknowledged reading is there, none twice, the store is clean; a
    desk left open all the while shows the last of both."""
    chance = random.Random(4)
    collector = CollectorProcess(store_path)
    store = open_store(store_path)
    desk = Desk(store)
    collector.add_station("a")
    port = collector.mqtt_port
    posting = _HttpSender()
    posting.address = collector.ready["http"]
    posting.start()
    lines = "".join(
        f'{{"time": {_BEGIN_S + number}, "pressure": {number + 300}}}\n'
        for number in range(_MQTT_MESSAGES)
    )
    with subprocess.Popen(
        ["mosquitto_pub", "-h", "127.0.0.1", "-p", port, "-q", "1", "-l", "-t", "rook/a/readings"],
        stdin=subprocess.PIPE,
        text=True,
    ) as publishing:
        assert publishing.stdin is not None
        part = len(lines) // _KILLS
        for kill in range(_KILLS):
            publishing.stdin.write(lines[kill * part : (kill + 1) * part])
            publishing.stdin.flush()
            seen = len(posting.acknowledged) + chance.randrange(5, 40)
            wait_until(partial(posting.has_acknowledged, seen))
            collector.kill()
            collector = CollectorProcess(store_path)
            posting.address = collector.ready["http"]
        publishing.stdin.write(lines[_KILLS * part :])
        publishing.stdin.close()
        assert publishing.wait(60) == 0
    posting.enough.set()
    posting.join()
    with collector:
        wait_until(lambda: len(_kept(store_path, "pressure")) == _MQTT_MESSAGES)
    assert sorted(_kept(store_path, "pressure")) == [300 + at for at in range(_MQTT_MESSAGES)]
    co2 = _kept(store_path, "co2")
    assert len(posting.acknowledged) > 10 * _KILLS
    assert set(posting.acknowledged) <= set(co2)
    assert len(co2) == len(set(co2))
    newest = {300.0 + _MQTT_MESSAGES - 1, max(co2)}
    wait_until(lambda: newest <= {one.value for one in desk.state.latest.values()})
    desk.close()
    store.close()
    checked = rook_tally("--store", str(store_path), "check")
    assert checked.returncode == 0, checked.stdout


def test_killed_while_sealing(store_path: Path) -> None:
    """Ten days wait to be sealed when a collector starts; it is killed in the middle of it."""
    store = open_store(store_path)
    series = begin_series(store)
    moments = [NOON_US - 30 * DAY_US + at * 10 * MINUTE_US for at in range(10 * 144)]
    append(store, series, *((at, float(number)) for number, at in enumerate(moments)))
    store.close()
    collector = CollectorProcess(store_path, broker="off")
    store = open_store(store_path)

    def pages() -> int:
        with store.read() as connection:
            return int(
                connection.execute(sa.select(sa.func.count()).select_from(schema.page)).scalar_one()
            )

    wait_until(lambda: pages() >= 2)
    collector.kill()
    with store.read() as connection:
        assert damaged_pages(connection) == []
        kept = read_raw_range(connection, series.id, 0, 2**62)
    assert kept.value.tolist() == [float(number) for number in range(len(moments))]
    seal_all(store, {series.id: series}, now_us=NOON_US)
    assert stretches_due(store, now_us=NOON_US) == []
    with store.read() as connection:
        assert read_raw_range(connection, series.id, 0, 2**62).time_us.tolist() == moments
    store.close()


def test_a_clock_set_back_an_hour_loses_nothing(collector: CollectorProcess) -> None:
    """Readings of a sender that jumps back land where it says; nothing is overwritten."""
    collector.add_station("a")
    for minute in (0, 1, 2, -58, -57, 3):
        collector.publish("a", json.dumps({"time": _BEGIN_S + 60 * minute, "co2": 500 + minute}))
    wait_until(lambda: len(_kept(collector.store, "co2")) == 6)
    assert _kept(collector.store, "co2") == [442.0, 443.0, 500.0, 501.0, 502.0, 503.0]

"""A collector killed over and over while senders keep sending: what is lost, what comes twice."""

from __future__ import annotations

import contextlib
import http.client
import itertools
import json
import random
import threading
from dataclasses import dataclass
from pathlib import Path

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.cli.children import CollectorChild
from rook_tally.core.kinds import PLAIN
from rook_tally.store import add_station, load_site, open_store, read_raw_range
from rook_tally.store.care import look_over

_KILLS = 12
_BEGIN_S = 1_790_000_000
_STATION = "bench"
_JSON = {"Content-Type": "application/json"}


@dataclass(frozen=True, slots=True)
class Survived:
    """What came of it, in readings: acknowledged to senders, missing, there twice, damage found."""

    acknowledged: int
    missing: int
    twice: int
    damaged: int


class _Sender:
    """Sends numbered readings over both doors and keeps what was acknowledged."""

    def __init__(self, collector: CollectorChild) -> None:
        self.http = collector.http
        self.posted: list[int] = []
        self.published: list[int] = []
        self._stop = threading.Event()
        self._by_mid: dict[int, int] = {}
        host, _, port = str(collector.mqtt).rpartition(":")
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="bench")
        self._client.on_publish = lambda _client, _data, mid, *_rest: self.published.append(
            self._by_mid[mid]
        )
        self._client.connect(host, int(port))
        self._client.loop_start()
        self._threads = [
            threading.Thread(target=self._post), threading.Thread(target=self._publish)
        ]  # fmt: skip
        for one in self._threads:
            one.start()

    def _post(self) -> None:
        for number in itertools.count():
            if self._stop.wait(0.002):
                return
            with contextlib.suppress(OSError, http.client.HTTPException):
                host, _, port = self.http.rpartition(":")
                connection = http.client.HTTPConnection(host, int(port), timeout=5)
                body = json.dumps({"time": _BEGIN_S + number, "co2": 400 + number})
                connection.request("POST", f"/v1/readings?station={_STATION}", body, _JSON)
                answer = connection.getresponse()
                if answer.status == 200 and json.loads(answer.read())["kept"] == 1:
                    self.posted.append(400 + number)
                connection.close()

    def _publish(self) -> None:
        for number in itertools.count():
            if self._stop.wait(0.002):
                return
            body = json.dumps({"time": _BEGIN_S + number, "pressure": 300 + number})
            sent = self._client.publish(f"rook/{_STATION}/readings", body, qos=1)
            self._by_mid[sent.mid] = 300 + number

    def close(self) -> None:
        """Stop sending, and hear the last acknowledgements."""
        self._stop.set()
        for one in self._threads:
            one.join()
        self._client.disconnect()
        self._client.loop_stop()


def survived_kills(folder: Path) -> Survived:
    """Kill collectors with SIGKILL at random moments, one after the other, under load."""
    where = folder / "faults.db"
    store = open_store(where)
    with store.write() as connection:
        add_station(connection, _STATION, place="Bench", kind=PLAIN, cadence_s=1)
    chance = random.Random(9)
    pause = threading.Event()
    collector = CollectorChild(str(where), http="127.0.0.1:0", broker="builtin:127.0.0.1:0")
    sender = _Sender(collector)
    for _ in range(_KILLS):
        pause.wait(chance.uniform(0.1, 1.5))
        collector.process.kill()
        collector.ended()
        collector = CollectorChild(str(where), http="127.0.0.1:0", broker="builtin:127.0.0.1:0")
        sender.http = collector.http
    sender.close()
    kept: dict[str, list[int]] = {}
    for _ in range(600):  # what the broker still holds comes in
        kept = _kept(str(where))
        if set(sender.published) <= set(kept.get("pressure", [])):
            break
        pause.wait(0.1)
    collector.ended()
    damaged = len(look_over(store).damage)
    store.close()
    pairs = ((sender.posted, kept.get("co2", [])), (sender.published, kept.get("pressure", [])))
    return Survived(
        len(sender.posted) + len(sender.published),
        sum(len(set(sent) - set(there)) for sent, there in pairs),
        sum(len(there) - len(set(there)) for _, there in pairs),
        damaged,
    )


def _kept(where: str) -> dict[str, list[int]]:
    store = open_store(where)
    try:
        with store.read() as connection:
            return {
                one.field: read_raw_range(connection, one.id, 0, 2**62).value.astype(int).tolist()
                for one in load_site(connection).series
            }
    finally:
        store.close()

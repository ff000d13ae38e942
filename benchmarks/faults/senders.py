"""Senders of numbered readings, over every door, that keep what they were promised."""

from __future__ import annotations

import abc
import contextlib
import http.client
import itertools
import json
import os
import random
import subprocess
import sys
import threading
import time
import tty
from pathlib import Path
from queue import SimpleQueue

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from benchmarks.faults.waiting import repeat_until
from rook_tally.core.timestamps import rfc3339

SECOND_US = 1_000_000
_JSON = {"Content-Type": "application/json"}
_PATIENCE_S = 10.0
_MOST_WAITING = 500
_BREATH_S = 0.005


class Sender(threading.Thread, abc.ABC):
    """Sends one reading after another. `promised` are the times, µs, of those that were
    acknowledged, each with when that was."""

    def __init__(self, station: str, pause_s: float) -> None:
        super().__init__(name=f"sender {station}", daemon=True)
        self.station, self.pause_s = station, pause_s
        self.promised: dict[int, float] = {}
        self.ahead_s = 0.0
        self.enough = threading.Event()
        self._numbers = itertools.count()
        self._latest_us = 0

    def reading(self) -> tuple[int, float]:
        """The next reading: its time, µs, and its value."""
        # Never the same twice, and by the real clock, whatever the collector's says. A step that
        # a fast sender outruns would end among times to come, which are not kept as they are.
        now_us = time.time_ns() // 1000 + round(self.ahead_s * SECOND_US)
        self._latest_us = max(self._latest_us + 10, now_us)
        return self._latest_us, (next(self._numbers) % 7000) / 100

    def promise(self, *times_us: int) -> None:
        """Note that the readings of these times were acknowledged."""
        self.promised |= dict.fromkeys(times_us, time.monotonic())

    def run(self) -> None:
        """Send until told to end."""
        while not self.enough.wait(self.pause_s):
            self.send()

    @abc.abstractmethod
    def send(self) -> None:
        """Send one reading."""

    def close(self) -> None:
        """End."""
        self.enough.set()
        self.join()


class HttpSender(Sender):
    """Posts; the answer is the promise."""

    def __init__(self, address: str, pause_s: float = 0.005) -> None:
        super().__init__("http", pause_s)
        self.address = address
        self.refused, self.why = 0, ""

    def was_refused(self, times: int) -> bool:
        """Tell whether the collector refused more readings than that."""
        return self.refused > times

    def send(self) -> None:
        """Post one."""
        time_us, value = self.reading()
        body = json.dumps({"time": rfc3339(time_us), "temperature": value})
        host, _, port = self.address.rpartition(":")
        with contextlib.suppress(OSError, http.client.HTTPException, ValueError):
            connection = http.client.HTTPConnection(host, int(port), timeout=_PATIENCE_S)
            try:
                connection.request("POST", f"/v1/readings?station={self.station}", body, _JSON)
                answer = connection.getresponse()
                told = answer.read()
                if answer.status == http.HTTPStatus.OK and json.loads(told)["kept"] == 1:
                    self.promise(time_us)
                else:
                    self.refused += 1
                    self.why = f"{answer.status} {told[:200]!r}"
            finally:
                connection.close()


class MqttSender(Sender):
    """Publishes with QoS 1; the broker's acknowledgement is the promise."""

    def __init__(self, address: str, pause_s: float = 0.005) -> None:
        super().__init__("mqtt", pause_s)
        self._by_mid: dict[int, int] = {}
        self._acknowledged: SimpleQueue[int] = SimpleQueue()
        host, _, port = address.rpartition(":")
        self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, client_id="faults", clean_session=False
        )
        self._client.reconnect_delay_set(1, 1)
        self._client.on_publish = lambda _client, _data, mid, *_rest: self._acknowledged.put(mid)
        self._client.connect(host, int(port))
        self._client.loop_start()

    def send(self) -> None:
        """Publish one, unless a broker that is away has left enough waiting."""
        self._look()
        if len(self._by_mid) >= _MOST_WAITING:
            # Without a pause this thread would keep the client's own from running.
            self.enough.wait(_BREATH_S)
            return
        time_us, value = self.reading()
        body = json.dumps({"time": rfc3339(time_us), "temperature": value})
        sent = self._client.publish(f"rook/{self.station}/readings", body, qos=1)
        self._by_mid[sent.mid] = time_us

    def _look(self) -> bool:
        """Note what was acknowledged; whether that is all."""
        while not self._acknowledged.empty():
            self.promise(self._by_mid.pop(self._acknowledged.get()))
        return not self._by_mid

    def close(self) -> None:
        """End, once what is under way was acknowledged."""
        super().close()
        repeat_until(self._look, _PATIENCE_S)
        self._client.disconnect()
        self._client.loop_stop()


class SerialSender(Sender):
    """Writes lines into a pseudo terminal. Nobody promises anything on a serial line."""

    def __init__(self, pause_s: float = 0.05) -> None:
        super().__init__("serial", pause_s)
        self._ours, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        os.set_blocking(self._ours, False)
        self.path = os.ttyname(self._theirs)
        self.sent = 0

    def send(self) -> None:
        """Write one line, unless what waits is enough."""
        time_us, value = self.reading()
        line = json.dumps({"time": rfc3339(time_us), "temperature": value}) + "\n"
        with contextlib.suppress(BlockingIOError):
            os.write(self._ours, line.encode())
            self.sent += 1

    def close(self) -> None:
        """End and hang up."""
        super().close()
        os.close(self._ours)
        os.close(self._theirs)


class FolderSender(Sender):
    """Puts files into a watched folder; that they are put into `taken` is the promise."""

    def __init__(self, folder: Path, pause_s: float = 0.5) -> None:
        super().__init__("folder", pause_s)
        self.folder = folder
        self._waiting: dict[str, list[int]] = {}

    def send(self) -> None:
        """Put a file there, and look which were taken."""
        rows = [self.reading() for _ in range(20)]
        name = f"{rows[0][0]}.csv"
        beside = self.folder.parent / name
        beside.write_text(_csv_of(rows))
        self._waiting[name] = [at for at, _ in rows]
        beside.rename(self.folder / name)
        self.look()

    def look(self) -> bool:
        """Note what was taken; whether that is all."""
        for name in list(self._waiting):
            if (self.folder / "taken" / name).exists():
                self.promise(*self._waiting.pop(name))
        return not self._waiting


class ImportSender(Sender):
    """Runs imports, some of which are killed in the midst and run again; that one ended well is the
    promise."""

    def __init__(self, folder: Path, store: str, pause_s: float = 0.2) -> None:
        super().__init__("import", pause_s)
        self._folder, self._store = folder, store
        self._chance = random.Random(5)
        self.killed = 0

    def send(self) -> None:
        """Import a file of a thousand rows."""
        rows = [self.reading() for _ in range(1000)]
        file = self._folder / "import.csv"
        file.write_text(_csv_of(rows))
        while not self.enough.is_set():
            process = subprocess.Popen(
                [
                    sys.executable,
                    "-m",
                    "rook_tally",
                    "--store",
                    self._store,
                    "import",
                    str(file),
                    "--station",
                    self.station,
                ],
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            if self._chance.random() < 0.3:
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(self._chance.uniform(0.8, 2.0))
                self.killed += process.poll() is None
                process.kill()
            if process.wait() == 0:
                self.promise(*(at for at, _ in rows))
                return


def _csv_of(rows: list[tuple[int, float]]) -> str:
    lines = [f"{rfc3339(at)},{value}" for at, value in rows]
    return "\n".join(["time,temperature (°C)", *lines]) + "\n"

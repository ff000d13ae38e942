"""A site under test: its collectors, its senders, and what is there in the end."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Self

from benchmarks.faults.senders import HttpSender, MqttSender, Sender
from benchmarks.faults.waiting import repeat_until
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.inspection import verify
from rook_tally.store.readings import read_raw_range
from rook_tally.store.site import add_station, load_site

_STATIONS = ("http", "mqtt", "serial", "folder", "import")
_SETTLED_WITHIN_S = 60.0


@dataclass(frozen=True, slots=True)
class Row:
    """The result of a fault: how many readings were promised, are missing, stand there twice.
    `wrong` lists what else is wrong, `note` says what else there is to tell."""

    fault: str
    rounds: int
    promised: int
    missing: int
    twice: int
    wrong: tuple[str, ...] = ()
    note: str = ""

    @property
    def faults(self) -> int:
        """The number of readings and other things that are wrong."""
        return self.missing + self.twice + len(self.wrong)


@dataclass
class World:
    """A store in a folder, or at a server, with collectors and senders."""

    folder: Path
    where: str = ""
    environment: Mapping[str, str] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)
    collectors: list[CollectorChild] = field(default_factory=list)
    senders: list[Sender] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self.where = self.where or str(self.folder / "site.db")
        store = open_store(self.where)
        with store.write() as connection:
            for key in _STATIONS:
                add_station(connection, key, place="Bench", kind=PLAIN, cadence_s=1)
        store.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        for sender in self.senders:
            sender.enough.set()
        for one in self.collectors:
            one.ended()

    @property
    def collector(self) -> CollectorChild:
        """The newest collector."""
        return self.collectors[-1]

    def start(
        self,
        *,
        broker: str = "builtin:127.0.0.1:0",
        words: Sequence[str] = (),
        environment: Mapping[str, str] | None = None,
        where: str = "",
    ) -> CollectorChild:
        """Start a collector; who posts goes on at it."""
        self.collectors.append(
            CollectorChild(
                where or self.where,
                http="127.0.0.1:0",
                broker=broker,
                words=words,
                environment=self.environment if environment is None else environment,
            )
        )
        for one in self.senders:
            if isinstance(one, HttpSender):
                one.address = self.collector.http
        return self.collector

    def kill(self, one: CollectorChild | None = None) -> None:
        """SIGKILL to a collector, the newest if none is named."""
        killed = one or self.collector
        killed.process.kill()
        killed.ended()
        self.collectors.remove(killed)

    def send(self, *senders: Sender) -> None:
        """Begin to send."""
        for one in senders:
            self.senders.append(one)
            one.start()

    def send_usual(self) -> None:
        """Begin to send over HTTP and MQTT."""
        assert self.collector.mqtt is not None
        self.send(HttpSender(self.collector.http), MqttSender(self.collector.mqtt))

    def sent(self, more: int, within_s: float = 60.0) -> bool:
        """Wait until each sender has been promised so many more readings."""
        wanted = {id(one): len(one.promised) + more for one in self.senders}
        return repeat_until(
            lambda: all(len(one.promised) >= wanted[id(one)] for one in self.senders), within_s
        )

    def has_been_promised(self, readings: int) -> bool:
        """Tell whether collectors have acknowledged so many readings of all senders together."""
        return sum(len(one.promised) for one in self.senders) >= readings

    def check_health(self, one: CollectorChild | None = None) -> None:
        """A collector has to say that it is well, within a while."""
        told: list[str] = []

        def is_well() -> bool:
            told[:] = [self.health(one or self.collector)]
            return told[0] == "ok"

        if not repeat_until(is_well, _SETTLED_WITHIN_S):
            self.wrong.append(f"not well: {told[0]}")

    @staticmethod
    def health(one: CollectorChild) -> str:
        """Return "ok" if a collector says that it is well, else what it says."""
        try:
            with urllib.request.urlopen(f"http://{one.http}/v1/health", timeout=15) as answer:
                return "ok" if json.load(answer)["status"] == "ok" else "not ok"
        except urllib.error.HTTPError as error:
            return error.read().decode()
        except (OSError, ValueError) as error:
            return str(error)

    def row(
        self,
        fault: str,
        rounds: int,
        *,
        note: str = "",
        forgiven: Mapping[str, set[int]] | None = None,
    ) -> Row:
        """End the senders, let what is on its way come in, and compare; `forgiven` are times whose
        loss is told in docs/wire.md, by station."""
        for one in self.senders:
            one.close()
        if self.collectors:
            self.check_health()
        promised = {one.station: set(one.promised) for one in self.senders}
        for station, times in (forgiven or {}).items():
            promised[station] -= times
        kept: dict[str, list[int]] = {}

        def is_all_there() -> bool:
            kept.clear()
            kept.update(self._kept())
            return all(times <= set(kept.get(key, [])) for key, times in promised.items())

        # What a broker holds may take long to come in; as long as more comes, nothing is lost.
        there = -1
        while sum(map(len, kept.values())) > there:
            there = sum(map(len, kept.values()))
            if repeat_until(is_all_there, _SETTLED_WITHIN_S):
                break
        if forgiven is not None:
            lost = sum(len(times - set(kept.get(key, []))) for key, times in forgiven.items())
            note += f"; {lost} of them were"
        for child in self.collectors:
            code = _code_of(child)
            if code:
                self.wrong.append(f"a collector ended with {code}")
        self.collectors.clear()
        self._check_store()
        return Row(
            fault,
            rounds,
            sum(map(len, promised.values())),
            sum(len(times - set(kept.get(key, []))) for key, times in promised.items()),
            sum(len(there) - len(set(there)) for there in kept.values()),
            tuple(self.wrong),
            note,
        )

    def _kept(self) -> dict[str, list[int]]:
        store = open_store(self.where)
        try:
            with store.read() as connection:
                kept: dict[str, list[int]] = {}
                for one in load_site(connection).series:
                    times = read_raw_range(connection, one.id, 0, 2**62).time_us
                    kept.setdefault(one.station.key, []).extend(times.tolist())
                return kept
        except StoreError:
            return {}
        finally:
            store.close()

    def _check_store(self) -> None:
        store = open_store(self.where)
        self.wrong += [f"damaged: {one}" for one in verify(store).damage]
        store.close()


def _code_of(child: CollectorChild) -> int:
    child.ended()
    return int(child.process.returncode)

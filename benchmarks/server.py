"""A store on PostgreSQL with one, two and four collectors: what they take in together, and who has
the processors meanwhile; beside as many bare writers of the same rows."""

from __future__ import annotations

import contextlib
import itertools
import multiprocessing
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from benchmarks.faults.postgres import Cluster, cluster
from benchmarks.http_door import post_rate, tables
from benchmarks.idle import cpu_with_children_s
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station

COLLECTORS = (1, 2, 4)
_BODIES, _READINGS_A_BODY, _CONNECTIONS = 240, 100, 16

_BARE = """
import sys, psycopg
url, number, batches, rows = sys.argv[1], *map(int, sys.argv[2:])
store = psycopg.connect(url)
store.execute("CREATE TABLE IF NOT EXISTS bare (series_id INTEGER NOT NULL, "
    "time_us BIGINT NOT NULL, value FLOAT8 NOT NULL, quality SMALLINT NOT NULL, "
    "PRIMARY KEY (series_id, time_us))")
store.commit()
print("ready", flush=True)
sys.stdin.readline()
for batch in range(batches):
    several = [(number * 100 + at % 80, batch * rows + at // 80, 20.5, 0) for at in range(rows)]
    with store.cursor() as cursor:
        cursor.executemany("INSERT INTO bare VALUES (%s, %s, %s, %s) ON CONFLICT DO NOTHING",
            several)
    store.commit()
"""


@dataclass(frozen=True, slots=True)
class ServerShare:
    """Readings a second of all collectors and of as many bare writers; and the processors that all
    had meanwhile, of them the server and the collectors."""

    rate: float
    bare_rate: float
    cores: float
    server_cores: float
    collector_cores: float


def server_shares() -> dict[int, ServerShare]:
    """What so many collectors on one store take in together, by their number."""
    found = {}
    with cluster() as server:
        for count in COLLECTORS:
            name, url = server.new_database()
            bare = _bare_rate(url, count)
            found[count] = _measured(server, url, count, bare)
            server.drop_database(name)
    return found


def _measured(server: Cluster, url: str, count: int, bare_rate: float) -> ServerShare:
    with open_store(url) as store, store.write() as connection:
        for at in range(_CONNECTIONS * count):
            add_station(connection, f"bench-{at}", place="Bench", kind=PLAIN, cadence_s=1)
    with contextlib.ExitStack() as stack:
        several = [
            stack.enter_context(CollectorChild(url, http="127.0.0.1:0", broker="off"))
            for _ in range(count)
        ]
        ports = [int(one.http.rpartition(":")[2]) for one in several]
        context = multiprocessing.get_context("spawn")
        with context.Pool(count) as senders:
            _send(senders.starmap, ports, _CONNECTIONS)
            pids = [one.process.pid for one in several]
            before = cpu_with_children_s(server.process.pid), sum(map(cpu_with_children_s, pids))
            busy, began = _busy_s(), time.perf_counter()
            _send(senders.starmap, ports, _BODIES)
            took_s = time.perf_counter() - began
            cores = (_busy_s() - busy) / took_s
            after = cpu_with_children_s(server.process.pid), sum(map(cpu_with_children_s, pids))
    rate = count * _BODIES * _READINGS_A_BODY / took_s
    of_server, of_collectors = ((b - a) / took_s for a, b in zip(before, after, strict=True))
    return ServerShare(rate, bare_rate, cores, of_server, of_collectors)


def _send(starmap: object, ports: list[int], bodies: int) -> None:
    assert callable(starmap)
    begun_s = time.time() - 6 * 3600
    starmap(_post_to, [(port, at, bodies, begun_s) for at, port in enumerate(ports)])


def _post_to(port: int, at: int, bodies: int, begun_s: float) -> float:
    moments: Iterator[float] = (begun_s + number / 10 for number in itertools.count())
    return post_rate(port, bodies, tables(moments), first=at * _CONNECTIONS)


def _bare_rate(url: str, count: int) -> float:
    """Rows a second of as many bare writers, a commit for what sixteen connections bring."""
    rows = _CONNECTIONS * _READINGS_A_BODY
    batches = _BODIES // _CONNECTIONS
    plain = url.replace("postgresql+psycopg", "postgresql")
    with contextlib.ExitStack() as stack:
        writers = [
            stack.enter_context(
                subprocess.Popen(
                    [sys.executable, "-c", _BARE, plain, str(at), str(batches), str(rows)],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    text=True,
                )
            )
            for at in range(count)
        ]
        for one in writers:
            assert one.stdout is not None
            one.stdout.readline()
        began = time.perf_counter()
        for one in writers:
            assert one.stdin is not None
            one.stdin.write("\n")
            one.stdin.flush()
        for one in writers:
            one.wait()
        return count * batches * rows / (time.perf_counter() - began)


def _busy_s() -> float:
    """Processor time that this machine has spent on anything, s."""
    user, nice, system, *_ = map(int, Path("/proc/stat").read_text().split()[1:5])
    return (user + nice + system) / os.sysconf("SC_CLK_TCK")

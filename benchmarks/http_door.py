"""What the HTTP door takes a second, beside the least that keeps the same rows: aiohttp, a plain
parse, and one durable commit for all that wait."""

from __future__ import annotations

import asyncio
import itertools
import json
import random
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from benchmarks.bare_store import OPENING
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station

_CONNECTIONS, _ROUNDS = 16, 5
_REQUESTS, _HUNDREDS, _ROWS = 1_600, 480, 20
_FIELDS = ("temperature", "humidity", "co2", "pressure", "voltage")
_LATE_S = 2 * 3600

BARE = f"""{OPENING}
import asyncio, json
from concurrent.futures import ThreadPoolExecutor
from aiohttp import web

ids, waiting, thread = {{}}, [], ThreadPoolExecutor(1)

async def commit():
    while True:
        await asyncio.sleep(0)
        if not waiting:
            moved.clear()
            await moved.wait()
        batch, waiting[:] = list(waiting), []
        rows = [row for rows, _ in batch for row in rows]
        await asyncio.get_running_loop().run_in_executor(thread, write, rows)
        for _, done in batch:
            done.set_result(None)

def rows_of(station, body):
    def series(name):
        return ids.setdefault((station, name), len(ids))
    if body[:1] == b"{{":
        values = json.loads(body)
        time_us = round(values.pop("time") * 1e6)
        return [(series(name), time_us, value, 0) for name, value in values.items()]
    head, *lines = body.decode().splitlines()
    names = [series(name) for name in head.split(",")[1:]]
    found = []
    for line in lines:
        time, *values = line.split(",")
        time_us = round(float(time) * 1e6)
        found += [(at, time_us, float(value), 0) for at, value in zip(names, values)]
    return found

async def post(request):
    body = await request.read()
    rows = rows_of(request.query["station"], body)
    done = asyncio.get_running_loop().create_future()
    waiting.append((rows, done))
    moved.set()
    await done
    return web.json_response({{"kept": len(rows)}})

async def main():
    global moved
    moved = asyncio.Event()
    writing = asyncio.create_task(commit())
    app = web.Application()
    app.router.add_post("/v1/readings", post)
    runner = web.AppRunner(app, access_log=None)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    print(site._server.sockets[0].getsockname()[1], flush=True)
    await writing

asyncio.run(main())
"""

Bodies = Callable[[int], Iterator[tuple[bytes, bytes]]]
"""Bodies of one connection with their content types, by its number."""


def http_rates(folder: Path) -> dict[str, tuple[list[float], list[float]]]:
    """Rates of ours and of what limits it, a second, in turn.

    `http` and `http.hundred` (readings a second, in bodies of a hundred) stand beside the bare
    server; signals that jump, are sent twice and come two hours late beside our own calm one.
    """
    told: dict[str, tuple[list[float], list[float]]] = {}

    def note(name: str, ours: float, limit: float) -> None:
        rates = told.setdefault(name, ([], []))
        rates[0].append(ours)
        rates[1].append(limit)

    # What is sent now, by clocks that are right; and what was stored for hours and is sent at last,
    # a reading every 10 s, while the same stations send as well what they read now.
    now = _moments_now()
    begun_s = round(time.time())
    stored = (begun_s - _LATE_S + 10 * at / _CONNECTIONS for at in itertools.count())
    earlier = (begun_s - 6 * 3600 + at / 10 for at in itertools.count())
    per_body = _ROWS * len(_FIELDS)

    def hundreds(port: int) -> float:
        return per_body * post_rate(port, _HUNDREDS, tables(earlier), first=_CONNECTIONS)

    with _ours(folder) as port, _bare(folder) as bare_port:
        for warm in (port, bare_port):
            _rate(warm, _REQUESTS, _calm(now))
            hundreds(warm)
        for _ in range(_ROUNDS):
            calm = _rate(port, _REQUESTS, _calm(now))
            note("http", calm, _rate(bare_port, _REQUESTS, _calm(now)))
            note("http.hundred", hundreds(port), hundreds(bare_port))
            note("http.jumping", _rate(port, _REQUESTS, _jumping(now)), calm)
            note("http.resent", _rate(port, _REQUESTS, _twice(now)), calm)
            note("http.late", _rate(port, _REQUESTS, _calm(stored)), calm)
    return told


def _moments_now() -> Iterator[float]:
    while True:
        yield round(time.time(), 6)


@contextmanager
def _ours(folder: Path) -> Iterator[int]:
    where = str(folder / "http.db")
    with open_store(where) as store, store.write() as connection:
        for at in range(2 * _CONNECTIONS):
            add_station(connection, f"bench-{at}", place="Bench", kind=PLAIN, cadence_s=1)
    with CollectorChild(where, http="127.0.0.1:0", broker="off") as collector:
        yield int(collector.http.rpartition(":")[2])


@contextmanager
def _bare(folder: Path) -> Iterator[int]:
    with subprocess.Popen(
        [sys.executable, "-c", BARE, str(folder / "bare.db")], stdout=subprocess.PIPE, text=True
    ) as server:
        assert server.stdout is not None
        yield int(server.stdout.readline())
        server.terminate()


def _calm(moments: Iterator[float]) -> Bodies:
    """Five values of a moment, as a sensor in a quiet room has them."""

    def bodies(at: int) -> Iterator[tuple[bytes, bytes]]:
        for number in itertools.count(at):
            yield _object(next(moments), 600 + number % 40), b"application/json"

    return bodies


def _jumping(moments: Iterator[float]) -> Bodies:
    """The same of a signal that jumps with every reading."""
    chance = random.Random(1)

    def bodies(_at: int) -> Iterator[tuple[bytes, bytes]]:
        while True:
            yield _object(next(moments), chance.randrange(400, 4_000)), b"application/json"

    return bodies


def _twice(moments: Iterator[float]) -> Bodies:
    """Each message again, as after an answer that was lost."""

    def bodies(at: int) -> Iterator[tuple[bytes, bytes]]:
        for body in _calm(moments)(at):
            yield body
            yield body

    return bodies


def tables(moments: Iterator[float]) -> Bodies:
    """What was stored for a while: twenty moments of five values, as CSV."""

    def bodies(_at: int) -> Iterator[tuple[bytes, bytes]]:
        while True:
            rows = [
                f"{next(moments)},21.5,50.25,{600 + at % 40},1013.25,3.31" for at in range(_ROWS)
            ]
            yield "\n".join([",".join(("time", *_FIELDS)), *rows]).encode(), b"text/csv"

    return bodies


def _object(time_s: float, co2: float) -> bytes:
    values = (21.5, 50.25, co2, 1013.25, 3.31)
    told = dict(zip(_FIELDS, values, strict=True))
    return json.dumps({"time": time_s, **told}).ljust(150).encode()


def _rate(port: int, count: int, bodies: Bodies) -> float:
    """Requests a second over so many connections kept alive, each a station of its own."""
    return post_rate(port, count, bodies)


def post_rate(port: int, count: int, bodies: Bodies, *, first: int = 0) -> float:
    """The same by stations that are numbered from another one on."""
    return asyncio.run(_post(port, count, bodies, first))


async def _post(port: int, count: int, bodies: Bodies, first: int) -> float:
    numbers = iter(range(count))

    async def send(at: int) -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        for _, (body, form) in zip(numbers, bodies(at), strict=False):
            writer.write(
                b"POST /v1/readings?station=bench-%d HTTP/1.1\r\nHost: 127.0.0.1\r\n"
                b"Content-Type: %s\r\nContent-Length: %d\r\n\r\n%s"
                % (first + at, form, len(body), body)
            )
            head = await reader.readuntil(b"\r\n\r\n")
            length = int(head.lower().partition(b"content-length: ")[2].partition(b"\r")[0])
            await reader.readexactly(length)
        writer.close()

    began = time.perf_counter()
    await asyncio.gather(*map(send, range(_CONNECTIONS)))
    return count / (time.perf_counter() - began)

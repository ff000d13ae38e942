"""How a store grows: stations and years, from a few to more than anybody has; each size asked by a
process of its own."""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Any, Protocol

import msgspec
import numpy as np
import sqlalchemy as sa

from benchmarks.archive import BEGIN_US, spent_ms, temperature_like
from benchmarks.desk import read_and_decode
from benchmarks.faults.postgres import Cluster
from rook_tally.clock import now_us
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.page_codec import decode_groups
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.store.base import Credentials, Store, schema
from rook_tally.store.base.raw_sql import executed, executed_many
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import (
    NewReading,
    append_readings,
    append_sealed,
    envelopes,
    history_of,
    moment_of,
)
from rook_tally.store.readings.summaries import FORTNIGHT_US
from rook_tally.store.site import Series, Site, add_station, load_site
from rook_tally.store.site.configuration import insert_series

MONTH, YEAR = 30, 365
SIZES = (
    *((10, days) for days in (MONTH, YEAR, 5 * YEAR, 20 * YEAR)),
    *((100, days) for days in (MONTH, YEAR, 5 * YEAR)),
    *((1_000, days) for days in (MONTH, YEAR)),
    (5_000, MONTH),
)
"""Stations of five series each, and days at 300 s: up to two million pages, some 3 GB."""
SERVER_SIZES = ((10, MONTH), (10, YEAR), (10, 5 * YEAR), (100, MONTH), (100, YEAR), (1_000, MONTH))
"""Those of a store on a server."""

_CADENCE_S, _FRESH_DAYS = 300, 2
_FIELDS = (
    ("temperature", "°C"),
    ("humidity", "%"),
    ("co2", "ppm"),
    ("pressure", "hPa"),
    ("voltage", "V"),
)
_COMMITS, _ROUNDS, _COLUMNS, _SHOWN = 100, 5, 1_200, 8
_REPORTS = 26
_NEWEST = (
    "SELECT s.id, r.time_us, r.value, r.quality FROM "
    "(SELECT id, (SELECT max(time_us) FROM reading WHERE series_id = series.id) AS at "
    "FROM series) s "
    "CROSS JOIN reading r ON r.series_id = s.id AND r.time_us = s.at"
)


class Grown(msgspec.Struct, frozen=True):
    """What a store of some size costs: ms, MB; beside the bare reading of the same rows."""

    open_ms: float
    commit_ms: float
    bare_commit_ms: float
    picture_ms: float
    bare_picture_ms: float
    window_ms: float
    bare_window_ms: float
    scrub_ms: float
    bare_scrub_ms: float
    memory_mb: float
    file_mb: float


def grown(folder: Path, stations: int, days: int) -> Grown:
    """Make a store of so many stations and days, and ask it in a process of its own."""
    place = folder / f"grown-{stations}-{days}.db"
    _fill(place, stations, days)
    # What the system still has to write would be waited for by whoever commits first.
    os.sync()
    words = [sys.executable, "-m", "benchmarks.growth", str(place)]
    done = subprocess.run(words, capture_output=True, text=True, check=True)
    for one in folder.glob(f"{place.name}*"):
        one.unlink()
    return msgspec.json.decode(done.stdout.splitlines()[-1], type=Grown)


def grown_on_server(server: Cluster, stations: int, days: int) -> Grown:
    """The same of a store on a PostgreSQL, beside the driver alone."""
    name, url = server.new_database()
    _fill(url, stations, days)
    words = [sys.executable, "-m", "benchmarks.growth", url]
    done = subprocess.run(words, capture_output=True, text=True, check=True)
    server.drop_database(name)
    return msgspec.json.decode(done.stdout.splitlines()[-1], type=Grown)


def _fill(place: Path | str, stations: int, days: int) -> None:
    end_us = now_us() // (_CADENCE_S * SECOND_US) * _CADENCE_S * SECOND_US
    fresh_us = end_us // DAY_US * DAY_US - _FRESH_DAYS * DAY_US
    store = open_store(place)
    with store.write() as connection:
        for at in range(stations):
            add_station(
                connection,
                f"s{at}",
                place=f"P{at // 10}",
                kind=PLAIN,
                cadence_s=_CADENCE_S,
                # None speaks, and making a key takes long on purpose.
                credentials=Credentials("", ""),
            )
        for one in load_site(connection).stations:
            for name, unit in _FIELDS:
                insert_series(connection, one, field=name, quantity=name, unit=unit)
        series = load_site(connection).series
    made = temperature_like(days, _CADENCE_S)
    moved_us = fresh_us - BEGIN_US - days * DAY_US
    sealed = Readings(made.time_us + moved_us, made.value, made.quality)
    sealed = sealed[: int(np.searchsorted(sealed.time_us, fresh_us))]
    with store.write() as connection:
        append_sealed(connection, history_of(series[0], sealed, before_us=fresh_us))
        _copy_pages(connection, series[0].id)
        moments = np.arange(fresh_us, end_us, _CADENCE_S * SECOND_US).tolist()
        rows = [(at, 20 + number % 17 / 10) for number, at in enumerate(moments)]
        executed(connection, "CREATE TEMP TABLE moment (time_us BIGINT PRIMARY KEY, value FLOAT)")
        executed_many(connection, "INSERT INTO moment VALUES (?, ?)", rows)
        # Series by series, as the table is ordered: many times as fast as moment by moment.
        executed(
            connection,
            "INSERT INTO reading SELECT series.id, time_us, value, 0 "
            "FROM series CROSS JOIN moment ORDER BY series.id, time_us",
        )
    store.close()


def _copy_pages(connection: sa.Connection, series_id: int) -> None:
    """The same pages under every other series: reading them costs the same."""
    for table in schema.PAGES:
        rest = [column for column in table.c if column.name != "series_id"]
        copied = (
            sa.select(schema.series.c.id, *rest)
            .select_from(schema.series.join(table, table.c.series_id == series_id))
            .where(schema.series.c.id != series_id)
        )
        names = ["series_id", *(column.name for column in rest)]
        connection.execute(sa.insert(table).from_select(names, copied))


class _Bare(Protocol):
    """A driver alone, asked in the words of SQLite's."""

    def execute(self, statement: str, values: Sequence[Any] = ..., /) -> Any:
        """Run a statement; its rows can be iterated and fetched."""
        ...


class _Psycopg:
    """PostgreSQL's driver, asked in those words."""

    def __init__(self, url: str, *, autocommit: bool) -> None:
        import psycopg

        plain = url.replace("postgresql+psycopg", "postgresql")
        self.connection = psycopg.connect(plain, autocommit=autocommit)

    def execute(self, statement: str, values: Sequence[Any] = ()) -> Any:
        """Run a statement."""
        # Which of two tables comes first PostgreSQL finds out by itself.
        words = statement.replace("?", "%s").replace("CROSS JOIN reading", "JOIN reading")
        return self.connection.execute(words.encode(), values)


@contextlib.contextmanager
def _driver(address: str) -> Iterator[_Bare]:
    """The driver of a store's database alone."""
    if "://" in address:
        server = _Psycopg(address, autocommit=True)
        yield server
        server.connection.close()
        return
    with contextlib.closing(sqlite3.connect(address)) as file:
        yield file


def _size_mb(bare: _Bare, address: str) -> float:
    if "://" in address:
        (size,) = bare.execute("SELECT pg_database_size(current_database())").fetchone()
        return int(size) / 1e6
    return Path(address).stat().st_size / 1e6


def _asked(address: str) -> Grown:
    """All of it, of the store at an address."""
    with _driver(address) as bare:
        return _asked_beside(bare, address)


def _asked_beside(bare: _Bare, address: str) -> Grown:
    from rook_tally.desk.data.store_feed import read_picture, reports_us, ribbon_window

    began = time.perf_counter()
    store = open_store(address)
    open_ms = (time.perf_counter() - began) * 1000
    at_us = now_us()
    with store.read() as connection:
        site = load_site(connection)
    known = [*site.series]
    past_us = at_us - 20 * DAY_US

    def picture() -> None:
        with store.read() as connection:
            read_picture(connection, at_us, ribbons=False)

    def window() -> None:
        with store.read() as connection:
            envelopes(connection, known[:_SHOWN], at_us - 20 * DAY_US, at_us, _COLUMNS)

    def scrub() -> None:
        with store.read() as connection:
            moment_of(
                connection,
                known,
                past_us,
                window=ribbon_window(past_us),
                columns=96,
                reports_us=reports_us(site),
            )

    pictures, bare_pictures = _in_turn(picture, lambda: _bare_picture(bare, site, at_us))
    shown = [one.id for one in known[:_SHOWN]]
    windows, bare_windows = _in_turn(window, lambda: _bare_window(bare, shown, at_us))
    scrubs, bare_scrubs = _in_turn(scrub, lambda: read_and_decode(bare, past_us))
    told = Grown(
        open_ms,
        *_commit_ms(store, known, at_us, address),
        pictures,
        bare_pictures,
        windows,
        bare_windows,
        scrubs,
        bare_scrubs,
        _resident_mb(),
        _size_mb(bare, address),
    )
    store.close()
    return told


def _in_turn(ours: Callable[[], None], bare: Callable[[], None]) -> tuple[float, float]:
    """Medians of both, ms, after one of each that does not count."""
    times = [(spent_ms(ours), spent_ms(bare)) for _ in range(_ROUNDS + 1)][1:]
    return statistics.median(a for a, _ in times), statistics.median(b for _, b in times)


def _bare_picture(bare: _Bare, site: Site, at_us: int) -> None:
    for name in ("site", "place", "station", "series"):
        bare.execute(f"SELECT * FROM {name}").fetchall()
    bare.execute(_NEWEST).fetchall()
    first = {one.station.id: one.id for one in reversed(site.series)}
    since_us = at_us - _REPORTS * _CADENCE_S * SECOND_US
    for series_id in first.values():
        told = bare.execute(
            "SELECT time_us FROM reading WHERE series_id = ? AND time_us > ?", (series_id, since_us)
        )
        np.array(told.fetchall())


def _bare_window(bare: _Bare, series_ids: list[int], at_us: int) -> None:
    since_us = at_us - 21 * DAY_US
    for series_id in series_ids:
        told = bare.execute(
            "SELECT payload FROM page_fortnight WHERE series_id = ? AND start_us > ? UNION ALL "
            "SELECT payload FROM page_data WHERE series_id = ? AND start_us > ?",
            (series_id, since_us - FORTNIGHT_US, series_id, since_us),
        )
        payloads = [row[0] for row in told]
        values = decode_groups([payloads])[0].value if payloads else np.zeros(_COLUMNS)
        rows = bare.execute(
            "SELECT value FROM reading WHERE series_id = ? AND time_us > ?", (series_id, since_us)
        )
        values = np.concatenate([values, np.array(rows.fetchall()).ravel()])
        np.minimum.reduceat(values, np.linspace(0, len(values) - 1, _COLUMNS).astype(int))


@contextlib.contextmanager
def _bare_commits(address: str) -> Iterator[Callable[[list[tuple[int, float]]], None]]:
    """Commits rows into a table of their own: in a file beside, or on the same server."""
    table = "CREATE TABLE bare_row (at INTEGER PRIMARY KEY, value FLOAT)"
    if "://" in address:
        server = _Psycopg(address, autocommit=False).connection
        server.execute(table)
        server.commit()

        def commit_there(rows: list[tuple[int, float]]) -> None:
            with server.cursor() as cursor:
                cursor.executemany("INSERT INTO bare_row VALUES (%s, %s)", rows)
            server.commit()

        yield commit_there
        server.close()
        return
    with contextlib.closing(sqlite3.connect(f"{address}.bare", isolation_level=None)) as file:
        for pragma in ("journal_mode=WAL", "synchronous=FULL"):
            file.execute(f"PRAGMA {pragma}")
        file.execute(table)

        def commit_here(rows: list[tuple[int, float]]) -> None:
            file.execute("BEGIN IMMEDIATE")
            file.executemany("INSERT INTO bare_row VALUES (?, ?)", rows)
            file.execute("COMMIT")

        yield commit_here


def _commit_ms(store: Store, series: list[Series], at_us: int, address: str) -> tuple[float, float]:
    """The usual durable commit of one station's five readings, and of five bare rows, ms, in
    turn."""
    spent: list[float] = []
    bare_spent: list[float] = []
    with _bare_commits(address) as commit:
        for number in range(_COMMITS):
            rows = [(number * 5 + at, 20.0) for at in range(5)]
            spent.append(spent_ms(partial(_commit, store, series, at_us, number)))
            bare_spent.append(spent_ms(partial(commit, rows)))
    return statistics.median(spent), statistics.median(bare_spent)


def _commit(store: Store, series: list[Series], at_us: int, number: int) -> None:
    first = number % (len(series) // len(_FIELDS)) * len(_FIELDS)
    readings = [
        NewReading(one.id, at_us + number * SECOND_US, 20.0 + number / 10, Quality.GOOD)
        for one in series[first : first + len(_FIELDS)]
    ]
    with store.write() as connection:
        append_readings(connection, readings)


def _resident_mb() -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return 0.0


if __name__ == "__main__":
    sys.stdout.write(json.dumps(msgspec.to_builtins(_asked(sys.argv[1]))) + "\n")

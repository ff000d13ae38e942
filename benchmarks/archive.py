"""How fast the store takes readings and gives them back, and how small it keeps them."""

from __future__ import annotations

import sqlite3
import statistics
import struct
import time
import tracemalloc
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import sqlalchemy as sa

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series import page_codec
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_text
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.opening import LONGEST_LOG_PAGES
from rook_tally.store.readings import (
    NewReading,
    append_readings,
    append_sealed,
    envelopes,
    history_of,
    read_range,
)
from rook_tally.store.site import Series, add_series, add_station, load_site

_BEGIN_US = time_us_from_text("2021-11-23T00:00:00Z")
_YEAR_DAYS = 365


def temperature_like(days: float, cadence_s: float, seed: int = 1) -> Readings:
    """A wandering day's course in steps of 0.01, at a cadence with 20 ms jitter."""
    rng = np.random.default_rng(seed)
    count = round(days * 86_400 / cadence_s)
    jitter = rng.normal(0, 20_000, count).astype(np.int64)
    time_us = _BEGIN_US + np.arange(count, dtype=np.int64) * round(cadence_s * 1e6) + jitter
    course = 3 * np.sin(np.arange(count) * cadence_s / 86_400 * 2 * np.pi)
    wander = np.cumsum(rng.normal(0, 0.004, count))
    return readings_from(np.sort(time_us), np.round(20 + course + 3 * np.tanh(wander / 3), 2))


def store_with(
    folder: Path, name: str, cadence_s: float, series: int
) -> tuple[Store, list[Series]]:
    """A store with so many empty series of one station."""
    store = open_store(folder / f"{name}.db")
    with store.write() as connection:
        add_station(connection, "bench", place="Bench", kind=PLAIN, cadence_s=cadence_s)
        (station,) = load_site(connection).stations
        made = [
            add_series(
                connection, station, field=f"f{at}", quantity=QUANTITIES["temperature"], unit="°C"
            )
            for at in range(series)
        ]
    return store, made


def append_rates(folder: Path) -> tuple[float, float]:
    """Readings a second into the store, and into a bare table of the same shape and pragmas."""
    batches, size = 60, 1_000
    store, series = store_with(folder, "append", 10, 100)
    bare = sqlite3.connect(folder / "bare.db", isolation_level=None)
    for pragma in (
        "journal_mode=WAL",
        "synchronous=FULL",
        "cache_size=-32000",
        "temp_store=MEMORY",
        f"wal_autocheckpoint={LONGEST_LOG_PAGES}",
    ):
        bare.execute(f"PRAGMA {pragma}")
    bare.execute(
        "CREATE TABLE reading (series_id INTEGER NOT NULL, time_us BIGINT NOT NULL, "
        "value FLOAT NOT NULL, quality SMALLINT NOT NULL, PRIMARY KEY (series_id, time_us)) "
        "WITHOUT ROWID"
    )
    ours: list[float] = []
    theirs: list[float] = []
    for batch in range(batches):
        rows = [
            (
                series[at % 100].id,
                _BEGIN_US + batch * 100_000_000 + at // 100 * 10_000_000,
                20 + at / 100,
                0,
            )
            for at in range(size)
        ]
        readings = [NewReading(*row[:3], Quality.GOOD) for row in rows]
        began = time.perf_counter()
        with store.write() as connection:
            append_readings(connection, readings)
        ours.append(time.perf_counter() - began)
        began = time.perf_counter()
        bare.execute("BEGIN IMMEDIATE")
        bare.executemany("INSERT INTO reading VALUES (?,?,?,?)", rows)
        bare.execute("COMMIT")
        theirs.append(time.perf_counter() - began)
    bare.close()
    store.close()
    return size / statistics.median(ours), size / statistics.median(theirs)


def load_ms(folder: Path) -> tuple[float, float]:
    """A year at 10 s into NumPy: from sealed pages, and by scanning a row table, ms each."""
    store, (series,) = store_with(folder, "load", 10, 1)
    year = temperature_like(_YEAR_DAYS, 10)
    end_us = int(year.time_us[-1]) + 1
    with store.write() as connection:
        append_sealed(connection, history_of(series, year, before_us=end_us + DAY_US))
    rows = sqlite3.connect(folder / "rows.db")
    rows.execute(
        "CREATE TABLE reading (series_id INTEGER, time_us BIGINT, value FLOAT, quality SMALLINT, "
        "PRIMARY KEY (series_id, time_us)) WITHOUT ROWID"
    )
    table = zip(
        [1] * len(year), year.time_us.tolist(), year.value.tolist(), [0] * len(year), strict=True
    )
    rows.executemany("INSERT INTO reading VALUES (?,?,?,?)", table)
    rows.commit()

    def from_rows() -> None:
        found = rows.execute(
            "SELECT time_us, value, quality FROM reading WHERE series_id = 1 ORDER BY time_us"
        ).fetchall()
        np.array(found, dtype=[("t", np.int64), ("v", np.float64), ("q", np.uint8)])

    def from_pages() -> None:
        with store.read() as connection:
            assert len(read_range(connection, series.id, 0, end_us)) == len(year)

    ours = min(_spent_ms(from_pages) for _ in range(5))
    theirs = min(_spent_ms(from_rows) for _ in range(2))
    rows.close()
    store.close()
    return ours, theirs


def load_memory(folder: Path) -> tuple[float, float]:
    """Peak of loading five years of one series, and the size of the arrays themselves, MB."""
    store, (series,) = store_with(folder, "memory", 10, 1)
    end_us = _BEGIN_US + 5 * _YEAR_DAYS * DAY_US
    _fill_years(store, [series], 5)
    tracemalloc.start()
    with store.read() as connection:
        readings = read_range(connection, series.id, 0, end_us)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    arrays = readings.time_us.nbytes + readings.value.nbytes + readings.quality.nbytes
    store.close()
    return peak / 1e6, arrays / 1e6


def bytes_a_reading(folder: Path, cadence_s: float) -> float:
    """Size of the store's file a sealed reading, everything included."""
    # Half a million readings each, so that the empty file's own 100 kB weigh alike.
    days = 6 * cadence_s
    store, (series,) = store_with(folder, f"size{cadence_s:g}", cadence_s, 1)
    readings = temperature_like(days, cadence_s)
    with store.write() as connection:
        after_us = int(readings.time_us[-1]) + 2 * DAY_US
        append_sealed(connection, history_of(series, readings, before_us=after_us))
    assert store.path is not None
    path = store.path
    store.close()
    return path.stat().st_size / len(readings)


def demo_history_s(folder: Path) -> float:
    """Ninety days of the whole pottery into an empty store, s."""
    store = open_store(folder / "history.db")
    began = time.perf_counter()
    make_demo_site(store, end_us=_BEGIN_US + 90 * DAY_US, days=90)
    spent_s = time.perf_counter() - began
    store.close()
    return spent_s


WINDOWS = (
    ("1h", HOUR_US),
    ("1d", DAY_US),
    ("30d", 30 * DAY_US),
    ("1y", 365 * DAY_US),
    ("5y", 5 * 365 * DAY_US),
)


def window_p95_ms(folder: Path) -> dict[str, float]:
    """Envelopes of eight series at 1200 columns over windows that end with the newest reading."""
    store, series = store_with(folder, "window", 10, 8)
    _fill_years(store, series, 5)
    end_us = _BEGIN_US + 5 * _YEAR_DAYS * DAY_US
    found = {}
    for name, span_us in WINDOWS:

        def read(span_us: int = span_us) -> None:
            with store.read() as connection:
                envelopes(connection, series, end_us - span_us, end_us, 1200)

        read()
        times = sorted(_spent_ms(read) for _ in range(20))
        found[name] = times[18]
    store.close()
    return found


def slow_window_ms(folder: Path, cadence_s: float) -> dict[str, tuple[float, float]]:
    """Envelopes of eight series of a slow cadence, and the bare reading of the same pages: one
    statement a series, inflating, and the lowest of each column; p95, ms, in turn."""
    store, series = store_with(folder, f"slow{cadence_s:g}", cadence_s, 8)
    _fill_years(store, series, 1, cadence_s)
    end_us = _BEGIN_US + _YEAR_DAYS * DAY_US
    bare = sqlite3.connect(folder / f"slow{cadence_s:g}.db")
    found = {}
    for name, span_us in (("30d", 30 * DAY_US), ("1y", _YEAR_DAYS * DAY_US)):

        def read(span_us: int = span_us) -> None:
            with store.read() as connection:
                envelopes(connection, series, end_us - span_us, end_us, 1200)

        def read_bare(span_us: int = span_us) -> None:
            for one in series:
                rows = bare.execute(
                    "SELECT payload FROM page_data WHERE series_id = ? AND start_us >= ? "
                    "AND start_us < ? ORDER BY start_us",
                    (one.id, end_us - span_us, end_us),
                ).fetchall()
                size = sum(_inflated_size(row[0]) for row in rows)
                values = np.arange(size // 9, dtype=np.float64)
                np.minimum.reduceat(values, np.linspace(0, len(values) - 1, 1200).astype(int))

        read()
        read_bare()
        ours, limit = zip(
            *((_spent_ms(read), _spent_ms(read_bare)) for _ in range(10)), strict=True
        )
        found[name] = (sorted(ours)[8], sorted(limit)[8])
    bare.close()
    store.close()
    return found


def _inflated_size(payload: bytes) -> int:
    """Inflate the columns of a page and do no more with them; returns their bytes."""
    at, size = page_codec._HEADER.size, 0
    while at < len(payload):
        (length,) = struct.unpack_from("<I", payload, at)
        size += len(zlib.decompress(payload[at + 4 : at + 4 + length]))
        at += 4 + length
    return size


def _fill_years(store: Store, series: list[Series], years: int, cadence_s: float = 10) -> None:
    """Five years of pages: one year's readings, moved on by whole years."""
    year = temperature_like(_YEAR_DAYS, cadence_s)
    for at in range(years):
        moved = Readings(year.time_us + at * _YEAR_DAYS * DAY_US, year.value, year.quality)
        with store.write() as connection:
            after_us = int(moved.time_us[-1]) + DAY_US
            append_sealed(connection, history_of(series[0], moved, before_us=after_us))
    with store.write() as connection:
        for other in series[1:]:
            # The same pages under another series: reading them costs the same.
            for table in (schema.page, schema.page_hours, schema.page_data):
                rest = [column for column in table.c if column.name != "series_id"]
                copied = sa.select(sa.literal(other.id), *rest).where(
                    table.c.series_id == series[0].id
                )
                names = ["series_id", *(column.name for column in rest)]
                connection.execute(sa.insert(table).from_select(names, copied))


def _spent_ms(call: Callable[[], None]) -> float:
    began = time.perf_counter()
    call()
    return (time.perf_counter() - began) * 1000

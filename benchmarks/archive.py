"""How fast the store takes readings and gives them back, and how small it keeps them."""

from __future__ import annotations

import sqlite3
import statistics
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import numpy as np
import sqlalchemy as sa

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality, Readings, in_whole_units, readings_from
from rook_tally.core.timestamps import DAY_US, time_us_from_text
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.opening import LONGEST_LOG_PAGES
from rook_tally.store.readings import (
    NewReading,
    append_readings,
    append_sealed,
    history_of,
    read_range,
)
from rook_tally.store.site import Series, add_series, add_station, load_site

BEGIN_US = time_us_from_text("2021-11-23T00:00:00Z")
YEAR_DAYS = 365
_JITTER_US = 20_000


def temperature_like(days: float, cadence_s: float, seed: int = 1) -> Readings:
    """A wandering day's course in steps of 0.01, at a cadence with 20 ms jitter."""
    rng = np.random.default_rng(seed)
    count = round(days * 86_400 / cadence_s)
    jitter = rng.normal(0, _JITTER_US, count).astype(np.int64)
    time_us = BEGIN_US + np.arange(count, dtype=np.int64) * round(cadence_s * 1e6) + jitter
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
                BEGIN_US + batch * 100_000_000 + at // 100 * 10_000_000,
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
    year = temperature_like(YEAR_DAYS, 10)
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

    ours = min(spent_ms(from_pages) for _ in range(5))
    theirs = min(spent_ms(from_rows) for _ in range(2))
    rows.close()
    store.close()
    return ours, theirs


def load_memory(folder: Path) -> tuple[float, float]:
    """Peak of loading five years of one series, and the size of the arrays themselves, MB."""
    store, (series,) = store_with(folder, "memory", 10, 1)
    end_us = BEGIN_US + 5 * YEAR_DAYS * DAY_US
    fill_years(store, [series], 5)
    tracemalloc.start()
    with store.read() as connection:
        readings = read_range(connection, series.id, 0, end_us)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    arrays = readings.time_us.nbytes + readings.value.nbytes + readings.quality.nbytes
    store.close()
    return peak / 1e6, arrays / 1e6


def size_figures(folder: Path, cadence_s: float, unit_us: int = 1) -> tuple[float, float]:
    """Bytes a sealed reading, net of an empty store, and the entropy of what was put in: that of
    the steps between values as they occur, and that of the noise in the times, in the unit that
    they are kept to."""
    empty, _ = store_with(folder, f"empty{cadence_s:g}-{unit_us}", cadence_s, 1)
    store, (series,) = store_with(folder, f"size{cadence_s:g}-{unit_us}", cadence_s, 1)
    readings = in_whole_units(temperature_like(6 * cadence_s, cadence_s), unit_us)
    with store.write() as connection:
        after_us = int(readings.time_us[-1]) + 2 * DAY_US
        append_sealed(connection, history_of(series, readings, before_us=after_us))
    sizes = []
    for one in (empty, store):
        assert one.path is not None
        one.close()
        sizes.append(one.path.stat().st_size)
    steps = np.diff(np.rint(readings.value * 100).astype(np.int64))
    _, counts = np.unique(steps, return_counts=True)
    shares = counts / counts.sum()
    of_values = float(-(shares * np.log2(shares)).sum()) / 8
    of_times = 0.5 * float(np.log2(2 * np.pi * np.e * (_JITTER_US / unit_us) ** 2)) / 8
    return (sizes[1] - sizes[0]) / len(readings), of_values + of_times


def demo_history_s(folder: Path) -> float:
    """Ninety days of the whole pottery into an empty store, s."""
    store = open_store(folder / "history.db")
    began = time.perf_counter()
    make_demo_site(store, end_us=BEGIN_US + 90 * DAY_US, days=90)
    spent_s = time.perf_counter() - began
    store.close()
    return spent_s


def fill_years(store: Store, series: list[Series], years: int, cadence_s: float = 10) -> None:
    """So many years of pages: one year's readings, moved on by whole years."""
    year = temperature_like(YEAR_DAYS, cadence_s)
    for at in range(years):
        moved = Readings(year.time_us + at * YEAR_DAYS * DAY_US, year.value, year.quality)
        with store.write() as connection:
            after_us = int(moved.time_us[-1]) + DAY_US
            append_sealed(connection, history_of(series[0], moved, before_us=after_us))
    with store.write() as connection:
        for other in series[1:]:
            # The same pages under another series: reading them costs the same.
            for table in schema.PAGES:
                rest = [column for column in table.c if column.name != "series_id"]
                copied = sa.select(sa.literal(other.id), *rest).where(
                    table.c.series_id == series[0].id
                )
                names = ["series_id", *(column.name for column in rest)]
                connection.execute(sa.insert(table).from_select(names, copied))


def spent_ms(call: Callable[[], None]) -> float:
    """How long a call takes, ms."""
    began = time.perf_counter()
    call()
    return (time.perf_counter() - began) * 1000

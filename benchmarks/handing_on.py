"""Reports, files, answers and forwards: a month worked out and written; a year of readings as CSV
and Parquet; observations by SensorThings; readings handed on to a broker.

Each beside the bare work in the same run, the two in turn.
"""

from __future__ import annotations

import io
import os
import statistics
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pc
import pyarrow.parquet as pq

from benchmarks.archive import store_with, temperature_like
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.reports.definitions import Report, ReportForm
from rook_tally.core.reports.periods import period_named
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.export.files import export_into
from rook_tally.export.pieces import ExportForm, ExportWish
from rook_tally.reports.writing import bytes_of, make
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, history_of, read_range
from rook_tally.store.site import add_series, add_station, load_site, set_site

_ROUNDS = 5
_SLUGS = ("temperature", "humidity", "co2", "pm25")


def _in_turn(ours: Callable[[], object], bare: Callable[[], object]) -> tuple[float, float]:
    """Medians of both, ms, after one of each that does not count."""
    told: tuple[list[float], list[float]] = ([], [])
    for number in range(_ROUNDS + 1):
        for which, call in enumerate((ours, bare)):
            began = time.perf_counter()
            call()
            if number:
                told[which].append(1000 * (time.perf_counter() - began))
    return statistics.median(told[0]), statistics.median(told[1])


def _pottery(folder: Path) -> Store:
    """Twelve stations of four series at 60 s over sixty days."""
    store = open_store(folder / "report.db")
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="Europe/London")
        for number in range(12):
            add_station(
                connection, f"st-{number}", place=f"Room {number}", kind=PLAIN, cadence_s=60.0
            )
        for station in load_site(connection).stations:
            for slug in _SLUGS:
                unit = QUANTITIES[slug].base.symbol
                add_series(connection, station, field=slug, quantity=QUANTITIES[slug], unit=unit)
        series = load_site(connection).series
    for number, one in enumerate(series):
        told = temperature_like(60, 60, number)
        scaled = readings_from(told.time_us, told.value * (1 + 20 * (one.quantity.slug == "co2")))
        with store.write() as connection:
            append_sealed(
                connection, history_of(one, scaled, before_us=int(told.time_us[-1]) + 2 * DAY_US)
            )
    return store


def report_ms(folder: Path) -> tuple[float, float]:
    """A month of twelve stations, worked out, laid out and written as PDF and HTML, and loading
    what it tells of: that month and the one it is held against."""
    store = _pottery(folder)
    with store.read() as connection:
        series = load_site(connection).series
        first = read_range(connection, series[0].id, 0, 1 << 60).time_us
    end_us = int(first[-1])
    middle = np.datetime64(int(first[len(first) // 2]), "us").astype("datetime64[M]")
    period = period_named(str(middle))
    report = Report(slug="month", name="The month")

    def ours() -> None:
        with store.read() as connection:
            made = make(connection, report, period, now_us=end_us + 90 * DAY_US)
        for form in ReportForm:
            bytes_of(made, form)

    def bare() -> None:
        with store.read() as connection:
            for one in series:
                read_range(connection, one.id, 0, 1 << 60)

    found = _in_turn(ours, bare)
    store.close()
    return found


def export_rates(folder: Path) -> dict[str, tuple[float, float]]:
    """Readings a second of a year at 10 s into CSV and Parquet, and pyarrow writing the same
    arrays."""
    store, (series,) = store_with(folder, "export", 10, 1)
    told = temperature_like(365, 10, 1)
    with store.write() as connection:
        append_sealed(
            connection, history_of(series, told, before_us=int(told.time_us[-1]) + 2 * DAY_US)
        )
    words = {
        "place": series.station.place.name,
        "station": series.station.key,
        "field": series.field,
        "quantity": series.quantity.slug,
        "unit": series.quantity.base.symbol,
        "quality": "good",
    }
    none = pa.array(np.zeros(len(told), np.int32))
    table = pa.table(
        {
            "time": pa.array(told.time_us).cast(pa.timestamp("us", tz="UTC")),
            "value": pa.array(told.value),
            **{
                name: pa.DictionaryArray.from_arrays(none, pa.array([word]))
                for name, word in words.items()
            },
        }
    )

    def write_with(form: ExportForm) -> Callable[[], object]:
        wish = ExportWish((series,), form)
        return lambda: export_into(store.read, wish, io.BytesIO())

    bare = {
        ExportForm.CSV: lambda: pc.write_csv(table, io.BytesIO()),
        ExportForm.PARQUET: lambda: pq.write_table(table, io.BytesIO(), compression="zstd"),
    }
    found = {}
    for form, call in bare.items():
        ours_ms, bare_ms = _in_turn(write_with(form), call)
        found[form.value] = len(told) / ours_ms * 1000, len(told) / bare_ms * 1000
    store.close()
    return found


_BARE_ANSWER = """
import asyncio, sys
from aiohttp import web
BODY = open(sys.argv[1], "rb").read()
async def get(request):
    return web.Response(body=BODY, content_type="application/json")
async def main():
    app = web.Application()
    app.router.add_get("/", get)
    runner = web.AppRunner(app, access_log=None)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    print(site._server.sockets[0].getsockname()[1], flush=True)
    await asyncio.Event().wait()
asyncio.run(main())
"""
_ANSWERS = 30
_THOUSAND = (
    "/sensorthings/v1.1/Datastreams(1)/Observations?$top=1000&$orderby=phenomenonTime%20desc"
)


def things_rates(folder: Path) -> tuple[float, float]:
    """Answers a second of 1,000 Observations of a year at 60 s, and of a bare handler that sends
    the same bytes."""
    store, (series,) = store_with(folder, "things", 60, 1)
    told = temperature_like(365, 60, 1)
    with store.write() as connection:
        append_sealed(
            connection, history_of(series, told, before_us=int(told.time_us[-1]) + 2 * DAY_US)
        )
    where = store.address
    store.close()
    with CollectorChild(where, http="127.0.0.1:0", broker="off") as collector:
        body = folder / "answer.json"
        body.write_bytes(_fetched(f"http://{collector.http}{_THOUSAND}"))
        with subprocess.Popen(
            [sys.executable, "-c", _BARE_ANSWER, str(body)], stdout=subprocess.PIPE, text=True
        ) as bare:
            assert bare.stdout is not None
            address = f"http://127.0.0.1:{int(bare.stdout.readline())}/"
            ours_ms, bare_ms = _in_turn(
                lambda: [_fetched(f"http://{collector.http}{_THOUSAND}") for _ in range(_ANSWERS)],
                lambda: [_fetched(address) for _ in range(_ANSWERS)],
            )
            bare.terminate()
    return _ANSWERS / ours_ms * 1000, _ANSWERS / bare_ms * 1000


def _fetched(address: str) -> bytes:
    with urllib.request.urlopen(address, timeout=60) as answer:
        found: bytes = answer.read()
    return found


def export_memory_mb(folder: Path) -> tuple[float, float]:
    """Peak of a process that exports five years of fifty series at 300 s, MB, and the promised
    300."""
    store, several = store_with(folder, "memory", 300, 50)
    told = temperature_like(5 * 365, 300, 1)
    for one in several:
        with store.write() as connection:
            append_sealed(
                connection, history_of(one, told, before_us=int(told.time_us[-1]) + 2 * DAY_US)
            )
    where = store.address
    store.close()
    peak_mb = 0.0
    for form in ("csv", "parquet"):
        words = ("export", "--format", form, "-o", str(folder / f"all.{form}"))
        process = subprocess.Popen(
            [sys.executable, "-m", "rook_tally", "--store", where, *words],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        _, status, used = os.wait4(process.pid, 0)
        if status:
            raise RookTallyError(f"the export as {form} ended with {status}")
        peak_mb = max(peak_mb, used.ru_maxrss / 1000)
    return peak_mb, 300.0

"""How fast workings are: against hand-written arrays, against loading, and beside new readings."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

import numpy as np

from benchmarks.archive import temperature_like
from rook_tally.core.arrays import FloatArray
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US, time_us_from_text
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.core.workings.checking import Checked, checked
from rook_tally.core.workings.definitions import Working
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, history_of, read_range
from rook_tally.store.site import add_series, add_station, load_site
from rook_tally.store.workings import groups, inputs_of, names_of, save_working

_PAIRS = 3_150_000
_ROUNDS = 5
_BEGIN_US = time_us_from_text("2026-01-01T00:00:00Z")
_STATIONS, _SERIES_EACH, _WORKINGS = 10, 5, 200
_SIMULATED_S = 60


def dew_point_ms() -> tuple[float, float]:
    """A working's dew point over pairs in memory, and the same written out in NumPy, ms each."""
    rng = np.random.default_rng(1)
    times = _BEGIN_US + np.arange(_PAIRS, dtype=np.int64) * 10 * SECOND_US
    warm, damp = rng.uniform(5, 30, _PAIRS), rng.uniform(20, 95, _PAIRS)
    names = SymbolTable(
        [
            NamedSeries(at, QUANTITIES[slug], "Shop", True, "wall", slug, 10.0)
            for at, slug in ((1, "temperature"), (2, "humidity"))
        ],
        QUANTITIES,
    )
    check = checked("dew_point(temperature@shop, humidity@shop)", names)
    ours, bare = [], []
    for _ in range(_ROUNDS):
        inputs = Inputs({1: InputSamples(times, warm), 2: InputSamples(times.copy(), damp)})
        began = time.perf_counter()
        check.program.node.at(inputs, times)
        ours.append(time.perf_counter() - began)
        began = time.perf_counter()
        _written_out(warm, damp)
        bare.append(time.perf_counter() - began)
    return 1000 * statistics.median(ours), 1000 * statistics.median(bare)


def _written_out(t: FloatArray, rh: FloatArray) -> FloatArray:
    g = np.log(rh / 100) + 17.625 * t / (243.04 + t)
    dew: FloatArray = 243.04 * g / (17.625 - g)
    dew[~((t >= -40) & (t <= 50) & (rh > 0) & (rh <= 100) & (dew >= -40))] = np.nan
    return dew


def _site_of_three(folder: Path) -> Store:
    """A year of three series, a reading every 10 s, 60 s and 300 s."""
    store = open_store(folder / "working.db")
    told = (("a", "temperature", 10.0), ("b", "humidity", 60.0), ("c", "pressure", 300.0))
    for seed, (key, slug, cadence_s) in enumerate(told, start=1):
        with store.write() as connection:
            add_station(connection, key, place="Shop", kind=PLAIN, cadence_s=cadence_s)
            station = load_site(connection).station(key)
            assert station is not None
            quantity = QUANTITIES[slug]
            series = add_series(
                connection, station, field=slug, quantity=quantity, unit=quantity.base.symbol
            )
            year = temperature_like(365, cadence_s, seed)
            append_sealed(
                connection, history_of(series, year, before_us=int(year.time_us[-1]) + DAY_US)
            )
    return store


def working_ms(folder: Path) -> tuple[float, float]:
    """A working of three series with cadences of their own over a year, loading and all, and the
    loading of its inputs alone, ms each."""
    store = _site_of_three(folder)
    check = _checked(
        store,
        "mixing_ratio(temperature@shop, humidity@shop, 1000 hPa) * (pressure@shop / 1000 hPa)",
    )
    everything = (0, 1 << 60)
    ours, loading = [], []
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        with store.read() as connection:
            for series_id in check.program.series_ids:
                read_range(connection, series_id, *everything)
        loading.append(time.perf_counter() - began)
        began = time.perf_counter()
        with store.read() as connection:
            inputs = inputs_of(connection, check.program, *everything)
        check.program.worked_out(inputs)
        ours.append(time.perf_counter() - began)
    store.close()
    return 1000 * statistics.median(ours), 1000 * statistics.median(loading)


def _checked(store: Store, formula: str) -> Checked:
    with store.read() as connection:
        return checked(formula, names_of(load_site(connection), groups(connection)))


def live_core_share(folder: Path) -> tuple[float, float]:
    """Share of a core that fifty readings a second take with 200 workings on them, and without:
    processor time of taking a minute of messages in, one by one."""
    shares = []
    for workings in (_WORKINGS, 0):
        store = site_of_fifty(folder / f"live{workings}.db", workings)
        shares.append(core_share(store))
        store.close()
    return shares[0], shares[1]


_QUANTITIES = ("temperature", "humidity", "co2", "pm25", "sound_level")
_FORMULAS = (
    "dew_point(temperature@{place}, humidity@{place})",
    "co2@{place} - 420 ppm",
    "mean(pm25@{place} over 10 min)",
    "temperature@{place} - temperature@{other}",
    "if co2@{place} > 1000 ppm then sound_level@{place} else sound_level@{other}",
    "slope(temperature@{place} over 10 min)",
    "vapour_pressure_deficit(temperature@{place}, humidity@{place})",
    "pm25@{place} / pm25@{other}",
    "highest(sound_level@{place} over 5 min)",
    "absolute_humidity(temperature@{place}, humidity@{other})",
)


def site_of_fifty(path: Path, workings: int) -> Store:
    """Ten stations of five series each, with so many workings on them."""
    store = open_store(path)
    with store.write() as connection:
        for at in range(_STATIONS):
            add_station(connection, f"s{at}", place=f"Room {at}", kind=PLAIN, cadence_s=1.0)
        for station in load_site(connection).stations:
            for slug in _QUANTITIES:
                quantity = QUANTITIES[slug]
                add_series(
                    connection, station, field=slug, quantity=quantity, unit=quantity.base.symbol
                )
    with store.write() as connection:
        for at in range(workings):
            place, other = at % _STATIONS, (at + 3) % _STATIONS
            formula = _FORMULAS[at // _STATIONS % len(_FORMULAS)]
            save_working(
                connection,
                Working(
                    slug=f"w{at}",
                    name=f"Working {at}",
                    formula=formula.format(place=f"room-{place}", other=f"room-{other}"),
                ),
            )
    return store


def core_share(store: Store) -> float:
    """Share of a core that fifty readings a second take."""
    directory, clocks = IntakeSession(), Clocks()
    rng = np.random.default_rng(3)
    begin_us = _BEGIN_US + HOUR_US

    def second(at: int) -> list[Message]:
        messages = []
        for number in range(_STATIONS * _SERIES_EACH):
            station, slug = number % _STATIONS, _QUANTITIES[number // _STATIONS]
            moment = begin_us + at * SECOND_US + number * 20_000
            usual = {"temperature": 20, "humidity": 50, "co2": 700, "pm25": 9, "sound_level": 60}
            value = usual[slug] + rng.normal(0, 0.1)
            body = f'{{"{slug}": {value:.3f}, "time": {moment / 1e6}}}'.encode()
            messages.append(Message("http", "127.0.0.1", body, moment, station=f"s{station}"))
        return messages

    for warm in range(20):
        for message in second(warm):
            receive(store, directory, clocks, [message])
    minute = [second(20 + at) for at in range(_SIMULATED_S)]
    began = time.process_time()
    for messages in minute:
        for message in messages:
            receive(store, directory, clocks, [message])
    return (time.process_time() - began) / _SIMULATED_S

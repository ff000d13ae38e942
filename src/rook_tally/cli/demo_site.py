"""The pottery as a store: its site, its stations and their history."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor

from rook_tally.core.gaps import max_gap_s
from rook_tally.core.readings import Readings, readings_from
from rook_tally.core.registry import QUANTITIES
from rook_tally.core.screening import screened
from rook_tally.core.timestamps import DAY_US
from rook_tally.demo.history import FieldHistory, history
from rook_tally.demo.pottery import LIMITS, SITE_NAME, STATIONS, ZONE_NAME, DemoStation
from rook_tally.demo.remarks import remarks_between
from rook_tally.demo.workings import GROUPS, WORKINGS
from rook_tally.store import (
    SEALED_AFTER_US,
    History,
    Series,
    Store,
    add_series,
    add_station,
    append_sealed,
    bound_workings,
    history_of,
    keep_group,
    keep_remark,
    keep_working,
    load_site,
    set_site,
    work_out_everything,
)

# Starting another process takes as long as making this many days.
_LONG_DAYS = 20.0


def make_demo_site(
    store: Store, *, end_us: int, days: float, progress: Callable[[float], None] | None = None
) -> None:
    """Fill an empty store with the pottery and its last days before a moment."""
    with store.write() as connection:
        set_site(connection, name=SITE_NAME, zone=ZONE_NAME)
        for station in STATIONS:
            add_station(
                connection, station.key, place=station.place, kind=station.kind,
                indoors=station.indoors, cadence_s=station.cadence_s,
            )  # fmt: skip
        stations = {one.key: one for one in load_site(connection).stations}
        series = {
            (station.key, field.name): add_series(
                connection, stations[station.key], field=field.name,
                quantity=QUANTITIES[field.quantity], unit=field.unit,
                limits=LIMITS.get((station.key, field.name)),
            )
            for station in STATIONS
            for field in station.reported
        }  # fmt: skip
        for remark in remarks_between(end_us - round(days * DAY_US), end_us):
            keep_remark(connection, remark)
    tasks = [
        (one, {field.name: series[one.key, field.name] for field in one.reported}, end_us, days)
        for one in STATIONS
    ]
    for done, histories in enumerate(_made(tasks, days), start=1):
        with store.write() as connection:
            for history in histories:
                append_sealed(connection, history)
        if progress is not None:
            progress(done / len(tasks))
    with store.write() as connection:
        # Worked out in the background by whatever collector comes.
        for group in GROUPS:
            keep_group(connection, group)
        for working in WORKINGS:
            keep_working(connection, working)


def work_out_demo(store: Store, *, now_us: int) -> None:
    """Work out everything that is due, at once, as a picture of it needs."""
    with store.read() as connection:
        bound = {
            series.id: (series, one.program)
            for series, one in bound_workings(connection, load_site(connection))
        }
    work_out_everything(store, bound, now_us=now_us)


_Task = tuple[DemoStation, dict[str, Series], int, float]


def _made(tasks: list[_Task], days: float) -> Iterator[list[History]]:
    """The histories of each station, on every core when they are long."""
    if days < _LONG_DAYS:
        yield from map(_histories, tasks)
        return
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        yield from pool.map(_histories, tasks)


def _histories(task: _Task) -> list[History]:
    station, series, end_us, days = task
    return [
        history_of(
            series[told.field.name],
            _screened(told, series[told.field.name]),
            before_us=end_us - SEALED_AFTER_US,
        )
        for told in history(station, end_us, days)
    ]


def _screened(told: FieldHistory, series: Series) -> Readings:
    unit = series.quantity.unit(told.field.unit)
    raw = readings_from(told.time_us, told.value if unit is None else unit.to_base(told.value))
    gap_s = max_gap_s(series.station.cadence_s)
    return Readings(raw.time_us, raw.value, screened(raw, series.quantity, max_gap_s=gap_s))

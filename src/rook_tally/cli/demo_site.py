"""The pottery as a store: its site, its stations and their history."""

from __future__ import annotations

from collections.abc import Callable

from rook_tally.core.gaps import max_gap_s
from rook_tally.core.readings import Readings, readings_from
from rook_tally.core.registry import QUANTITIES
from rook_tally.core.screening import screened
from rook_tally.demo.history import FieldHistory, histories
from rook_tally.demo.pottery import LIMITS, SITE_NAME, STATIONS, ZONE_NAME, DemoStation
from rook_tally.store import (
    SEALED_AFTER_US,
    Series,
    Store,
    add_series,
    add_station,
    append_sealed,
    load_site,
    set_site,
)


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
    for done, (station, fields) in enumerate(histories(end_us, days), start=1):
        _keep(store, station, fields, series, end_us)
        if progress is not None:
            progress(done / len(STATIONS))


def _keep(
    store: Store,
    station: DemoStation,
    fields: list[FieldHistory],
    series: dict[tuple[str, str], Series],
    end_us: int,
) -> None:
    with store.write() as connection:
        for history in fields:
            if not len(history.time_us):
                continue
            one = series[station.key, history.field.name]
            unit = one.quantity.unit(history.field.unit)
            value = history.value if unit is None else unit.to_base(history.value)
            raw = readings_from(history.time_us, value)
            gap_s = max_gap_s(one.station.cadence_s)
            readings = Readings(
                raw.time_us, raw.value, screened(raw, one.quantity, max_gap_s=gap_s)
            )
            append_sealed(connection, one, readings, before_us=end_us - SEALED_AFTER_US)

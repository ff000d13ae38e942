"""Our own export read back: every row says station, field, quantity, unit and quality."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress, counted, unwatched
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.intake.bounds import MOST_AHEAD_US
from rook_tally.intake.files.csv_table import Refused, Table
from rook_tally.store.exchange.csv_rows import HEADER, unguarded
from rook_tally.store.exchange.imports import ImportTarget, NewSeries
from rook_tally.store.site import Site

_QUALITIES = {one.wording: one for one in Quality}


@dataclass
class _Rows:
    """The rows of one field of a station, in their order."""

    quantity: Quantity
    unit: str
    time_us: list[int]
    value: list[float]
    quality: list[Quality]


def is_own_export(table: Table) -> bool:
    """True if a file has the columns of our export."""
    return table.header == HEADER


def own_readings(
    site: Site, table: Table, key: str | None, *, now_us: int, progress: Progress = unwatched
) -> tuple[dict[ImportTarget, Readings], list[Refused]]:
    """The readings of an export by series, as they were kept, some of them yet to be begun.

    Parameters
    ----------
    key
        Of this station only; None for all.

    Raises
    ------
    UsageError
        When a station of the file is not there, or none of it is that station's.
    """
    worked = {one.station.key for one in site.series if one.station.is_worked_out}
    rows: dict[tuple[str, str], _Rows] = {}
    refused: list[Refused] = []
    seen: set[str] = set()
    for line, row in enumerate(counted(table.rows, progress), start=2):
        if not row:
            continue
        if len(row) != len(HEADER):
            refused.append(Refused(line, f"{len(row)} cells where the header has {len(HEADER)}"))
            continue
        cells = dict(zip(HEADER, map(unguarded, row), strict=True))
        seen.add(cells["station"])
        if key not in (None, cells["station"]):
            continue
        try:
            _take(rows, cells, worked, now_us)
        except ValueError as error:
            refused.append(Refused(line, str(error)))
    missing = sorted(one for one in {station for station, _ in rows} if site.station(one) is None)
    if missing or not rows:
        who = ", ".join(missing or sorted(seen)) or "nobody"
        raise UsageError(
            f"there is no station {who}" if missing else f"the file holds readings of {who}",
            kept="nothing was written",
            remedy=f'add it first: rook-tally station add {missing[0]} --place "…"'
            if missing
            else "name one of these with --station",
        )
    return {
        _target_of(site, station, field, found): _in_order(found)
        for (station, field), found in rows.items()
    }, refused


def _take(
    rows: dict[tuple[str, str], _Rows], cells: Mapping[str, str], worked: set[str], now_us: int
) -> None:
    if cells["station"] in worked:
        raise ValueError(f"{cells['station']} is worked out here and not read")
    quantity = QUANTITIES.get(cells["quantity"])
    if quantity is None:
        raise ValueError(f"there is no quantity {cells['quantity']}")
    unit = quantity.unit(cells["unit"]) if cells["unit"] else quantity.base
    if unit is None:
        raise ValueError(f"{cells['unit']} is no unit of {quantity.slug}")
    quality = _QUALITIES.get(cells["quality"])
    if quality is None:
        raise ValueError(f"{cells['quality']!r} is no quality")
    time_us = time_us_from_text(cells["time"])
    if time_us > now_us + MOST_AHEAD_US:
        raise ValueError(f"{cells['time']} lies ahead")
    value = unit.to_base(float(cells["value"]))
    found = rows.setdefault(
        (cells["station"], cells["field"]), _Rows(quantity, unit.symbol, [], [], [])
    )
    if found.quantity != quantity:
        raise ValueError(f"{cells['field']} was {found.quantity.slug} before")
    found.time_us.append(time_us)
    found.value.append(value)
    found.quality.append(quality)


def _in_order(rows: _Rows) -> Readings:
    told = readings_from(rows.time_us, rows.value, rows.quality)
    order = np.argsort(told.time_us, kind="stable")
    last = np.append(np.diff(told.time_us[order]) > 0, True)
    chosen = order[last]
    return Readings(told.time_us[chosen], told.value[chosen], told.quality[chosen])


def _target_of(site: Site, key: str, field: str, rows: _Rows) -> ImportTarget:
    station = site.station(key)
    assert station is not None
    for one in site.series:
        if (one.station.id, one.field) == (station.id, field):
            if one.quantity.slug != rows.quantity.slug:
                raise UsageError(
                    f"{field} of {key} is {one.quantity.slug} here, and {rows.quantity.slug} there",
                    kept="nothing was written",
                    remedy="read it into another station",
                )
            return one
    return NewSeries(station, field, rows.quantity, rows.unit)

"""The newest readings as rows for people and programs: what `latest` prints and serves."""

from __future__ import annotations

import dataclasses

import msgspec
from msgspec import UNSET, UnsetType
from sqlalchemy.engine import Connection

from rook_tally.core.series.corrections import uncertainty_at
from rook_tally.core.timestamps import SECOND_US, rfc3339
from rook_tally.store.readings.query import Latest, latest
from rook_tally.store.site.clock_faults import clock_faults
from rook_tally.store.site.message_counts import MessageCounts, tallies
from rook_tally.store.site.site import Series
from rook_tally.store.site.site_reading import load_site


class LatestRow(msgspec.Struct, frozen=True):
    """One series' newest reading, in the base unit of its quantity.

    `counts` and `clock_ahead_s` (None for a clock that is right) are its station's. `uncertainty`:
    the standard one (k = 1) that the correction in force gives it, left out where it is not known.
    """

    place: str
    station: str
    field: str
    quantity: str
    value: float
    unit: str
    time: str
    quality: str
    level: int
    age_s: float
    counts: MessageCounts = dataclasses.field(default_factory=MessageCounts)
    clock_ahead_s: float | None = None
    uncertainty: float | UnsetType = UNSET


def latest_rows(connection: Connection, *, now_us: int) -> list[LatestRow]:
    """One row a series that has a reading, by place, station and field in their order."""
    site = load_site(connection)
    newest = latest(connection)
    counts, faults = tallies(connection), clock_faults(connection)
    rank = {place.id: position for position, place in enumerate(site.places)}
    ordered = sorted(
        (series for series in site.series if series.id in newest),
        key=lambda one: (rank[one.station.place.id], one.station.id, one.id),
    )
    return [
        LatestRow(
            place=one.station.place.name,
            station=one.station.key,
            field=one.field,
            quantity=one.quantity.slug,
            value=newest[one.id].value,
            unit=one.quantity.base.symbol,
            time=rfc3339(newest[one.id].time_us),
            quality=newest[one.id].quality.wording,
            level=int(_level(one, newest[one.id])),
            age_s=round((now_us - newest[one.id].time_us) / SECOND_US, 3),
            counts=counts.get(one.station.id, MessageCounts()),
            clock_ahead_s=faults[one.station.id].ahead_s if one.station.id in faults else None,
            uncertainty=_sure_to(one, newest[one.id]),
        )
        for one in ordered
    ]


def _level(one: Series, reading: Latest) -> int:
    return int(one.limits.at(reading.time_us).level_of(reading.value))


def _sure_to(one: Series, reading: Latest) -> float | UnsetType:
    told = uncertainty_at(one.calibrations, reading.value, reading.time_us)
    return UNSET if told is None else round(told, 9)

"""Reading the site: its places, stations and series, and what decides their limits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.kinds import PLAIN, Kind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitOrigin, LimitsInForce, limits_in_force
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import (
    PLAIN_SERIES,
    SeriesSettings,
    settled_quantity,
)
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.corrections import Calibrations
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.workings.definitions import Result
from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.site.corrections import calibrations
from rook_tally.store.site.display_units import shown_units, unit_of_result, units_picked
from rook_tally.store.site.kinds import kinds
from rook_tally.store.site.limit_rules import limit_rules
from rook_tally.store.site.plans import plans_of
from rook_tally.store.site.site import WORKED_KIND, Place, Series, Site, Station
from rook_tally.store.site.station_attributes import (
    FIRMWARE,
    OFFLINE,
    STATUS,
    StoredAttribute,
    station_words,
)

# Made once: msgspec falls over when two threads are the first to decode a type.
_LIMITS_DECODER = msgspec.json.Decoder(Limits)

_RESULT_DECODER = msgspec.json.Decoder(Result)

_SERIES_SETTINGS_DECODER = msgspec.json.Decoder(SeriesSettings)

_SETTINGS_DECODER = msgspec.json.Decoder(SiteSettings)


class SiteRules(msgspec.Struct, frozen=True):
    """The limits set for quantities on the site and at its places, what is around a place, and the
    zone whose clocks tell the hours of limits."""

    limits: Mapping[tuple[str, int | None], Limits]
    around: Mapping[int, tuple[tuple[int, str], ...]]
    zone: str


def load_site(connection: Connection) -> Site:
    """The whole configuration; an untouched store gives an unnamed site without places."""
    named = connection.execute(
        sa.select(schema.site.c.name, schema.site.c.zone, schema.site.c.document)
    ).first()
    places = places_of(connection)
    name, zone, document = named if named is not None else ("", "UTC", "{}")
    rules = SiteRules(limit_rules(connection), places_around(places), zone)
    known, words = kinds(connection), station_words(connection)
    stations = {
        row.id: _station(row, places[row.place_id], known, words.get(row.id, {}))
        for row in connection.execute(
            sa.select(schema.station)
            .where(schema.station.c.removed_us.is_(None))
            .order_by(schema.station.c.position, schema.station.c.id)
        ).all()
    }
    units, picked = shown_units(connection), units_picked(connection)
    results = worked_results(connection)
    calibrated = calibrations(connection)
    alike = _Alike(rules)
    series = tuple(
        _worked_series(row, stations[row.station_id], results[row.id], picked, zone)
        if row.id in results
        else _series(
            row,
            stations[row.station_id],
            units.get(row.quantity),
            alike,
            calibrated.get(row.id, ()),
        )
        for row in map(_SeriesRow._make, fetched(connection, _SERIES_ROWS))
        if row.station_id in stations
    )
    reporting = [one for one in stations.values() if not one.is_worked_out]
    other_names = {
        (row.station_id, row.name): row.series_id
        for row in connection.execute(sa.select(schema.field_name)).all()
    }
    table = schema.station_alias
    aliases = {
        row.name: row.station_id
        for row in connection.execute(sa.select(table))
        if row.station_id in stations
    }
    return Site(
        name,
        zone,
        tuple(places.values()),
        tuple(one for one in reporting if one.retired_us is None),
        series,
        other_names,
        _SETTINGS_DECODER.decode(document),
        tuple(one for one in reporting if one.retired_us is not None),
        aliases,
        plans_of(connection),
        any(one.settings.hidden for one in series),
    )


def site_settings(connection: Connection) -> SiteSettings:
    """What is settled for the site as a whole, alone: for who has no time for the rest."""
    document = connection.execute(sa.select(schema.site.c.document)).scalar()
    return _SETTINGS_DECODER.decode(document or "{}")


def places_of(connection: Connection) -> dict[int, Place]:
    """All places in display order, by their ids."""
    order = schema.place.c.position, schema.place.c.id
    return {
        row.id: Place(row.id, row.name, row.indoors, row.parent_id)
        for row in connection.execute(sa.select(schema.place).order_by(*order)).all()
    }


def _station(
    row: sa.Row[Any], place: Place, known: Mapping[str, Kind], words: Mapping[str, StoredAttribute]
) -> Station:
    status, firmware = words.get(STATUS), words.get(FIRMWARE)
    is_offline = status is not None and status.value == OFFLINE
    return Station(
        row.id,
        row.key,
        place,
        # A kind may be deleted; its stations go on with the fields they have.
        known.get(row.kind, PLAIN),
        row.cadence_s,
        row.access_hash,
        row.broker_hash,
        firmware.value if firmware else "",
        status.since_us if status is not None and is_offline else None,
        row.notes,
        row.latitude,
        row.longitude,
        row.kind == WORKED_KIND,
        row.retired_us,
        row.past_of,
        row.maintenance_from_us,
        row.maintenance_to_us,
        row.hangs,
        row.photograph_id,
    )


def _quantity_of(kind: Kind, field: str, slug: str, settings: SeriesSettings) -> Quantity:
    """The quantity of a field, narrowed by its station's kind, and by a person."""
    quantity = QUANTITIES[slug]
    told = kind.field(field)
    if told is None or told.quantity != slug:
        return settled_quantity(quantity, settings)
    if told.accuracy is not None:
        quantity = replace(quantity, accuracy=told.accuracy)
    if told.believable is not None:
        quantity = replace(quantity, believable=told.believable)
    return settled_quantity(quantity, settings)


class _Alike:
    """Quantities and limits of the series of a site: those that nobody settled anything for are
    worked out once for all stations of a kind in a place."""

    def __init__(self, rules: SiteRules) -> None:
        self._rules = rules
        self._known: dict[tuple[str, int, str, str], tuple[Quantity, LimitsInForce]] = {}

    def of(
        self, station: Station, field: str, slug: str, settings: SeriesSettings, own: Limits | None
    ) -> tuple[Quantity, LimitsInForce]:
        """Return the quantity and the limits of a field of a station."""
        if own is not None or settings is not PLAIN_SERIES:
            return self._worked_out(station, field, slug, settings, own)
        key = station.kind.slug, station.place.id, field, slug
        if key not in self._known:
            self._known[key] = self._worked_out(station, field, slug, settings, own)
        return self._known[key]

    def _worked_out(
        self, station: Station, field: str, slug: str, settings: SeriesSettings, own: Limits | None
    ) -> tuple[Quantity, LimitsInForce]:
        quantity = _quantity_of(station.kind, field, slug, settings)
        found = limits_in_force(
            quantity,
            indoors=station.place.indoors,
            own=own,
            rules=self._rules.limits,
            places=self._rules.around[station.place.id],
            zone=self._rules.zone,
        )
        return quantity, found


class _SeriesRow(NamedTuple):
    """A row of the table of series: there may be thousands, and they are read at every change of
    the site."""

    id: int
    station_id: int
    field: str
    quantity: str
    unit: str
    limits: str | None
    document: str


_SERIES_ROWS = f"SELECT {', '.join(_SeriesRow._fields)} FROM series ORDER BY id"


def _series(
    row: _SeriesRow,
    station: Station,
    unit_shown: Unit | None,
    alike: _Alike,
    calibrated: Calibrations,
) -> Series:
    settings = _series_settings(row.document)
    own = None if row.limits is None else _LIMITS_DECODER.decode(row.limits)
    quantity, found = alike.of(station, row.field, row.quantity, settings, own)
    return Series(
        row.id,
        station,
        row.field,
        quantity,
        row.unit,
        found.limits,
        unit_shown,
        found.origin,
        found.place,
        settings,
        calibrated,
    )


def _series_settings(document: str) -> SeriesSettings:
    # Nearly every series has none, and a site may have thousands.
    return PLAIN_SERIES if document == "{}" else _SERIES_SETTINGS_DECODER.decode(document)


def places_around(places: Mapping[int, Place]) -> dict[int, tuple[tuple[int, str], ...]]:
    """(id, name) of each place, then of those around it from the inside out, by its id."""
    found: dict[int, tuple[tuple[int, str], ...]] = {}
    for one in places.values():
        chain: list[tuple[int, str]] = []
        here: Place | None = one
        while here is not None and (here.id, here.name) not in chain:
            chain.append((here.id, here.name))
            here = None if here.parent_id is None else places.get(here.parent_id)
        found[one.id] = tuple(chain)
    return found


def _worked_series(
    row: _SeriesRow, station: Station, result: Result, picked: Mapping[str, str], zone: str
) -> Series:
    quantity, limits = result.quantity, result.quantity.limits.in_zone(zone)
    shown = unit_of_result(quantity, result.unit_shown, picked)
    return Series(
        row.id, station, row.field, quantity, row.unit, limits, shown, LimitOrigin.WORKING
    )


def worked_results(connection: Connection) -> dict[int, Result]:
    """The result of each series of a working, by series id."""
    table = schema.worked.c
    return {
        row.series_id: _RESULT_DECODER.decode(row.result)
        for row in connection.execute(sa.select(table.series_id, table.result))
    }


def site_rules(connection: Connection) -> SiteRules:
    """What decides the limits of a series that is begun."""
    zone = connection.execute(sa.select(schema.site.c.zone)).scalar() or "UTC"
    return SiteRules(limit_rules(connection), places_around(places_of(connection)), zone)

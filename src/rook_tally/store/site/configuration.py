"""Site configuration: the site itself, its places, stations and series."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from difflib import get_close_matches
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import Plan
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.kinds import PLAIN, Kind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitOrigin, LimitsInForce, limits_in_force
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import (
    PLAIN_SERIES,
    SeriesSettings,
    settled_quantity,
)
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.corrections import Calibrations, uncertainty_at
from rook_tally.core.site_settings import SiteSettings, checked_settings
from rook_tally.core.workings.definitions import Result
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import Credentials, credentials_of, new_access_key
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.site.corrections import calibrations
from rook_tally.store.site.display_units import shown_units, unit_of_result, units_picked
from rook_tally.store.site.kinds import kinds
from rook_tally.store.site.limit_rules import limit_rules
from rook_tally.store.site.plans import plans_of
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

WORKED_KIND = "worked out"
"""The kind of the stations that stand for workings; no real kind has a space in its name."""
REMOVED_FIELD_KIND = "removed field"
"""The kind of the rows that keep a field which was removed by itself."""
_KEY_PATTERN = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.:-]{0,99}")


class Place(msgspec.Struct, frozen=True):
    """A room, a bed, a yard, a machine; `parent_id` is the place it is in."""

    id: int
    name: str
    indoors: bool
    parent_id: int | None = None


class Station(msgspec.Struct, frozen=True, gc=False):
    """A box that reports, or in the place of one a working.

    Attributes
    ----------
    access_hash : str or None
        None while it has no access key.
    broker_hash : str or None
        The same key as our broker's password file has it.
    firmware : str
        As it last said; empty when it says none.
    offline_since_us : int or None
        Since when it has been offline by its own word or its will; None while it is not.
    latitude, longitude : float or None
        Degrees, WGS 84.
    is_worked_out : bool
        It stands for a working at its place: its key is the working's name there.
    retired_us : int or None
        Since when nothing is expected of it; None while it is in use.
    past_of : int or None
        Of one that stands for an earlier place: the id of the station that moved on.
    maintenance_from_us, maintenance_to_us : int or None
        Its last maintenance: between them nothing is expected of it.
    hangs : str
        Where it hangs, in words; `photograph_id` is the picture of that.
    """

    id: int
    key: str
    place: Place
    kind: Kind
    cadence_s: float
    access_hash: str | None
    broker_hash: str | None = None
    firmware: str = ""
    offline_since_us: int | None = None
    notes: str = ""
    latitude: float | None = None
    longitude: float | None = None
    is_worked_out: bool = False
    retired_us: int | None = None
    past_of: int | None = None
    maintenance_from_us: int | None = None
    maintenance_to_us: int | None = None
    hangs: str = ""
    photograph_id: int | None = None

    @property
    def maintenance(self) -> tuple[int, int] | None:
        """Its last maintenance, from and to, µs; None when there was none."""
        begin, end = self.maintenance_from_us, self.maintenance_to_us
        return None if begin is None or end is None else (begin, end)

    def is_maintained(self, now_us: int) -> bool:
        """True while it is under maintenance."""
        span = self.maintenance
        return span is not None and span[0] <= now_us < span[1]


class Series(msgspec.Struct, frozen=True, gc=False):
    """One quantity of one station: the field it comes from, its wire unit, its limits.

    `unit_shown` is None for the base unit. `limits_from` says where its limits were set;
    `limits_place` is the place for which they were; `settings` is what a person settled;
    `calibrations` are its corrections where one tells how sure it is.
    """

    id: int
    station: Station
    field: str
    quantity: Quantity
    unit: str
    limits: Limits
    unit_shown: Unit | None = None
    limits_from: LimitOrigin = LimitOrigin.QUANTITY
    limits_place: str = ""
    settings: SeriesSettings = PLAIN_SERIES
    calibrations: Calibrations = ()

    @property
    def colour(self) -> int | None:
        """The colour of its trace, from 1: its own, or that of its kind; None for any."""
        if self.settings.colour is not None:
            return self.settings.colour
        told = self.station.kind.field(self.field)
        return None if told is None else told.colour

    @property
    def shown(self) -> DisplayUnit:
        """Its unit and decimals."""
        return DisplayUnit(self.quantity, self.unit_shown or self.quantity.base)

    def uncertainty_text(self, value: float, at_us: int, shown: DisplayUnit | None = None) -> str:
        """The standard uncertainty of a value at a moment in the unit shown, such as `±0.3`; empty
        where no calibration tells it."""
        told = uncertainty_at(self.calibrations, value, at_us)
        if told is None:
            return ""
        return f"±{(shown or self.shown).difference_figure(told, more=1)}"

    def symbol_beside(self, value: float, at_us: int, shown: DisplayUnit | None = None) -> str:
        """What stands behind a value: its unit, after its uncertainty where that is known."""
        symbol = "" if self.quantity.scale is QuantityScale.STATE else (shown or self.shown).symbol
        return f"{self.uncertainty_text(value, at_us, shown)} {symbol}".strip()


class Site(msgspec.Struct, frozen=True):
    """Everything a store is configured to hold, in display order.

    `stations` are those that report, `retired` those that did; the series of both and of workings
    are among `series`.

    `other_names` are further names of fields on the wire: series id by station id and name;
    `aliases` names that stations went by before: station id by name; `has_hidden` says whether any
    series is not to be shown.
    """

    name: str
    zone: str
    places: tuple[Place, ...]
    stations: tuple[Station, ...]
    series: tuple[Series, ...]
    other_names: Mapping[tuple[int, str], int] = msgspec.field(default_factory=dict)
    settings: SiteSettings = msgspec.field(default_factory=SiteSettings)
    retired: tuple[Station, ...] = ()
    aliases: Mapping[str, int] = msgspec.field(default_factory=dict)
    plans: tuple[Plan, ...] = ()
    has_hidden: bool = False

    @property
    def series_in_use(self) -> Sequence[Series]:
        """The series but those of stations out of use."""
        if not self.retired:
            return self.series
        return [one for one in self.series if one.station.retired_us is None]

    @property
    def series_shown(self) -> Sequence[Series]:
        """The series in use but those that are hidden."""
        if not self.has_hidden:
            return self.series_in_use
        return [one for one in self.series_in_use if not one.settings.hidden]

    def station(self, key: str) -> Station | None:
        """The station with this key, or None."""
        return next((station for station in self.stations if station.key == key), None)


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


def set_site(connection: Connection, *, name: str, zone: str) -> None:
    """Name the site and its time zone.

    Raises
    ------
    UsageError
        When there is no such zone.
    """
    zone_named(zone)
    _write_site(connection, name=name.strip(), zone=zone)


def settle_site(connection: Connection, settings: SiteSettings) -> None:
    """Write down what is settled for the site as a whole.

    Raises
    ------
    UsageError
        When its position or height cannot be.
    """
    document = msgspec.json.encode(checked_settings(settings)).decode()
    _write_site(connection, document=document)


def _write_site(connection: Connection, **values: str) -> None:
    if not connection.execute(sa.update(schema.site).values(**values)).rowcount:
        whole = {"id": 1, "name": "", "zone": machine_zone(), **values}
        connection.execute(sa.insert(schema.site).values(**whole))
    note_change(connection, Subject.SITE)


def zone_named(name: str) -> ZoneInfo:
    """The time zone of an IANA name.

    Raises
    ------
    UsageError
        When there is none; it names those that are alike.
    """
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        alike = get_close_matches(name, available_timezones(), 3)
        raise UsageError(
            f"there is no time zone {name!r}",
            kept="the zone stays as it was",
            remedy="such as " + (" or ".join(alike) if alike else "Europe/London"),
        ) from None


def add_place(connection: Connection, name: str, *, indoors: bool = True) -> int:
    """The id of the place with this name, made at the end of the order when it is new."""
    found = connection.execute(
        sa.select(schema.place.c.id).where(schema.place.c.name == name)
    ).scalar()
    if found is not None:
        return int(found)
    if not name.strip():
        raise UsageError("a place needs a name", remedy='give one, as in --place "Kiln room"')
    position = connection.execute(sa.select(sa.func.count()).select_from(schema.place)).scalar_one()
    inserted = connection.execute(
        sa.insert(schema.place).values(name=name, indoors=indoors, position=position)
    )
    note_change(connection, Subject.SITE)
    return _new_id(inserted)


def add_station(
    connection: Connection,
    key: str,
    *,
    place: str,
    kind: Kind,
    indoors: bool = True,
    cadence_s: float | None = None,
    learns_cadence: bool | None = None,
    credentials: Credentials | None = None,
) -> str:
    """Add a station, and its place when that is new.

    A cadence that is not told begins as the kind's and is learned from what the station sends; so
    is one that is only a guess (`learns_cadence`).
    `credentials` are those of a key that was made elsewhere; a new key is made when left out.

    Returns
    -------
    str
        Its access key. Only a hash is kept, so this is the one time it can be read. Empty with
        `credentials`: whoever made the key has it.

    Raises
    ------
    UsageError
        When the key is taken, or would not fit into a topic or an address.
    """
    check_key_is_free(connection, key)
    access_key = ""
    if credentials is None:
        access_key = new_access_key()
        credentials = credentials_of(access_key)
    position = connection.execute(
        sa.select(sa.func.count()).select_from(schema.station)
    ).scalar_one()
    connection.execute(
        sa.insert(schema.station).values(
            key=key,
            place_id=add_place(connection, place, indoors=indoors),
            kind=kind.slug,
            cadence_s=kind.cadence_s if cadence_s is None else cadence_s,
            learns_cadence=cadence_s is None if learns_cadence is None else learns_cadence,
            access_hash=credentials.access_hash or None,
            broker_hash=credentials.broker_hash or None,
            position=position,
        )
    )
    note_change(connection, Subject.SITE)
    return access_key


def check_key_is_free(connection: Connection, key: str) -> None:
    """Nothing, if a station may go by this key.

    Raises
    ------
    UsageError
        When it is taken, now or as the former key of a station, or cannot be one.
    """
    if not _KEY_PATTERN.fullmatch(key):
        raise UsageError(
            f"{key!r} cannot be a station's key",
            remedy="use letters, digits, and _ . : - after the first, at most 100",
        )
    table, alias = schema.station, schema.station_alias
    found = connection.execute(
        sa.select(table.c.retired_us).where(table.c.key == key, table.c.removed_us.is_(None))
    ).first()
    if found is not None:
        raise UsageError(
            f"there is a station {key!r} already" + (", retired" if found[0] is not None else ""),
            kept="it was left as it is",
            remedy="choose another key",
        )
    known_as = connection.execute(
        sa.select(table.c.key)
        .join(alias, alias.c.station_id == table.c.id)
        .where(alias.c.name == key, table.c.removed_us.is_(None))
    ).scalar()
    if known_as is not None:
        raise UsageError(
            f"{known_as} went by {key!r} before, and is still known by it",
            kept="it was left as it is",
            remedy="choose another key, or drop that one first",
        )


def renew_access_key(connection: Connection, station: Station) -> str:
    """Give a station another access key, returned this once; the one before opens nothing."""
    access_key = new_access_key()
    made = credentials_of(access_key)
    connection.execute(
        sa.update(schema.station)
        .where(schema.station.c.id == station.id)
        .values(access_hash=made.access_hash, broker_hash=made.broker_hash)
    )
    note_change(connection, Subject.SITE)
    return access_key


def describe_station(
    connection: Connection,
    station: Station,
    *,
    notes: str,
    latitude: float | None,
    longitude: float | None,
) -> None:
    """Write down what a person says of a station and where it stands.

    Raises
    ------
    UsageError
        When the coordinates are none on Earth, or one is missing.
    """
    if (latitude is None) != (longitude is None):
        raise UsageError("a position needs both coordinates", remedy="give latitude and longitude")
    if not -90 <= (latitude or 0.0) <= 90 or not -180 <= (longitude or 0.0) <= 180:
        raise UsageError(
            f"{latitude:g}, {longitude:g} is nowhere on Earth",
            remedy="latitude −90 to 90, longitude −180 to 180",
        )
    connection.execute(
        sa.update(schema.station)
        .where(schema.station.c.id == station.id)
        .values(notes=notes, latitude=latitude, longitude=longitude)
    )
    note_change(connection, Subject.SITE)


class SiteRules(msgspec.Struct, frozen=True):
    """The limits set for quantities on the site and at its places, what is around a place, and the
    zone whose clocks tell the hours of limits."""

    limits: Mapping[tuple[str, int | None], Limits]
    around: Mapping[int, tuple[tuple[int, str], ...]]
    zone: str


def site_rules(connection: Connection) -> SiteRules:
    """What decides the limits of a series that is begun."""
    zone = connection.execute(sa.select(schema.site.c.zone)).scalar() or "UTC"
    return SiteRules(limit_rules(connection), places_around(places_of(connection)), zone)


def add_series(
    connection: Connection,
    station: Station,
    *,
    field: str,
    quantity: Quantity,
    unit: str,
    limits: Limits | None = None,
    rules: SiteRules | None = None,
) -> Series:
    """Begin a series for a field of a station; `limits` None means those of its place. `rules`
    are what limits are set on the site, read anew when they are not given."""
    made = insert_series(
        connection, station, field=field, quantity=quantity.slug, unit=unit, limits=limits
    )
    known = site_rules(connection) if rules is None else rules
    found = limits_in_force(
        quantity,
        indoors=station.place.indoors,
        own=limits,
        rules=known.limits,
        places=known.around[station.place.id],
        zone=known.zone,
    )
    return Series(
        made, station, field, quantity, unit, found.limits, None, found.origin, found.place
    )


def insert_series(
    connection: Connection,
    station: Station,
    *,
    field: str,
    quantity: str,
    unit: str,
    limits: Limits | None = None,
    settings: SeriesSettings = PLAIN_SERIES,
) -> int:
    """Begin a series; its id. Nothing is read, so that many can be begun at once."""
    inserted = connection.execute(
        sa.insert(schema.series).values(
            station_id=station.id,
            field=field,
            quantity=quantity,
            unit=unit,
            limits=None if limits is None else msgspec.json.encode(limits).decode(),
            document=msgspec.json.encode(settings).decode(),
        )
    )
    note_change(connection, Subject.SERIES)
    return _new_id(inserted)


def continue_field(connection: Connection, station: Station, name: str, series_id: int) -> None:
    """Let what a station sends under this name from now on belong to a series it has."""
    table = schema.field_name
    connection.execute(
        sa.delete(table).where(table.c.station_id == station.id, table.c.name == name)
    )
    connection.execute(
        sa.insert(table).values(station_id=station.id, name=name, series_id=series_id)
    )
    note_change(connection, Subject.SITE)


def _new_id(inserted: sa.CursorResult[tuple[object, ...]]) -> int:
    key = inserted.inserted_primary_key
    assert key is not None
    return int(key[0])

"""Writing the site down: its name and zone, places, stations and series."""

from __future__ import annotations

import re
from difflib import get_close_matches
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import limits_in_force
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.series_settings import PLAIN_SERIES, SeriesSettings
from rook_tally.core.site_settings import SiteSettings, checked_settings
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import Credentials, credentials_of, new_access_key
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.site.site import Series, Station
from rook_tally.store.site.site_reading import SiteRules, site_rules

_KEY_PATTERN = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.:-]{0,99}")


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


# Written out: a thousand stations that are heard for the first time begin five thousand.
_INSERT_SERIES = (
    "INSERT INTO series (station_id, field, quantity, unit, limits, document) "
    "VALUES (?, ?, ?, ?, ?, ?) RETURNING id"
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
    own = None if limits is None else msgspec.json.encode(limits).decode()
    document = msgspec.json.encode(settings).decode()
    values = (station.id, field, quantity, unit, own, document)
    ((made,),) = fetched(connection, _INSERT_SERIES, values)
    note_change(connection, Subject.SERIES)
    return int(made)


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

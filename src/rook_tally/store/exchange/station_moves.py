"""Stations that stand elsewhere from a moment on, and boxes that take the place of others: what
becomes of their readings."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.remarks import Remark
from rook_tally.core.series.corrections import Correction
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change, note_readings
from rook_tally.store.base.credentials import credentials_of, new_access_key
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.append import append_history
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.removal import remove_stretch
from rook_tally.store.readings.thinned import thinned_days
from rook_tally.store.site.configuration import add_place, check_key_is_free, zone_named
from rook_tally.store.site.corrections import add_correction, corrections_of
from rook_tally.store.site.remarks import save_remark
from rook_tally.store.site.site import Series, Station
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.station_lives import name_station

_FOREVER_US = 2**62
_OF_STATION = (
    schema.heard,
    schema.station_word,
    schema.firmware_update,
    schema.tally,
    schema.station_alias,
    schema.plan_mark,
    schema.clock_fault,
    schema.field_name,
)
_KEPT = "the station stays as it was"


def move_from(
    connection: Connection, station: Station, place: str, from_us: int, *, now_us: int
) -> str:
    """Let a station stand at another place from a moment on. Its earlier readings stay at the old
    place, as those of a station out of use; returns the key of that.

    Raises
    ------
    UsageError
        When it stands there already, the moment is to come, or readings since then were thinned.
    """
    if from_us > now_us:
        raise UsageError("that moment is to come", kept=_KEPT, remedy="give one that has been")
    if place.strip() == station.place.name:
        raise UsageError(f"{station.key} stands there", kept=_KEPT, remedy="name another place")
    site = load_site(connection)
    mine = [one for one in site.series if one.station.id == station.id]
    if thinned_days(connection, [one.id for one in mine], from_us, _FOREVER_US):
        raise UsageError(
            "readings since then were thinned, and cannot be told apart any more",
            kept=_KEPT,
            remedy="give a later moment, or move the station with all its past",
        )
    day = datetime_from_time_us(from_us).astimezone(zone_named(site.zone))
    past = _begin_past(connection, station, f"{station.key}.until-{day:%Y-%m-%d}", from_us)
    place_id = add_place(connection, place.strip())
    table = schema.station
    connection.execute(sa.update(table).where(table.c.id == station.id).values(place_id=place_id))
    for one in mine:
        _split(connection, one, past, from_us)
    for subject in (Subject.SITE, Subject.WORKINGS, Subject.WATCHES):
        note_change(connection, subject)
    return _key_of(connection, past)


def rejoin(connection: Connection, station: Station, past: Station) -> None:
    """Undo `move_from`: the station stands where it stood, with all its readings in one."""
    table, series = schema.station, schema.series
    place_id = past.place.id
    # The older series are those that anything else may name.
    _join(connection, past, station)
    connection.execute(
        sa.update(series).where(series.c.station_id == past.id).values(station_id=station.id)
    )
    _delete(connection, past)
    connection.execute(sa.update(table).where(table.c.id == station.id).values(place_id=place_id))


def replace_station(
    connection: Connection, station: Station, key: str, *, who: str, now_us: int
) -> str:
    """Let another box take the place of one: its series go on, calibrations end, a remark says so.

    Where a station of that key has been taken in already, what it has told is part of the series
    from now on, and its access key goes on. Else the new box gets one.

    Returns
    -------
    str
        The access key of the new box, shown this once; empty when it has its own.

    Raises
    ------
    UsageError
        When both are the same, or the key cannot be one.
    """
    site = load_site(connection)
    other = site.station(key)
    if key == station.key:
        raise UsageError(
            f"{key} is that station itself", kept=_KEPT, remedy="give the key of the new box"
        )
    table, access_key = schema.station, ""
    hashes: dict[str, str | None]
    if other is None:
        check_key_is_free(connection, key)
        access_key = new_access_key()
        made = credentials_of(access_key)
        hashes = {"access_hash": made.access_hash, "broker_hash": made.broker_hash}
    else:
        hashes = {"access_hash": other.access_hash, "broker_hash": other.broker_hash}
        _join(connection, station, other)
        _delete(connection, other)
    name_station(connection, station, key)
    connection.execute(sa.update(table).where(table.c.id == station.id).values(**hashes))
    mine = [one for one in load_site(connection).series if one.station.id == station.id]
    _end_calibrations(connection, mine, f"{key} instead of {station.key}", who, now_us)
    text = f"{station.key} was replaced by {key}"
    save_remark(connection, Remark(text, now_us, place=station.place.name, who=who))
    for subject in (Subject.SITE, Subject.WORKINGS, Subject.WATCHES):
        note_change(connection, subject)
    return access_key


def _begin_past(connection: Connection, station: Station, key: str, from_us: int) -> int:
    table = schema.station
    taken = set(connection.execute(sa.select(table.c.key)).scalars())
    free = next(
        one
        for one in (key, *(f"{key}.{at}" for at in range(2, len(taken) + 3)))
        if one not in taken
    )
    inserted = connection.execute(
        sa.insert(table).values(
            key=free,
            place_id=station.place.id,
            kind=station.kind.slug,
            cadence_s=station.cadence_s,
            position=sa.select(sa.func.count()).select_from(table).scalar_subquery(),
            retired_us=from_us,
            past_of=station.id,
        )
    )
    found = inserted.inserted_primary_key
    assert found is not None
    return int(found[0])


def _key_of(connection: Connection, station_id: int) -> str:
    table = schema.station.c
    where = table.id == station_id
    return str(connection.execute(sa.select(table.key).where(where)).scalar_one())


def _split(connection: Connection, series: Series, past: int, from_us: int) -> None:
    """What came since goes on as another series of the same station; the earlier ones are the
    past's."""
    table = schema.series
    row = connection.execute(sa.select(table).where(table.c.id == series.id)).one()
    connection.execute(sa.update(table).where(table.c.id == series.id).values(station_id=past))
    inserted = connection.execute(
        sa.insert(table).values(
            station_id=series.station.id,
            field=row.field,
            quantity=row.quantity,
            unit=row.unit,
            limits=row.limits,
            document=row.document,
        )
    )
    key = inserted.inserted_primary_key
    assert key is not None
    name = schema.field_name
    connection.execute(
        sa.update(name).where(name.c.series_id == series.id).values(series_id=key[0])
    )
    correction, verdict = schema.correction, schema.overruling
    for rows, copied in ((correction, correction.c.from_us), (verdict, verdict.c.to_us)):
        names = [one.name for one in rows.c if one.name not in ("id", "series_id")]
        chosen = sa.select(sa.literal(key[0]), *(rows.c[one] for one in names)).where(
            rows.c.series_id == series.id,
            # Of corrections the one before holds on.
            sa.true() if rows is correction else copied > from_us,
        )
        connection.execute(sa.insert(rows).from_select(["series_id", *names], chosen))
    _carry(connection, series, int(key[0]), from_us)


def _carry(connection: Connection, series: Series, into: int, from_us: int) -> None:
    """Move the readings of a series since a moment into another."""
    moved = read_raw_range(connection, series.id, from_us, _FOREVER_US)
    if not len(moved):
        return
    remove_stretch(connection, series, moved)
    first_us, last_us = int(moved.time_us[0]), int(moved.time_us[-1])
    note_readings(connection, {series.id: (first_us, last_us)})
    note_past_changed(connection, series.id, first_us, last_us + 1)
    append_history(connection, into, moved)


def _join(connection: Connection, station: Station, other: Station) -> None:
    """What another station told becomes part of one's series, field by field; a reading of the same
    moment is the other's."""
    site = load_site(connection)
    mine = {one.field: one for one in site.series if one.station.id == station.id}
    table = schema.series
    for one in [one for one in site.series if one.station.id == other.id]:
        known = mine.get(one.field)
        if known is None:
            connection.execute(
                sa.update(table).where(table.c.id == one.id).values(station_id=station.id)
            )
            continue
        if known.quantity.slug != one.quantity.slug:
            raise UsageError(
                f"{one.field} is {known.quantity.name} of {station.key} and {one.quantity.name} "
                f"of {other.key}",
                kept="both stations stay as they were",
                remedy="map the field of one of them anew first",
            )
        _carry(connection, one, known.id, -_FOREVER_US)
        _forget_series(connection, one.id, known.id)


def _forget_series(connection: Connection, series_id: int, instead: int) -> None:
    """Delete an empty series; what names it names the other."""
    name = schema.field_name
    connection.execute(
        sa.update(name).where(name.c.series_id == series_id).values(series_id=instead)
    )
    brought = schema.imported
    twice = sa.select(brought.c.import_id).where(brought.c.series_id == instead)
    connection.execute(
        sa.update(brought)
        .where(brought.c.series_id == series_id, brought.c.import_id.not_in(twice))
        .values(series_id=instead)
    )
    for table in (
        schema.correction,
        schema.reference_point,
        schema.overruling,
        schema.due,
        schema.deleted,
        brought,
    ):
        connection.execute(sa.delete(table).where(table.c.series_id == series_id))
    connection.execute(sa.delete(schema.series).where(schema.series.c.id == series_id))


def _delete(connection: Connection, station: Station) -> None:
    for table in _OF_STATION:
        connection.execute(sa.delete(table).where(table.c.station_id == station.id))
    row = schema.station
    connection.execute(sa.delete(row).where(row.c.id == station.id))


def _end_calibrations(
    connection: Connection, mine: list[Series], why: str, who: str, now_us: int
) -> None:
    """From now on nothing is corrected any more: a correction is one box's."""
    none = Correction(now_us, 1.0, 0.0)
    for series_id, known in corrections_of(connection, [one.id for one in mine]).items():
        last = max(known, key=lambda one: one.from_us)
        if (last.gain, last.offset) != (none.gain, none.offset):
            add_correction(connection, series_id, none, who=who, why=why, now_us=now_us)

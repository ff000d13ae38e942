"""Fields of stations that are removed with their readings, and can be had back for a month."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.site import REMOVED_FIELD_KIND, Series, Station

_KEPT = "nothing was changed"


def remove_series(connection: Connection, series: Series, *, now_us: int) -> None:
    """Remove a field of a station with its readings: it goes for good a month later, as removed
    stations do. What the station still sends of it begins anew; settle it as left out for less.

    Raises
    ------
    UsageError
        When it is worked out.
    """
    station = series.station
    if station.is_worked_out:
        raise UsageError(
            f"{series.quantity.name} is worked out", kept=_KEPT, remedy="remove its working"
        )
    table, row, name = schema.station, schema.series, schema.field_name
    inserted = connection.execute(
        sa.insert(table).values(
            key=f"{station.key} {series.field} removed {now_us // SECOND_US}",
            place_id=station.place.id,
            kind=REMOVED_FIELD_KIND,
            cadence_s=station.cadence_s,
            position=sa.select(sa.func.count()).select_from(table).scalar_subquery(),
            removed_us=now_us,
            past_of=station.id,
        )
    )
    key = inserted.inserted_primary_key
    assert key is not None
    connection.execute(sa.update(row).where(row.c.id == series.id).values(station_id=key[0]))
    connection.execute(sa.delete(name).where(name.c.series_id == series.id))
    _note(connection)


def restore_series(connection: Connection, station: Station, field: str) -> None:
    """Have a field back that was removed.

    Raises
    ------
    UsageError
        When there is none, or the station has begun another of that name.
    """
    table, row = schema.station.c, schema.series
    found = connection.execute(
        sa.select(row.c.id, row.c.station_id)
        .join(schema.station, table.id == row.c.station_id)
        .where(table.past_of == station.id, table.kind == REMOVED_FIELD_KIND, row.c.field == field)
        .order_by(table.removed_us.desc())
    ).first()
    if found is None:
        raise UsageError(f"no field {field} of {station.key} was removed", kept=_KEPT)
    taken = sa.select(row.c.id).where(row.c.station_id == station.id, row.c.field == field)
    if connection.execute(taken).first() is not None:
        raise UsageError(
            f"{station.key} has begun another field {field} since",
            kept=_KEPT,
            remedy="remove that one first",
        )
    connection.execute(sa.update(row).where(row.c.id == found.id).values(station_id=station.id))
    connection.execute(sa.delete(schema.station).where(table.id == found.station_id))
    _note(connection)


def _note(connection: Connection) -> None:
    for subject in (Subject.SITE, Subject.SERIES, Subject.WORKINGS, Subject.WATCHES):
        note_change(connection, subject)

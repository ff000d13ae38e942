"""What was removed a month ago goes for good."""

from __future__ import annotations

from datetime import timedelta

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.progress import unwatched
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.store.base import Store, schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.readings.deletion import forget_deleted
from rook_tally.store.site.plans import forget_pictures
from rook_tally.store.site.station_lives import KEPT_REMOVED

_OF_SERIES = (
    schema.reading,
    *schema.PAGES,
    schema.correction,
    schema.reference_point,
    schema.overruling,
    schema.due,
    schema.imported,
    schema.field_name,
    schema.deleted,
)
_OF_STATION = (
    schema.heard,
    schema.station_word,
    schema.firmware_update,
    schema.tally,
    schema.station_alias,
    schema.plan_mark,
    schema.clock_fault,
    schema.field_name,
    schema.series,
)


def purge_removed(store: Store, *, now_us: int) -> list[str]:
    """Delete the stations that were removed `KEPT_REMOVED` ago, with their readings, one at a time;
    a file is copied beside itself before. Returns what they were called.

    Raises
    ------
    StoreError
        When the copy cannot be made; nothing was deleted then.
    """
    table = schema.station
    before_us = now_us - KEPT_REMOVED // timedelta(microseconds=1)
    with store.read() as connection:
        rows = connection.execute(
            sa.select(table.c.id, table.c.key).where(table.c.removed_us < before_us)
        ).all()
    if rows and store.path is not None:
        day = f"{datetime_from_time_us(now_us):%Y-%m-%d}"
        target = store.path.with_name(f"{store.path.name}.before-purge-{day}")
        target.unlink(missing_ok=True)
        back_up(store, target, progress=unwatched)
    for row in rows:
        with store.write() as connection:
            _purge(connection, row.id)
    with store.write() as connection:
        forget_pictures(connection, before_us)
        forget_deleted(connection, before_us)
    return [row.key.partition(" ")[0] for row in rows]


def _purge(connection: Connection, station_id: int) -> None:
    series = schema.series
    for number in connection.execute(
        sa.select(series.c.id).where(series.c.station_id == station_id)
    ).scalars():
        for rows in _OF_SERIES:
            connection.execute(sa.delete(rows).where(rows.c.series_id == number))
    for rows in _OF_STATION:
        connection.execute(sa.delete(rows).where(rows.c.station_id == station_id))
    connection.execute(sa.delete(schema.station).where(schema.station.c.id == station_id))
    note_change(connection, Subject.SITE)

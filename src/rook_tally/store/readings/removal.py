"""Readings taken out of a series, out of its pages as well."""

from __future__ import annotations

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.store.base import schema
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.readings.page_writing import delete_pages, write_pages
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.readings.thinned import pages_anew
from rook_tally.store.site.site import Series


def remove_stretch(connection: Connection, series: Series, brought: Readings) -> int:
    """Take readings, raw and by time, out of rows and pages, those that still say the same; returns
    how many. Whoever calls it notes that the past was changed."""
    rows = schema.reading.c
    first_us, last_us = int(brought.time_us[0]), int(brought.time_us[-1]) + 1
    gap_us = microseconds(max_gap_s(series.station.cadence_s))
    held = read_raw_range(connection, series.id, first_us, last_us)
    at = np.searchsorted(held.time_us, brought.time_us)
    there = at < len(held)
    same = np.zeros(len(brought), dtype=np.bool_)
    same[there] = (held.time_us[at[there]] == brought.time_us[there]) & (
        held.value[at[there]] == brought.value[there]
    )
    leaving = brought.time_us[same]
    connection.exec_driver_sql(
        "DELETE FROM reading WHERE series_id = ? AND time_us = ?"
        if connection.dialect.name == "sqlite"
        else "DELETE FROM reading WHERE series_id = %s AND time_us = %s",
        [(series.id, moment) for moment in leaving.tolist()] or [(0, 0)],
    )
    touched = sealed_days(connection, [series.id], first_us - gap_us, last_us + gap_us)
    for _, day_us in sorted(touched):
        around = read_raw_range(connection, series.id, day_us - gap_us, day_us + PAGE_US + gap_us)
        stays = ~np.isin(around.time_us, leaving)
        left = Readings(around.time_us[stays], around.value[stays], around.quality[stays])
        anew = pages_anew(connection, series, left, day_us, day_us + PAGE_US)
        delete_pages(connection, series.id, day_us, day_us + PAGE_US)
        write_pages(connection, anew)
        # Late rows of the day are part of its page now.
        connection.execute(
            sa.delete(schema.reading).where(
                rows.series_id == series.id, rows.time_us >= day_us, rows.time_us < day_us + PAGE_US
            )
        )
    return len(leaving)


def drop_if_empty(connection: Connection, series_id: int) -> bool:
    """Delete a series in which nothing is; one that holds a reading stays."""
    for table in (schema.reading, schema.page):
        held = sa.select(table.c.series_id).where(table.c.series_id == series_id).limit(1)
        if connection.execute(held).first() is not None:
            return False
    for table in (
        schema.correction,
        schema.reference_point,
        schema.overruling,
        schema.due,
        schema.imported,
        schema.field_name,
        schema.working_input,
        schema.deleted,
    ):
        connection.execute(sa.delete(table).where(table.c.series_id == series_id))
    connection.execute(sa.delete(schema.series).where(schema.series.c.id == series_id))
    return True

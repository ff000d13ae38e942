"""Sealing: complete days that are old enough leave the row table and become pages.

One series and one day at a time. Reading and compressing happen before the write lock is taken,
so that a commit waits only for the writing of one page and the deletion of its rows.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.spans import span_of_readings
from rook_tally.core.series.statistics import Window
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import newest_seq
from rook_tally.store.base.database import Store
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.append import append_history
from rook_tally.store.readings.page_writing import write_pages
from rook_tally.store.readings.pages import day_of, page_rows
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import DAY_ROW, PAGE_US
from rook_tally.store.readings.thinned import is_thinned, pages_anew
from rook_tally.store.site.site import Series

SEALED_AFTER_US = 2 * DAY_US


class Stretch(msgspec.Struct, frozen=True):
    """A day of a series that can be sealed."""

    series_id: int
    start_us: int


def stretches_due(store: Store, *, now_us: int) -> list[Stretch]:
    """For each series with rows of a day that ended two days ago or more, the oldest such day.

    Rows that came late for a sealed day count as well: their day is sealed anew.
    """
    oldest = (
        sa.select(sa.func.min(schema.reading.c.time_us))
        .where(schema.reading.c.series_id == schema.series.c.id)
        .correlate(schema.series)
        .scalar_subquery()
    )
    with store.read() as connection:
        rows = connection.execute(sa.select(schema.series.c.id, oldest)).all()
    return [
        Stretch(series_id, day_of(time_us))
        for series_id, time_us in rows
        if time_us is not None and day_of(time_us) + PAGE_US <= now_us - SEALED_AFTER_US
    ]


def seal(store: Store, series: Series, start_us: int) -> bool:
    """Seal a day of a series.

    Returns
    -------
    bool
        False when readings of that day arrived meanwhile; nothing was changed then, try again.
    """
    end_us = start_us + PAGE_US
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    with store.read() as connection:
        seen = newest_seq(connection)
        around = read_raw_range(connection, series.id, start_us - margin_us, end_us + margin_us)
        rows_made = pages_anew(connection, series, around, start_us, end_us)
        for day_us in (start_us - PAGE_US, end_us):
            rows_made += _neighbour_anew(connection, series, day_us, margin_us)
    first_us = min(row["start_us"] for row in rows_made) if rows_made else start_us
    last_us = max((row["start_us"] for row in rows_made), default=start_us) + PAGE_US
    rows = schema.reading.c
    with store.write() as connection:
        if has_changed(connection, series.id, first_us, last_us, since=seen):
            return False
        write_pages(connection, rows_made)
        connection.execute(
            sa.delete(schema.reading).where(
                rows.series_id == series.id, rows.time_us >= start_us, rows.time_us < end_us
            )
        )
    return True


def has_changed(
    connection: Connection, series_id: int, start_us: int, end_us: int, *, since: int
) -> bool:
    """True if readings of a series in [start, end) were written, or judged, after a notice."""
    changes = schema.change.c
    meanwhile = sa.select(changes.seq).where(
        changes.seq > since,
        changes.series_id == series_id,
        changes.from_us < end_us,
        changes.to_us >= start_us,
    )
    return connection.execute(meanwhile.limit(1)).first() is not None


def _neighbour_anew(
    connection: Connection, series: Series, day_us: int, margin_us: int
) -> list[dict[str, Any]]:
    """The page of a day beside one that is sealed, if its totals are not what its readings say: the
    piece over midnight may have become another."""
    page = schema.page.c
    found = connection.execute(
        sa.select(page.count, page.totals).where(
            page.series_id == series.id, page.start_us == day_us
        )
    ).first()
    if found is None or is_thinned(*found):
        return []
    around = read_raw_range(connection, series.id, day_us - margin_us, day_us + PAGE_US + margin_us)
    late = connection.execute(
        sa.select(schema.reading.c.time_us)
        .where(
            schema.reading.c.series_id == series.id,
            schema.reading.c.time_us >= day_us,
            schema.reading.c.time_us < day_us + PAGE_US,
        )
        .limit(1)
    ).first()
    if late is not None:
        return []  # its own turn comes
    now = span_of_readings(
        around,
        max_gap_s=max_gap_s(series.station.cadence_s),
        cadence_s=series.station.cadence_s,
        window=Window(day_us, day_us + PAGE_US),
        averaging=series.quantity.averaging,
    )
    (told,) = np.frombuffer(found.totals, dtype=DAY_ROW)
    same = [(told["mean"], now.mean), (told["covered_s"], now.covered_s)]
    if all(np.isclose(*pair, rtol=1e-9, atol=1e-9, equal_nan=True) for pair in same):
        return []
    return page_rows(series, around, day_us, day_us + PAGE_US)


class History(msgspec.Struct, frozen=True):
    """A long stretch of a series ready to be written: old days as pages, the rest as readings."""

    series_id: int
    pages: list[dict[str, Any]]
    fresh: Readings


def history_of(series: Series, readings: Readings, *, before_us: int) -> History:
    """Make pages of the days that end before a moment. Pure: may run in another process."""
    if not len(readings):
        return History(series.id, [], readings)
    first_us = day_of(int(readings.time_us[0]))
    fresh_us = max(first_us, day_of(before_us))
    return History(
        series.id,
        page_rows(series, readings, first_us, fresh_us),
        readings[int(np.searchsorted(readings.time_us, fresh_us)) :],
    )


def append_sealed(connection: Connection, history: History) -> None:
    """Write a long history, which must not overlap what is there already."""
    write_pages(connection, history.pages)
    if history.pages:
        note_past_changed(
            connection,
            history.series_id,
            history.pages[0]["first_us"],
            history.pages[-1]["last_us"] + 1,
        )
    append_history(connection, history.series_id, history.fresh)


def seal_all(store: Store, series: dict[int, Series], *, now_us: int) -> int:
    """Seal everything that is due; returns how many pages were written."""
    sealed = 0
    while due := [one for one in stretches_due(store, now_us=now_us) if one.series_id in series]:
        for stretch in due:
            sealed += seal(store, series[stretch.series_id], stretch.start_us)
    return sealed

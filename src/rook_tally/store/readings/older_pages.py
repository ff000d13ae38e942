"""Pages of older formats, brought to today's one by one: smaller, and with the summaries that those
of today have. What they say stays: readings and totals are not touched."""

from __future__ import annotations

import struct

from sqlalchemy.engine import Connection

from rook_tally.core.series import page_format_1
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import encode
from rook_tally.store.base import schema
from rook_tally.store.base.changes import newest_seq
from rook_tally.store.base.database import Store
from rook_tally.store.base.raw_sql import executed, fetched
from rook_tally.store.readings.pages import (
    FEWEST_FOR_HOURS,
    FEWEST_FOR_PACKED_HOURS,
    checksum_of,
    decoded,
    page_rows,
    whole_pages,
    write_pages,
)
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.sealing import Stretch, has_changed
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.site.site import Series

_MAGIC_BYTES = len(page_format_1.MAGIC)
_FORMAT_1 = struct.pack("<H", page_format_1.FORMAT)
_LACKS_HOURS = (
    f"(page.count >= {FEWEST_FOR_PACKED_HOURS} AND page.count < {FEWEST_FOR_HOURS} "
    "AND page_data.packed_hours IS NULL AND page_data.buckets IS NULL)"
)
_OLDER = (
    "SELECT page.series_id, page.start_us FROM page JOIN page_data "
    "ON page_data.series_id = page.series_id AND page_data.start_us = page.start_us "
    "WHERE page.series_id = ? AND page.start_us > ? "
    f"AND ({_LACKS_HOURS} OR substr(page_data.payload, {_MAGIC_BYTES + 1}, 2) = ?) "
    "ORDER BY page.start_us LIMIT ?"
)
# In `meta`: the format that all pages have been brought to.
_KEY = "pages_format"


def are_brought_over(connection: Connection) -> bool:
    """True if a collector has been through all pages, and none of them is of an older format."""
    rows = fetched(connection, "SELECT value FROM meta WHERE key = ?", (_KEY,))
    return rows == [(str(schema.FORMAT),)]


def note_brought_over(connection: Connection) -> None:
    """Write down that all pages have been gone through: looking at each at every start would take
    minutes where there are millions."""
    executed(connection, "DELETE FROM meta WHERE key = ?", (_KEY,))
    executed(connection, "INSERT INTO meta (key, value) VALUES (?, ?)", (_KEY, str(schema.FORMAT)))


def pages_to_bring_over(connection: Connection, after: Stretch, most: int) -> list[Stretch]:
    """The first so many pages of older formats of a series behind one of them, in order."""
    asked = (after.series_id, after.start_us, _FORMAT_1, most)
    return [Stretch(*row) for row in fetched(connection, _OLDER, asked)]


def bring_over(store: Store, series: Series, start_us: int) -> bool:
    """Write the page of a day as today's format has it.

    Returns
    -------
    bool
        False when its readings are not those of the page alone, or changed meanwhile: it is sealed
        anew soon. Nothing was touched then.
    """
    end_us = start_us + PAGE_US
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    page = schema.page.c
    with store.read() as connection:
        seen = newest_seq(connection)
        around = read_raw_range(connection, series.id, start_us - margin_us, end_us + margin_us)
        found = connection.execute(
            whole_pages().where(page.series_id == series.id, page.start_us == start_us)
        ).first()
    if found is None:
        return False
    stored = dict(found._mapping)
    made = page_rows(series, around, start_us, end_us)
    if not made or made[0]["count"] != stored["count"]:
        return False
    stored["payload"] = encode(decoded(stored["payload"], series.id, start_us))
    if stored["hours"] is None and stored["buckets"] is None:
        stored["packed_hours"] = made[0]["packed_hours"]
    stored["checksum"] = checksum_of(stored)
    with store.write() as connection:
        if has_changed(connection, series.id, start_us, end_us, since=seen):
            return False
        write_pages(connection, [stored])
    return True

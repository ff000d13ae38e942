"""Pages of older formats, brought to today's fortnight by fortnight: smaller, with the summaries
that those of today have, and those with few readings together. What they say stays: readings and
totals are not touched."""

from __future__ import annotations

import struct
from typing import Any

from sqlalchemy.engine import Connection

from rook_tally.core.series import page_format_1
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import encode
from rook_tally.store.base import schema
from rook_tally.store.base.changes import newest_seq
from rook_tally.store.base.database import Store
from rook_tally.store.base.raw_sql import executed, fetched
from rook_tally.store.readings.fortnights import fortnight_of, fortnight_with
from rook_tally.store.readings.page_reading import decoded
from rook_tally.store.readings.page_writing import whole_days, write_pages
from rook_tally.store.readings.pages import (
    FEWEST_FOR_HOURS,
    FEWEST_FOR_PACKED_HOURS,
    checksum_of,
    page_rows,
)
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.sealing import Stretch, has_changed
from rook_tally.store.readings.summaries import FORTNIGHT_US
from rook_tally.store.site.site import Series

_MAGIC_BYTES = len(page_format_1.MAGIC)
_FORMAT_1 = struct.pack("<H", page_format_1.FORMAT)
_LACKS_HOURS = (
    f"(page.count >= {FEWEST_FOR_PACKED_HOURS} AND page.count < {FEWEST_FOR_HOURS} "
    "AND page_data.packed_hours IS NULL AND page_data.buckets IS NULL)"
)
# Its fortnight may hold a day with more, or be shorter as it is: it is looked at once.
_STANDS_APART = f"(page.count < {FEWEST_FOR_PACKED_HOURS} AND page_data.buckets IS NULL)"
_OLDER = (
    "SELECT page.series_id, max(page.start_us) FROM page JOIN page_data "
    "ON page_data.series_id = page.series_id AND page_data.start_us = page.start_us "
    "WHERE page.series_id = ? AND page.start_us > ? "
    f"AND ({_LACKS_HOURS} OR {_STANDS_APART} "
    f"OR substr(page_data.payload, {_MAGIC_BYTES + 1}, 2) = ?) "
    f"GROUP BY page.series_id, page.start_us / {FORTNIGHT_US} "
    "ORDER BY max(page.start_us) LIMIT ?"
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
    """The last page of each of the first so many fortnights of a series, behind one of them, that
    hold pages of older formats, in order."""
    asked = (after.series_id, after.start_us, _FORMAT_1, most)
    return [Stretch(*row) for row in fetched(connection, _OLDER, asked)]


def bring_over(store: Store, series: Series, start_us: int) -> bool:
    """Write the pages of a day's fortnight as today's format has them.

    Returns
    -------
    bool
        False when nothing is to be done: the readings of a day are not those of its page alone, it
        is sealed anew soon; they changed meanwhile; or all is as it would be written.
    """
    fortnight_us, end_us = fortnight_of(start_us), fortnight_of(start_us) + FORTNIGHT_US
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    with store.read() as connection:
        seen = newest_seq(connection)
        around = read_raw_range(connection, series.id, fortnight_us - margin_us, end_us + margin_us)
        stored = whole_days(connection, series.id, fortnight_us, end_us)
    made = {page["start_us"]: page for page in page_rows(series, around, fortnight_us, end_us)}
    if not stored or any(
        made.get(page["start_us"], page)["count"] != page["count"] for page in stored
    ):
        return False
    anew = [_anew(page, made[page["start_us"]]) for page in stored]
    if anew == stored and fortnight_with(anew) is None:
        return False
    with store.write() as connection:
        if has_changed(connection, series.id, fortnight_us, end_us, since=seen):
            return False
        write_pages(connection, anew)
    return True


def _anew(page: dict[str, Any], made: dict[str, Any]) -> dict[str, Any]:
    """A page of any format in today's, with the hours that it would have if it were made now."""
    payload = encode(decoded(page["payload"], page["series_id"], page["start_us"]))
    values = page | {"payload": payload}
    if page["hours"] is None and page["buckets"] is None:
        values["packed_hours"] = made["packed_hours"]
    return values | {"checksum": checksum_of(values)}

"""Every page of a store read and looked at: what is damaged."""

from __future__ import annotations

from typing import Any

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.page_codec import decode
from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import Row, fetched
from rook_tally.store.readings.fortnights import Fortnight
from rook_tally.store.readings.page_writing import whole_pages
from rook_tally.store.readings.pages import checksum_of
from rook_tally.store.readings.summaries import DAY_ROW, FORTNIGHT_US, PAGE_US

_SAME_DAY = "d.series_id = p.series_id AND d.start_us = p.start_us"
_IN_ITS_FORTNIGHT = (
    "w.series_id = p.series_id AND w.start_us <= p.start_us "
    f"AND w.start_us > p.start_us - {FORTNIGHT_US}"
)
_WITHOUT_READINGS = (
    f"SELECT p.series_id, p.start_us FROM page p WHERE NOT EXISTS "
    f"(SELECT 1 FROM page_data d WHERE {_SAME_DAY}) "
    f"AND NOT EXISTS (SELECT 1 FROM page_fortnight w WHERE {_IN_ITS_FORTNIGHT})"
)
_DAYS_OF_FORTNIGHT = (
    "SELECT p.start_us, p.count FROM page p WHERE p.series_id = ? AND p.start_us >= ? "
    f"AND p.start_us < ? AND NOT EXISTS (SELECT 1 FROM page_data d WHERE {_SAME_DAY}) "
    "ORDER BY p.start_us"
)


def damaged_pages(connection: Connection) -> list[str]:
    """Damage of the pages of a store, one line each; empty when all is well."""
    found = []
    with connection.execute(whole_pages().execution_options(yield_per=200)) as rows:
        for row in rows:
            wrong = _what_is_wrong(dict(row._mapping))
            if wrong:
                found.append(f"{_page_at(row.series_id, row.start_us)}: {wrong}")
    for series_id, start_us in fetched(connection, _WITHOUT_READINGS):
        found.append(f"{_page_at(series_id, start_us)}: its readings are missing")
    fortnights = sa.select(schema.page_fortnight).execution_options(yield_per=100)
    with connection.execute(fortnights) as rows:
        for row in rows:
            fortnight = Fortnight(**row._mapping)
            span = (fortnight.series_id, fortnight.start_us, fortnight.start_us + FORTNIGHT_US)
            wrong = _what_is_wrong_with(fortnight, fetched(connection, _DAYS_OF_FORTNIGHT, span))
            if wrong:
                where = (
                    f"fortnight of series {fortnight.series_id} at {rfc3339(fortnight.start_us)}"
                )
                found.append(f"{where}: {wrong}")
    return found


def _page_at(series_id: int, start_us: int) -> str:
    return f"page of series {series_id} at {rfc3339(start_us)}"


def _what_is_wrong(values: dict[str, Any]) -> str:
    """Damage of a page; empty when there is none."""
    if checksum_of(values) != values["checksum"]:
        return "its checksum is wrong"
    if values["payload"] is None:
        # They are looked at with their fortnight.
        return ""
    try:
        readings = decode(values["payload"])
    except DamagedPageError as error:
        return error.what
    if len(readings) != values["count"]:
        return f"{len(readings)} readings where {values['count']} are counted"
    (totals,) = np.frombuffer(values["totals"], dtype=DAY_ROW)
    # A thinned page holds fewer than its day was told in.
    told = int(totals["count"]) + int(totals["suspect"])
    return "" if len(readings) <= told else f"{len(readings)} readings where its totals say {told}"


def _what_is_wrong_with(fortnight: Fortnight, days: list[Row]) -> str:
    """Damage of a fortnight's readings, given the moment and count of each of its days; empty when
    there is none."""
    if fortnight.checksum != fortnight.checksum_now():
        return "its checksum is wrong"
    try:
        readings = decode(fortnight.payload)
    except DamagedPageError as error:
        return error.what
    held, counts = np.unique(readings.time_us // PAGE_US * PAGE_US, return_counts=True)
    if list(zip(held.tolist(), counts.tolist(), strict=True)) == [tuple(day) for day in days]:
        return ""
    return "it does not hold the readings that its days count"

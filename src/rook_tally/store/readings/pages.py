"""Sealed pages: a day of one series in one row, with what is known of it in ever finer steps.

A page holds everything its series said on one day (UTC). Beside the exact readings (`payload`)
stand totals of the day and, when they are many readings, 24 hours and 288 buckets of five minutes,
so that a picture of any width reads no more than it needs.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import Any

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.buckets import buckets_of, merged, with_lone_readings
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import checksum, decode, decode_many, encode
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import schema
from rook_tally.store.base.database import upserting_insert
from rook_tally.store.base.raw_sql import executed_many, fetched
from rook_tally.store.readings.summaries import (
    BUCKETS_A_PAGE,
    DAY_ROW,
    HOURS_A_PAGE,
    PAGE_US,
    day_rows,
    packed_steps,
    step_rows,
)
from rook_tally.store.site.site import Series

# Fewer readings than this are read faster and kept smaller without so fine a summary. From a
# thousand on a payload has a page of SQLite's for itself, with room for packed hours.
_FEWEST_FOR_BUCKETS = 4_000
FEWEST_FOR_HOURS = 2_000
FEWEST_FOR_PACKED_HOURS = 1_000


class PageSpan(msgspec.Struct, frozen=True):
    """Where a page lies: its day, its good readings' first and last moment, the gaps between."""

    series_id: int
    start_us: int
    good_first_us: int | None
    good_last_us: int | None
    gaps: TimeArray


def day_of(time_us: int) -> int:
    """Where the day begins that a moment falls on."""
    return time_us // PAGE_US * PAGE_US


def page_rows(
    series: Series, readings: Readings, start_us: int, end_us: int, *, fine: bool = False
) -> list[dict[str, Any]]:
    """The pages of the days in [start, end) that hold readings, as rows of the page tables.

    Pure and heavy: may run in any thread. Days are summarised together, so that a long history
    costs little more a day than its compression.

    Parameters
    ----------
    readings : Readings of shape (N,)
        All of those days, with neighbours before and after, so that means reach over midnight.
    start_us, end_us : int
        Where days begin.
    fine : bool
        With hours and buckets also where there are few readings.
    """
    days = np.arange(start_us, end_us + 1, PAGE_US)
    edges = np.searchsorted(readings.time_us, days)
    held = np.diff(edges)
    gap_s = max_gap_s(series.station.cadence_s)
    most = int(held.max(initial=0))
    has_buckets = fine or most >= _FEWEST_FOR_BUCKETS
    steps = BUCKETS_A_PAGE if has_buckets else HOURS_A_PAGE
    averaging = series.quantity.averaging
    steps_told = buckets_of(
        readings,
        start_us=start_us,
        width_us=PAGE_US // steps,
        count=steps * len(held),
        max_gap_s=gap_s,
        averaging=averaging,
    )
    steps_told = with_lone_readings(
        steps_told,
        readings,
        max_gap_s=gap_s,
        cadence_s=series.station.cadence_s,
        averaging=averaging,
    )
    hours = merged(steps_told, steps // HOURS_A_PAGE, averaging)
    totals = day_rows(merged(hours, HOURS_A_PAGE, averaging))
    hour_table, fine_table = step_rows(hours), step_rows(steps_told)
    good_us = readings.time_us[readings.good]
    good_edges = np.searchsorted(good_us, days)
    wide = np.flatnonzero(np.diff(good_us) > microseconds(gap_s))
    rows = []
    for day in np.flatnonzero(held).tolist():
        part = slice(int(edges[day]), int(edges[day + 1]))
        good = good_us[good_edges[day] : good_edges[day + 1]]
        inner = wide[(wide >= good_edges[day]) & (wide + 1 < good_edges[day + 1])]
        gaps = np.stack((good_us[inner], good_us[inner + 1]), axis=1)
        count = int(held[day])
        values = {
            "series_id": series.id,
            "start_us": int(days[day]),
            "count": count,
            "first_us": int(readings.time_us[part.start]),
            "last_us": int(readings.time_us[part.stop - 1]),
            "good_first_us": int(good[0]) if len(good) else None,
            "good_last_us": int(good[-1]) if len(good) else None,
            "totals": totals[day : day + 1].tobytes(),
            "gaps": gaps.astype("<i8").tobytes() if len(gaps) else None,
            "hours": None,
            "buckets": None,
            "packed_hours": None,
            "payload": encode(readings[part]),
        }
        mine = hour_table[day * HOURS_A_PAGE : (day + 1) * HOURS_A_PAGE]
        if fine or count >= FEWEST_FOR_HOURS:
            values["hours"] = mine.tobytes()
        elif count >= FEWEST_FOR_PACKED_HOURS:
            values["packed_hours"] = packed_steps(mine)
        if fine or count >= _FEWEST_FOR_BUCKETS:
            values["buckets"] = packed_steps(fine_table[day * steps : (day + 1) * steps])
        values["checksum"] = checksum_of(values)
        rows.append(values)
    return rows


def write_pages(connection: Connection, rows: Sequence[dict[str, Any]]) -> None:
    """Write pages, each in place of the one that may be there."""
    keys = ("series_id", "start_us")
    # What was told of more readings than there are now.
    _delete_hours(connection, [row for row in rows if row["hours"] is None])
    for table, names in (
        (schema.page, (*_NUMBERS, "totals", "gaps", "checksum")),
        (schema.page_hours, (*keys, "hours")),
        (schema.page_data, (*keys, "buckets", "packed_hours", "payload")),
    ):
        chosen = [
            {name: row[name] for name in names}
            for row in rows
            if table is not schema.page_hours or row["hours"] is not None
        ]
        if not chosen:
            continue
        insert = upserting_insert(connection, table)
        statement = insert.on_conflict_do_update(
            index_elements=keys,
            set_={name: insert.excluded[name] for name in names if name not in keys},
        )
        connection.execute(statement, chosen)


def _delete_hours(connection: Connection, rows: Sequence[dict[str, Any]]) -> None:
    keys = [(row["series_id"], row["start_us"]) for row in rows]
    if keys:
        executed_many(
            connection, "DELETE FROM page_hours WHERE series_id = ? AND start_us = ?", keys
        )


def rewrite_payload(
    connection: Connection, series_id: int, start_us: int, payload: bytes, *, count: int
) -> None:
    """Give a page another payload; everything else that is known of its day stays."""
    where = (schema.page.c.series_id == series_id, schema.page.c.start_us == start_us)
    row = connection.execute(whole_pages().where(*where)).one()
    values = dict(row._mapping) | {"payload": payload, "count": count}
    values["checksum"] = checksum_of(values)
    write_pages(connection, [values])


def whole_pages() -> sa.Select[Any]:
    """Everything of every page, its three tables side by side."""
    page, hours, data = schema.page.c, schema.page_hours.c, schema.page_data.c
    joined = schema.page.join(
        schema.page_data, sa.and_(data.series_id == page.series_id, data.start_us == page.start_us)
    ).outerjoin(
        schema.page_hours,
        sa.and_(hours.series_id == page.series_id, hours.start_us == page.start_us),
    )
    return sa.select(
        *schema.page.c, hours.hours, data.buckets, data.packed_hours, data.payload
    ).select_from(joined)


_NUMBERS = (
    "series_id",
    "start_us",
    "count",
    "first_us",
    "last_us",
    "good_first_us",
    "good_last_us",
)
_BLOBS = ("totals", "gaps", "hours", "buckets", "packed_hours", "payload")


def checksum_of(values: dict[str, Any]) -> int:
    """CRC-32 over everything a page holds, so that damage to any part of it is found."""
    numbers = repr([values[name] for name in _NUMBERS]).encode()
    # Pages of older formats have fewer blobs.
    return checksum(numbers, *(values.get(name) or b"" for name in _BLOBS))


# About 20 MB of a site that reports every 10 s.
_KEPT_PAGES, _FEW_DAYS = 128, 3


_PAYLOADS = (
    "SELECT start_us, payload FROM page_data WHERE series_id = ? AND start_us > ? "
    "AND start_us < ? ORDER BY start_us"
)


def page_readings(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[Readings]:
    """The exact readings of the pages that touch [start, end), whole pages, in order; of a long
    stretch all of them in one."""
    rows = fetched(connection, _PAYLOADS, (series_id, start_us - PAGE_US, end_us))
    if end_us - start_us > _FEW_DAYS * PAGE_US:
        try:
            return [decode_many([payload for _, payload in rows])] if rows else []
        except DamagedPageError:
            # By its series and day.
            return [decoded(payload, series_id, day_us) for day_us, payload in rows]
    return [_decoded_lately(payload, series_id, day_us) for day_us, payload in rows]


@lru_cache(_KEPT_PAGES)
def _decoded_lately(payload: bytes, series_id: int, start_us: int) -> Readings:
    """A page never changes, and who looks at one moment of a day soon looks at the next: kept, so
    nobody may write into it."""
    readings = decoded(payload, series_id, start_us)
    for column in (readings.time_us, readings.value, readings.quality):
        column.setflags(write=False)
    return readings


def decoded(payload: bytes, series_id: int, start_us: int) -> Readings:
    """The readings of a payload; a damaged one is named by its series and day."""
    try:
        return decode(payload)
    except DamagedPageError as error:
        raise DamagedPageError(
            f"page of series {series_id} at {rfc3339(start_us)}: {error.what}",
            kept="every other page can still be read",
            remedy="see what is damaged with rook-tally check, and restore a backup",
        ) from error


def sealed_days(
    connection: Connection, series_ids: Collection[int], start_us: int, end_us: int
) -> set[tuple[int, int]]:
    """(series id, day) of every page that touches [start, end)."""
    columns = schema.page.c
    rows = connection.execute(
        sa.select(columns.series_id, columns.start_us).where(
            columns.series_id.in_(series_ids),
            columns.start_us > start_us - PAGE_US,
            columns.start_us < end_us,
        )
    )
    return {(row.series_id, row.start_us) for row in rows}


def page_spans(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[PageSpan]:
    """Where the pages of a series lie that touch [start, end), in order."""
    columns = schema.page.c
    rows = connection.execute(
        sa.select(columns.start_us, columns.good_first_us, columns.good_last_us, columns.gaps)
        .where(
            columns.series_id == series_id,
            columns.start_us > start_us - PAGE_US,
            columns.start_us < end_us,
        )
        .order_by(columns.start_us)
    )
    return [
        PageSpan(
            series_id,
            row.start_us,
            row.good_first_us,
            row.good_last_us,
            np.frombuffer(row.gaps or b"", dtype="<i8").reshape(-1, 2).astype(np.int64),
        )
        for row in rows
    ]


def damaged_pages(connection: Connection) -> list[str]:
    """Damage of the pages of a store, one line each; empty when all is well."""
    found = []
    with connection.execute(whole_pages().execution_options(yield_per=200)) as rows:
        for row in rows:
            wrong = _what_is_wrong(dict(row._mapping))
            if wrong:
                where = f"page of series {row.series_id} at {rfc3339(row.start_us)}"
                found.append(f"{where}: {wrong}")
    return found


def _what_is_wrong(values: dict[str, Any]) -> str:
    """Damage of a page; empty when there is none."""
    if checksum_of(values) != values["checksum"]:
        return "its checksum is wrong"
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

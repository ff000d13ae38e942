"""Sealed pages: a day of one series in one row, with what is known of it in ever finer steps.

A page holds everything its series said on one day (UTC). Beside the exact readings (`payload`)
stand totals of the day, 24 hours and, when they are many readings, 288 buckets of five minutes,
so that a picture of any width reads no more than it needs.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.buckets import Buckets, buckets_of, merged
from rook_tally.core.gaps import find_gaps, max_gap_s
from rook_tally.core.pages import (
    DamagedPageError,
    checksum,
    decode,
    encode,
    packed_columns,
    unpacked_columns,
)
from rook_tally.core.readings import Readings
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, rfc3339
from rook_tally.store import schema
from rook_tally.store.database import upserting_insert
from rook_tally.store.site import Series

PAGE_US = DAY_US
BUCKET_US = 5 * MINUTE_US
_BUCKETS = PAGE_US // BUCKET_US
_HOURS = PAGE_US // HOUR_US

# Fewer readings than this are read faster and kept smaller without so fine a summary.
_STEPS = ((_BUCKETS, 4_000), (_HOURS, 2_000))

HOUR_ROW = np.dtype(
    [("count", "<u4"), ("suspect", "<u4"), ("low", "<f4"), ("high", "<f4"), ("mean", "<f4"),
     ("mean_square", "<f4"), ("covered_s", "<f4")]
)  # fmt: skip
_BUCKET_TYPES = ("<u2", "<u2", "<f4", "<f4", "<f4", "<f4", "<f4")


@dataclass(frozen=True, slots=True)
class PageSpan:
    """Where a page lies: its day, its good readings' first and last moment, the gaps between."""

    series_id: int
    start_us: int
    good_first_us: int | None
    good_last_us: int | None
    gaps: TimeArray


def day_of(time_us: int) -> int:
    """Where the day begins that a moment falls on."""
    return time_us // PAGE_US * PAGE_US


def page_row(series: Series, start_us: int, readings: Readings, around: Readings) -> dict[str, Any]:
    """The page of a day as a row of the page table. Pure and heavy: may run in any thread.

    Parameters
    ----------
    readings : Readings of shape (N,), N ≥ 1
        All of the day.
    around : Readings
        The same with neighbours before and after, so that means reach over midnight.
    """
    gap_s = max_gap_s(series.station.cadence_s)
    # No finer than what is kept of it.
    count = next((steps for steps, fewest in _STEPS if len(readings) >= fewest), 1)
    buckets = buckets_of(
        around, start_us=start_us, width_us=PAGE_US // count, count=count, max_gap_s=gap_s
    )
    hours = merged(buckets, count // _HOURS) if count >= _HOURS else None
    day = merged(buckets if hours is None else hours, 1 if hours is None else _HOURS)
    good = readings.time_us[readings.good]
    gaps = find_gaps(readings, max_gap_s=gap_s)
    payload = encode(readings)
    values = {
        "series_id": series.id,
        "start_us": start_us,
        "count": len(readings),
        "suspect": int(day.suspect[0]),
        "first_us": int(readings.time_us[0]),
        "last_us": int(readings.time_us[-1]),
        "good_first_us": int(good[0]) if len(good) else None,
        "good_last_us": int(good[-1]) if len(good) else None,
        "low": _or_none(day.low[0]),
        "high": _or_none(day.high[0]),
        "mean": _or_none(day.mean[0]),
        "mean_square": _or_none(day.mean_square[0]),
        "covered_s": float(day.covered_s[0]),
        "gaps": gaps.astype("<i8").tobytes() if len(gaps) else None,
        "hours": None if hours is None else _hour_rows(hours).tobytes(),
        "buckets": _packed_buckets(buckets) if count == _BUCKETS else None,
        "payload": payload,
    }
    values["checksum"] = _checksum_of(values)
    return values


def write_pages(connection: Connection, rows: Sequence[dict[str, Any]]) -> None:
    """Write pages, each in place of the one that may be there."""
    keys = ("series_id", "start_us")
    for table, names in (
        (schema.page, (*_TOTALS, "gaps", "checksum")),
        (schema.page_hours, (*keys, "hours")),
        (schema.page_data, (*keys, "buckets", "payload")),
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


def _whole_pages() -> sa.Join:
    """The three tables of a page side by side."""
    page, hours, data = schema.page.c, schema.page_hours.c, schema.page_data.c
    return schema.page.join(
        schema.page_data,
        sa.and_(data.series_id == page.series_id, data.start_us == page.start_us),
    ).outerjoin(
        schema.page_hours,
        sa.and_(hours.series_id == page.series_id, hours.start_us == page.start_us),
    )


def _or_none(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _checksum_of(values: dict[str, Any]) -> int:
    """Over the blobs and the totals, so that damage to either is found."""
    totals = repr([values[name] for name in _TOTALS]).encode()
    blobs = (values[name] or b"" for name in ("gaps", "hours", "buckets", "payload"))
    return checksum(totals, *blobs)


_TOTALS = (
    "series_id", "start_us", "count", "suspect", "first_us", "last_us", "good_first_us",
    "good_last_us", "low", "high", "mean", "mean_square", "covered_s",
)  # fmt: skip


def _hour_rows(hours: Buckets) -> np.ndarray[tuple[int], np.dtype[np.void]]:
    rows = np.empty(len(hours), dtype=HOUR_ROW)
    for name in HOUR_ROW.names or ():
        rows[name] = getattr(hours, name)
    return rows


def _packed_buckets(buckets: Buckets) -> bytes:
    names = HOUR_ROW.names or ()
    return packed_columns(
        *(
            getattr(buckets, name).astype(kind)
            for name, kind in zip(names, _BUCKET_TYPES, strict=True)
        )
    )


def unpacked_buckets(blob: bytes) -> np.ndarray[tuple[int], np.dtype[np.void]]:
    """The five-minute buckets of a page as rows like those of its hours."""
    rows = np.empty(_BUCKETS, dtype=HOUR_ROW)
    columns = unpacked_columns(blob, *_BUCKET_TYPES)
    for name, column in zip(HOUR_ROW.names or (), columns, strict=True):
        rows[name] = column
    return rows


def page_readings(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[Readings]:
    """The exact readings of the pages that touch [start, end), whole pages, in order."""
    columns = schema.page_data.c
    rows = connection.execute(
        sa.select(columns.start_us, columns.payload)
        .where(
            columns.series_id == series_id,
            columns.start_us > start_us - PAGE_US,
            columns.start_us < end_us,
        )
        .order_by(columns.start_us)
    )
    return [_decoded(row.payload, series_id, row.start_us) for row in rows]


def _decoded(payload: bytes, series_id: int, start_us: int) -> Readings:
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
            series_id, row.start_us, row.good_first_us, row.good_last_us,
            np.frombuffer(row.gaps or b"", dtype="<i8").reshape(-1, 2).astype(np.int64),
        )
        for row in rows
    ]  # fmt: skip


def damaged_pages(connection: Connection) -> list[str]:
    """What is wrong with the pages of a store, one line each; empty when all is well."""
    found = []
    columns = [schema.page.c[name] for name in (*_TOTALS, "gaps", "checksum")]
    columns += [schema.page_hours.c.hours, schema.page_data.c.buckets, schema.page_data.c.payload]
    statement = sa.select(*columns).select_from(_whole_pages())
    with connection.execute(statement.execution_options(yield_per=200)) as rows:
        for row in rows:
            values = dict(row._mapping)
            where = f"page of series {row.series_id} at {rfc3339(row.start_us)}"
            if _checksum_of(values) != row.checksum:
                found.append(f"{where}: its checksum is wrong")
                continue
            try:
                readings = decode(row.payload)
            except DamagedPageError as error:
                found.append(f"{where}: {error.what}")
                continue
            if len(readings) != values["count"]:
                found.append(
                    f"{where}: {len(readings)} readings where {values['count']} are counted"
                )
    return found

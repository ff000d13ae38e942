"""Envelopes: a window in so many columns, read from the coarsest summaries that are fine enough.

Where a column is at least a day wide, the totals of pages are enough; at least an hour, their
hours; at least five minutes, their buckets; else the readings themselves. A bucket counts into the
column it begins in, so an edge is never off by more than a column.
"""

from __future__ import annotations

import enum
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from itertools import groupby
from operator import itemgetter
from typing import Any

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import StructuredArray, TimeArray
from rook_tally.core.series.corrections import corrected_envelope
from rook_tally.core.series.envelope import ColumnSums, Envelope
from rook_tally.core.series.page_codec import decode_groups, decode_many
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import Row, fetched
from rook_tally.store.readings.fortnights import fortnight_of
from rook_tally.store.readings.page_reading import page_readings
from rook_tally.store.readings.query import read_range
from rook_tally.store.readings.summaries import (
    BUCKET_US,
    DAY_ROW,
    FORTNIGHT_US,
    HOURS_A_PAGE,
    PAGE_US,
    STEP_ROW,
    unpacked_steps,
)
from rook_tally.store.site.corrections import corrections_of
from rook_tally.store.site.site import Series


class _Grain(enum.Enum):
    DAYS = "days"
    HOURS = "hours"
    BUCKETS = "buckets"
    READINGS = "readings"


def envelopes(
    connection: Connection, series: Sequence[Series], start_us: int, end_us: int, columns: int
) -> dict[int, Envelope]:
    """Envelopes of several series over one window, corrected; every series gets one.

    Parameters
    ----------
    start_us, end_us : int
        Window, half-open. ValueError unless the end is after the start.
    columns : int
        Into how many columns of equal length the window is divided.

    Notes
    -----
    A column's mean is that of its good readings, or of its summaries' time-weighted means by their
    number of readings; at an even cadence both are the time-weighted mean.
    """
    if end_us <= start_us or columns < 1:
        raise ValueError(f"no window: {start_us} to {end_us} in {columns} columns")
    # Columns are told from integers alone, so that edges are the same on every database.
    stop_us = end_us
    width_us = -(-(end_us - start_us) // columns)
    end_us = start_us + width_us * columns
    sums = {
        one.id: ColumnSums(start_us, width_us, columns, stop_us, one.quantity.averaging)
        for one in series
    }
    if sums:
        _add_pages(connection, sums, _grain_for(width_us), start_us, end_us)
        # The database averages numbers, not levels or directions.
        plain = {one.id: sums[one.id] for one in series if one.quantity.averaging.is_plain}
        _add_rows(connection, plain, start_us, end_us, width_us)
        others = {key: one for key, one in sums.items() if key not in plain}
        _add_rows_themselves(connection, others, start_us, end_us)
    corrections = corrections_of(connection, list(sums))
    return {
        series_id: corrected_envelope(
            one.envelope(),
            corrections.get(series_id, ()),
            partial(read_range, connection, series_id),
            _SUMMARY_US[_grain_for(width_us)],
        )
        for series_id, one in sums.items()
    }


_SUMMARY_US = {
    _Grain.DAYS: DAY_US,
    _Grain.HOURS: HOUR_US,
    _Grain.BUCKETS: BUCKET_US,
    _Grain.READINGS: 0,
}


def _grain_for(width_us: int) -> _Grain:
    if width_us >= DAY_US:
        return _Grain.DAYS
    if width_us >= HOUR_US:
        return _Grain.HOURS
    return _Grain.BUCKETS if width_us >= BUCKET_US else _Grain.READINGS


# Of all series together: so many are held at once.
_FEW_PAGES = 64
# Written out: putting these together and compiling them anew took longer than to read an hour.
_OF_PAGES = "{table}.series_id IN ({ids}) AND {table}.start_us > ? AND {table}.start_us < ?"
_UNPACKED = "CASE WHEN packed_hours IS NULL THEN payload END"
_NO_HOURS = (
    "NOT EXISTS (SELECT 1 FROM page_hours WHERE page_hours.series_id = page_data.series_id "
    "AND page_hours.start_us = page_data.start_us)"
)
# Series, begin, summaries, readings where there are none such, packed hours, how long it is. A slow
# series has no summaries: its readings come in the same sweep, as a statement for each of hundreds
# of days costs more than all of them.
_COLUMNS: dict[_Grain, dict[str, str]] = {
    _Grain.READINGS: {"page_data": "NULL, payload, NULL", "page_fortnight": "NULL, payload, NULL"},
    _Grain.BUCKETS: {
        "page_data": "buckets, CASE WHEN buckets IS NULL THEN payload END, NULL",
        "page_fortnight": "NULL, payload, NULL",
    },
    _Grain.HOURS: {
        "page_hours": "hours, NULL, NULL",
        "page_data": f"NULL, {_UNPACKED}, packed_hours",
        "page_fortnight": "NULL, payload, NULL",
    },
}
_LENGTHS = {"page_hours": PAGE_US, "page_data": PAGE_US, "page_fortnight": FORTNIGHT_US}
# One value a series: rows of years would each cost their own.
_TOTALS = {
    "sqlite": "group_concat(hex(page.totals), '')",
    "postgresql": "encode(string_agg(page.totals, ''::bytea), 'hex')",
}


def _add_pages(
    connection: Connection, sums: dict[int, ColumnSums], grain: _Grain, start_us: int, end_us: int
) -> None:
    ids = ", ".join(map(str, sums))
    if grain is _Grain.DAYS:
        asked, span = _OF_PAGES.format(table="page", ids=ids), (start_us - PAGE_US, end_us)
        joined = _TOTALS[connection.dialect.name]
        statement = (
            f"SELECT page.series_id, {joined} FROM page WHERE {asked} GROUP BY page.series_id"
        )
        _add_days(connection, sums, fetched(connection, statement, span), start_us, end_us)
        return
    told = _page_rows(connection, grain, ids, start_us, end_us)
    late = _days_with_rows(connection, list(sums), start_us, end_us) if told else set()
    rows, overtaken = told, list[Row]()
    if late:
        # Late rows have overtaken what stands in their page, or in its fortnight.
        fortnights = {(series_id, fortnight_of(day_us)) for series_id, day_us in late}
        rows, overtaken = [], []
        for row in told:
            is_late = row[:2] in (fortnights if row[5] == FORTNIGHT_US else late)
            (overtaken if is_late else rows).append(row)
    several = {series_id: list(mine) for series_id, mine in groupby(rows, key=itemgetter(0))}
    _add_payloads(sums, several)
    for series_id, mine in several.items():
        _add_summaries(sums[series_id], mine, grain)
    for series_id, begin_us, _, _, _, length_us in overtaken:
        _add_sealed(connection, sums[series_id], series_id, begin_us, begin_us + length_us)


def _page_rows(
    connection: Connection, grain: _Grain, ids: str, start_us: int, end_us: int
) -> list[Row]:
    """Fetch what a grain needs of the pages that touch [start, end), by series and time."""
    parts, span = [], []
    for table, columns in _COLUMNS[grain].items():
        length_us = _LENGTHS[table]
        without = f" AND {_NO_HOURS}" if grain is _Grain.HOURS and table == "page_data" else ""
        parts.append(
            f"SELECT series_id, start_us, {columns}, {length_us} FROM {table} "
            f"WHERE {_OF_PAGES.format(table=table, ids=ids)}{without}"
        )
        span += [start_us - length_us, end_us]
    rows = [
        row
        for at, part in enumerate(parts)
        for row in fetched(connection, part, span[2 * at : 2 * at + 2])
    ]
    rows.sort(key=itemgetter(0, 1))
    return rows


def _add_days(
    connection: Connection,
    sums: dict[int, ColumnSums],
    told: Sequence[Row],
    start_us: int,
    end_us: int,
) -> None:
    """Totals of days: years of them leave the database as one value a series."""
    late = _days_with_rows(connection, list(sums), start_us, end_us) if told else set()
    for series_id, text in told:
        days = np.frombuffer(bytes.fromhex(text), dtype=DAY_ROW)
        overtaken = [day_us for one, day_us in late if one == series_id]
        if overtaken:
            days = days[~np.isin(days["start_us"], overtaken)]
        # No order is promised for what is joined.
        days = days[np.argsort(days["start_us"])]
        _add_cells(sums[series_id], days["start_us"], days, DAY_US)
    for series_id, day_us in late:
        _add_sealed(connection, sums[series_id], series_id, day_us, day_us + PAGE_US)


def _add_payloads(sums: dict[int, ColumnSums], several: Mapping[int, Sequence[Row]]) -> None:
    """Count pages in by their readings: a few pages of all series together, many of each for
    itself, since all at once would be a lot to hold."""
    payloads = {
        series_id: [row[3] for row in rows if row[3] is not None]
        for series_id, rows in several.items()
    }
    payloads = {series_id: mine for series_id, mine in payloads.items() if mine}
    if 0 < sum(map(len, payloads.values())) <= _FEW_PAGES:
        told = decode_groups(list(payloads.values()))
        for series_id, readings in zip(payloads, told, strict=True):
            sums[series_id].add_readings(readings)
        return
    for series_id, mine in payloads.items():
        sums[series_id].add_readings(decode_many(mine))


def _add_summaries(columns: ColumnSums, rows: Sequence[Row], grain: _Grain) -> None:
    """Count pages in by their summaries, where they have them."""
    told = [(row[1], row[2]) for row in rows if row[2] is not None]
    if grain is not _Grain.HOURS:
        _add_steps(columns, told, unpacked_steps, BUCKET_US)
        return
    _add_steps(columns, told, _plain_hours, HOUR_US)
    packed = [(row[1], row[4]) for row in rows if row[4] is not None]
    _add_steps(columns, packed, partial(unpacked_steps, a_page=HOURS_A_PAGE), HOUR_US)


def _plain_hours(blobs: Sequence[bytes]) -> StructuredArray:
    return np.frombuffer(b"".join(blobs), dtype=STEP_ROW)


def _add_steps(
    columns: ColumnSums,
    told: Sequence[tuple[int, bytes]],
    read: Callable[[Sequence[bytes]], StructuredArray],
    step_us: int,
) -> None:
    if not told:
        return
    starts = np.array([start_us for start_us, _ in told], dtype=np.int64)
    within = np.arange(PAGE_US // step_us, dtype=np.int64) * step_us
    cells = read([blob for _, blob in told])
    _add_cells(columns, (starts[:, None] + within).ravel(), cells, step_us)


def _add_cells(
    columns: ColumnSums, time_us: TimeArray, cells: StructuredArray, step_us: int
) -> None:
    columns.add(
        time_us,
        cells["low"].astype(np.float64),
        cells["mean"].astype(np.float64),
        cells["high"].astype(np.float64),
        cells["count"].astype(np.int64),
        cells["suspect"].astype(np.int64),
        step_us,
    )


def _days_with_rows(
    connection: Connection, series_ids: list[int], start_us: int, end_us: int
) -> set[tuple[int, int]]:
    """(series id, day) of sealed days for which rows came late."""
    # Sealed days are older than any row but a late one: nearly always there is nothing to ask.
    ids = ", ".join(map(str, series_ids))
    ((oldest,),) = fetched(connection, f"{_OLDEST_ROW} WHERE id IN ({ids})")
    if oldest is None or oldest >= end_us:
        return set()
    span = (PAGE_US, max(start_us, oldest) - PAGE_US, end_us)
    return set(fetched(connection, _DAYS_WITH_ROWS.format(ids=ids), span))


def _add_sealed(
    connection: Connection, columns: ColumnSums, series_id: int, start_us: int, end_us: int
) -> None:
    """The readings of sealed days in [start, end) that no late row of the same moment has
    replaced."""
    reading = schema.reading.c
    late = connection.execute(
        sa.select(reading.time_us).where(
            reading.series_id == series_id, reading.time_us >= start_us, reading.time_us < end_us
        )
    ).scalars()
    moments = np.array(list(late), dtype=np.int64)
    for sealed in page_readings(connection, series_id, start_us, end_us):
        stays = (sealed.time_us >= start_us) & (sealed.time_us < end_us)
        stays &= ~np.isin(sealed.time_us, moments)
        columns.add_readings(
            Readings(sealed.time_us[stays], sealed.value[stays], sealed.quality[stays])
        )


def _plain_rows(connection: Connection, statement: sa.Select[Any]) -> list[Row]:
    """Rows as the driver itself gives them: SQLAlchemy's own row type costs as much again."""
    # Every value in the statement is a whole number, so it can be written out.
    text = str(statement.compile(connection, compile_kwargs={"literal_binds": True}))
    cursor = connection.connection.cursor()
    try:
        cursor.execute(text)
        return list(cursor.fetchall())
    finally:
        cursor.close()


def _add_rows(
    connection: Connection, sums: dict[int, ColumnSums], start_us: int, end_us: int, width_us: int
) -> None:
    """Fresh rows, counted by the database: a day of fifty series costs no Python loop.

    One look-up a series and column along the primary key: GROUP BY would sort every row first.
    SQLite writes 15 digits into JSON, more than any picture shows.
    """
    reading, series = schema.reading.c, schema.series.c
    ends = _ends_of_rows(connection, list(sums), start_us, end_us) if sums else None
    if ends is None:
        return
    columns = (ends[1] - ends[0]) // width_us + 1
    if _row_count(connection, list(sums), start_us, end_us) <= _ROWS_A_LOOKUP * columns * len(sums):
        _add_rows_themselves(connection, sums, start_us, end_us)
        return
    first, last = ((moment - start_us) // width_us for moment in ends)
    numbers = sa.select(sa.literal(first).label("at")).cte("numbers", recursive=True)
    numbers = numbers.union_all(sa.select(numbers.c.at + 1).where(numbers.c.at < last))
    begin = start_us + sa.cast(numbers.c.at, sa.BigInteger) * width_us
    good_value = sa.case((reading.quality == int(Quality.GOOD), reading.value))
    array = sa.func.json_array if connection.dialect.name == "sqlite" else sa.func.json_build_array
    told = (
        sa.select(
            array(
                sa.func.min(good_value),
                sa.func.avg(good_value),
                sa.func.max(good_value),
                sa.func.count(good_value),
                sa.func.count(),
            )
        )
        .where(
            reading.series_id == series.id,
            reading.time_us >= begin,
            reading.time_us < begin + width_us,
        )
        .correlate(schema.series, numbers)
        .scalar_subquery()
    )
    rows = _plain_rows(
        connection,
        sa.select(series.id, numbers.c.at, sa.cast(told, sa.String))
        .select_from(schema.series.join(numbers, sa.true()))
        .where(series.id.in_(list(sums)))
        .order_by(series.id, numbers.c.at),
    )
    for series_id, mine in groupby(rows, key=itemgetter(0)):
        cells = [(row[1], row[2]) for row in mine if row[2].replace(" ", "") != _NOTHING]
        if not cells:
            continue
        joined = "[" + ",".join(text for _, text in cells) + "]"
        table = np.array(msgspec.json.decode(joined.encode(), type=list[_Cell]), dtype=np.float64)
        good, heard = table[:, 3].astype(np.int64), table[:, 4].astype(np.int64)
        at = np.array([number for number, _ in cells], dtype=np.int64)
        sums[series_id].add(
            start_us + at * width_us, table[:, 0], table[:, 1], table[:, 2], good, heard - good
        )


# So many rows are fetched in the time that one column takes to be looked up.
_ROWS_A_LOOKUP = 6
_COUNT = "SELECT count(*) FROM reading WHERE series_id = ? AND time_us >= ? AND time_us < ?"
_ROWS = (
    "SELECT time_us, value, quality FROM reading "
    "WHERE series_id = ? AND time_us >= ? AND time_us < ? ORDER BY time_us"
)
_ROW = np.dtype([("time_us", np.int64), ("value", np.float64), ("quality", np.uint8)])


def _row_count(connection: Connection, ids: list[int], start_us: int, end_us: int) -> int:
    return sum(fetched(connection, _COUNT, (one, start_us, end_us))[0][0] for one in ids)


def _add_rows_themselves(
    connection: Connection, sums: dict[int, ColumnSums], start_us: int, end_us: int
) -> None:
    """Fresh rows one by one: of narrow columns there are hardly fewer than of them."""
    for series_id, columns in sums.items():
        rows = np.array(fetched(connection, _ROWS, (series_id, start_us, end_us)), dtype=_ROW)
        columns.add_readings(Readings(rows["time_us"], rows["value"], rows["quality"]))


_NOTHING = "[null,null,null,0,0]"
_Cell = tuple[float | None, float | None, float | None, int, int]


_DAYS_WITH_ROWS = (
    "SELECT page.series_id, page.start_us FROM page WHERE page.series_id IN ({ids}) AND EXISTS "
    "(SELECT 1 FROM reading WHERE reading.series_id = page.series_id "
    "AND reading.time_us >= page.start_us AND reading.time_us < page.start_us + ?) "
    "AND page.start_us > ? AND page.start_us < ?"
)
_OLDEST_ROW = (
    "SELECT min((SELECT min(time_us) FROM reading WHERE series_id = series.id)) FROM series"
)
_INSIDE = "FROM reading WHERE series_id = series.id AND time_us >= ? AND time_us < ?"
_ENDS = (
    "SELECT min(ends.first_us), max(ends.last_us) FROM ("
    f"SELECT (SELECT min(time_us) {_INSIDE}) AS first_us, "
    f"(SELECT max(time_us) {_INSIDE}) AS last_us FROM series WHERE id IN ({{ids}})) AS ends"
)


def _ends_of_rows(
    connection: Connection, series_ids: list[int], start_us: int, end_us: int
) -> tuple[int, int] | None:
    """First and last moment of any row of a window; None when there is none."""
    statement = _ENDS.format(ids=", ".join(map(str, series_ids)))
    ((first_us, last_us),) = fetched(connection, statement, (start_us, end_us, start_us, end_us))
    return None if first_us is None else (int(first_us), int(last_us))

"""Reading the store: newest readings, exact ranges, envelopes, gaps."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.envelope import Envelope, empty_envelope
from rook_tally.core.gaps import max_gap_s, microseconds
from rook_tally.core.readings import Quality, Readings
from rook_tally.store import schema
from rook_tally.store.site import Series

_FETCH = 50_000
# SQLite allows 32766 bound values a statement.
_LOOKUP_CHUNK = 5_000
_ROW = np.dtype([("time_us", np.int64), ("value", np.float64), ("quality", np.uint8)])


@dataclass(frozen=True, slots=True)
class Latest:
    """The newest reading of a series, whatever its quality."""

    series_id: int
    time_us: int
    value: float
    quality: Quality


def newest_times(
    connection: Connection,
    series_ids: Collection[int] | None = None,
    *,
    until_us: int | None = None,
) -> dict[int, int]:
    """Moment of the newest reading by series id; series without one are left out.

    Parameters
    ----------
    series_ids : collection of int, optional
        All series when left out.
    until_us : int, optional
        As it stood at that moment: readings after it are not seen.
    """
    # A sub-select a series ends at the primary key's last entry; GROUP BY would scan them all.
    newest = sa.select(sa.func.max(schema.reading.c.time_us)).where(
        schema.reading.c.series_id == schema.series.c.id
    )
    if until_us is not None:
        newest = newest.where(schema.reading.c.time_us <= until_us)
    statement = sa.select(schema.series.c.id, newest.correlate(schema.series).scalar_subquery())
    if series_ids is not None:
        statement = statement.where(schema.series.c.id.in_(series_ids))
    return {
        series_id: time_us
        for series_id, time_us in connection.execute(statement)
        if time_us is not None
    }


def readings_at(
    connection: Connection, moments: Sequence[tuple[int, int]]
) -> dict[tuple[int, int], tuple[float, Quality]]:
    """Value and quality by (series id, moment), where there is a reading."""
    columns = schema.reading.c
    found: dict[tuple[int, int], tuple[float, Quality]] = {}
    for start in range(0, len(moments), _LOOKUP_CHUNK):
        # A join, since SQLite scans the whole table for `(series_id, time_us) IN (VALUES …)`.
        wanted = (
            sa.values(sa.column("series_id", sa.Integer), sa.column("time_us", sa.BigInteger))
            .data(list(moments[start : start + _LOOKUP_CHUNK]))
            .cte("wanted")
        )
        rows = connection.execute(
            sa.select(schema.reading).join_from(
                wanted,
                schema.reading,
                sa.and_(
                    columns.series_id == wanted.c.series_id, columns.time_us == wanted.c.time_us
                ),
            )
        )
        found.update(
            {(row.series_id, row.time_us): (row.value, Quality(row.quality)) for row in rows}
        )
    return found


def latest(
    connection: Connection,
    series_ids: Collection[int] | None = None,
    *,
    until_us: int | None = None,
) -> dict[int, Latest]:
    """Newest readings by series id, with the parameters of `newest_times`."""
    moments = list(newest_times(connection, series_ids, until_us=until_us).items())
    return {
        series_id: Latest(series_id, time_us, value, quality)
        for (series_id, time_us), (value, quality) in readings_at(connection, moments).items()
    }


def read_range(connection: Connection, series_id: int, start_us: int, end_us: int) -> Readings:
    """The exact readings of a series in [start, end), ordered by time.

    Returns
    -------
    Readings of shape (N,): int64 µs UTC, float64 in the base unit, uint8 `Quality`.
    """
    columns = schema.reading.c
    result = connection.execution_options(yield_per=_FETCH).execute(
        sa.select(columns.time_us, columns.value, columns.quality)
        .where(
            columns.series_id == series_id,
            columns.time_us >= start_us,
            columns.time_us < end_us,
        )
        .order_by(columns.time_us)
    )
    parts = [np.array([tuple(row) for row in part], dtype=_ROW) for part in result.partitions()]
    rows = np.concatenate(parts) if parts else np.empty(0, dtype=_ROW)
    return Readings(
        np.ascontiguousarray(rows["time_us"]),
        np.ascontiguousarray(rows["value"]),
        np.ascontiguousarray(rows["quality"]),
    )


def envelopes(
    connection: Connection, series: Sequence[Series], start_us: int, end_us: int, columns: int
) -> dict[int, Envelope]:
    """Envelopes of several series over one window, by series id; every series gets one.

    Parameters
    ----------
    start_us, end_us : int
        Window, half-open. ValueError unless the end is after the start.
    columns : int
        Into how many columns of equal length the window is divided.

    Notes
    -----
    A column's mean is that of its good readings; at an even cadence that is the time-weighted
    mean. The database does the counting, so that a day of fifty series costs no Python loop.
    """
    if end_us <= start_us or columns < 1:
        raise ValueError(f"no window: {start_us} to {end_us} in {columns} columns")
    filled = {one.id: empty_envelope(start_us, end_us, columns) for one in series}
    if not filled:
        return filled
    reading = schema.reading.c
    # Columns are told from integers alone, so that edges are the same on every database.
    width_us = -(-(end_us - start_us) // columns)
    end_us = start_us + width_us * columns
    column = (reading.time_us - start_us) // width_us
    good = reading.quality == int(Quality.GOOD)
    good_value = sa.case((good, reading.value))
    statement = (
        sa.select(
            reading.series_id,
            column.label("at"),
            sa.func.min(good_value),
            sa.func.avg(good_value),
            sa.func.max(good_value),
            sa.func.count(good_value),
            sa.func.count(),
        )
        .where(
            reading.series_id.in_(list(filled)),
            reading.time_us >= start_us,
            reading.time_us < end_us,
        )
        .group_by(reading.series_id, sa.text("at"))
    )
    rows = connection.execute(statement).all()
    table = np.array(
        [tuple(np.nan if cell is None else cell for cell in row) for row in rows], dtype=np.float64
    ).reshape(-1, 7)
    for one in series:
        mine = table[table[:, 0] == one.id]
        at = mine[:, 1].astype(np.int64)
        low, mean, high = np.full((3, columns), np.nan)
        count, heard = np.zeros((2, columns), dtype=np.int64)
        low[at], mean[at], high[at] = mine[:, 2], mine[:, 3], mine[:, 4]
        count[at], heard[at] = mine[:, 5], mine[:, 6]
        filled[one.id] = Envelope(start_us, end_us, low, mean, high, count, heard - count)
    return filled


def gaps_between(connection: Connection, series: Series, start_us: int, end_us: int) -> TimeArray:
    """Gaps between good readings that touch [start, end), clipped to it.

    Returns
    -------
    (G, 2) int64
        From, to. Neighbours outside the window count: a gap that begins before it or ends after it
        is found. Where the series itself begins or ends, the window's edge stands in for the
        neighbour that is missing.
    """
    reading = schema.reading.c
    gap_us = microseconds(max_gap_s(series.station.cadence_s))
    good = sa.and_(reading.series_id == series.id, reading.quality == int(Quality.GOOD))
    before = connection.execute(
        sa.select(sa.func.max(reading.time_us)).where(good, reading.time_us < start_us)
    ).scalar()
    after = connection.execute(
        sa.select(sa.func.min(reading.time_us)).where(good, reading.time_us >= end_us)
    ).scalar()
    begin_us = start_us if before is None else int(before)
    finish_us = end_us if after is None else int(after)
    inner = (
        sa.select(
            sa.func.lag(reading.time_us).over(order_by=reading.time_us).label("before"),
            reading.time_us,
        )
        .where(good, reading.time_us >= begin_us, reading.time_us <= finish_us)
        .subquery()
    )
    wide = connection.execute(
        sa.select(inner.c.before, inner.c.time_us)
        .where(inner.c.time_us - inner.c.before > gap_us)
        .order_by(inner.c.time_us)
    ).all()
    first, last = connection.execute(
        sa.select(sa.func.min(inner.c.time_us), sa.func.max(inner.c.time_us))
    ).one()
    if first is None:
        return np.array([[start_us, end_us]], dtype=np.int64)
    gaps = [(begin_us, first), *(tuple(row) for row in wide), (last, finish_us)]
    pairs = np.array(gaps, dtype=np.int64)
    pairs = pairs[pairs[:, 1] - pairs[:, 0] > gap_us]
    pairs = np.clip(pairs, start_us, end_us)
    return pairs[pairs[:, 1] > pairs[:, 0]]


def span_of(connection: Connection) -> tuple[int, int] | None:
    """First and last moment of any reading; None in an empty store."""
    reading = schema.reading.c
    first = (
        sa.select(sa.func.min(reading.time_us))
        .where(reading.series_id == schema.series.c.id).scalar_subquery()
    )  # fmt: skip
    last = (
        sa.select(sa.func.max(reading.time_us))
        .where(reading.series_id == schema.series.c.id).scalar_subquery()
    )  # fmt: skip
    row = connection.execute(sa.select(sa.func.min(first), sa.func.max(last))).one()
    return None if row[0] is None else (int(row[0]), int(row[1]))

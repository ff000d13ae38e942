"""Overruling: what a person says of a stretch stands above what screening finds.

A quality is a judgement and may change; the value never does.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray, QualityArray
from rook_tally.core.errors import UsageError
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.series.screening import SCREENED_TAIL, screened
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change, note_readings
from rook_tally.store.base.recompute_queue import note_past_changed, refuse_workings
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.readings.page_writing import write_pages
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.readings.thinned import pages_anew
from rook_tally.store.site.site import Series


class Overruling(msgspec.Struct, frozen=True):
    """A person's word on a stretch [from, to): its readings are of this quality."""

    id: int
    series_id: int
    from_us: int
    to_us: int
    quality: Quality
    who: str
    why: str


def overrule(
    connection: Connection,
    series: Series,
    from_us: int,
    to_us: int,
    quality: Quality,
    *,
    who: str,
    why: str,
) -> int:
    """Say of a stretch [from, to) what its readings are worth; returns the entry's id.

    Raises
    ------
    UsageError
        When the stretch is empty or overlaps one that was spoken of before.
    """
    table = schema.overruling
    refuse_workings(connection, series.id, "overruled")
    if to_us <= from_us:
        raise UsageError("the stretch is empty", remedy="let it end after it begins")
    overlapping = sa.select(table.c.id).where(
        table.c.series_id == series.id, table.c.from_us < to_us, table.c.to_us > from_us
    )
    if connection.execute(overlapping).first() is not None:
        raise UsageError(
            "part of this stretch was overruled before",
            kept="that stands",
            remedy="withdraw it first",
        )
    inserted = connection.execute(
        sa.insert(table).values(
            series_id=series.id,
            from_us=from_us,
            to_us=to_us,
            quality=int(quality),
            who=who,
            why=why,
        )
    )
    _judge_anew(connection, series, from_us, to_us, quality)
    key = inserted.inserted_primary_key
    assert key is not None
    return int(key[0])


def withdraw_overruling(connection: Connection, series: Series, overruling_id: int) -> None:
    """Take a word back: the stretch is judged by screening again."""
    found = next(
        (one for one in overrulings(connection, series.id) if one.id == overruling_id), None
    )
    if found is None:
        raise UsageError(f"there is no overruling {overruling_id}", remedy="see the list again")
    connection.execute(sa.delete(schema.overruling).where(schema.overruling.c.id == overruling_id))
    _judge_anew(connection, series, found.from_us, found.to_us, None)


def overrulings(connection: Connection, series_id: int) -> list[Overruling]:
    """A person's verdicts on stretches of a series, in order of time."""
    table = schema.overruling
    rows = connection.execute(
        sa.select(table).where(table.c.series_id == series_id).order_by(table.c.from_us)
    )
    return [
        Overruling(
            row.id, row.series_id, row.from_us, row.to_us, Quality(row.quality), row.who, row.why
        )
        for row in rows
    ]


def overrulings_by_series(connection: Connection) -> dict[int, list[Overruling]]:
    """Persons' verdicts on stretches of every series."""
    found: dict[int, list[Overruling]] = {}
    for row in connection.execute(sa.select(schema.overruling)):
        one = Overruling(
            row.id, row.series_id, row.from_us, row.to_us, Quality(row.quality), row.who, row.why
        )
        found.setdefault(row.series_id, []).append(one)
    return found


def with_overrulings(connection: Connection, series_id: int, readings: Readings) -> Readings:
    """Readings with the qualities people have given the stretches they lie in."""
    quality = readings.quality.copy()
    for one in overrulings(connection, series_id):
        first, after = np.searchsorted(readings.time_us, [one.from_us, one.to_us])
        quality[first:after] = one.quality
    return Readings(readings.time_us, readings.value, quality)


def overruled(connection: Connection, series_id: int, readings: Readings) -> BoolArray:
    """(N,) mask of the readings a person has spoken of."""
    mask = np.zeros(len(readings), dtype=np.bool_)
    for one in overrulings(connection, series_id):
        mask |= (readings.time_us >= one.from_us) & (readings.time_us < one.to_us)
    return mask


def write_row_qualities(
    connection: Connection, series_id: int, near: Readings, told: QualityArray, changed: BoolArray
) -> None:
    """Give rows, those of `changed`, the qualities told, and note it."""
    table = schema.reading
    connection.execute(
        sa.update(table)
        .where(table.c.series_id == series_id, table.c.time_us == sa.bindparam("at"))
        .values(quality=sa.bindparam("judged")),
        [
            {"at": int(at), "judged": int(quality)}
            for at, quality in zip(near.time_us[changed], told[changed], strict=True)
        ],
    )
    moments = near.time_us[changed]
    note_readings(connection, {series_id: (int(moments[0]), int(moments[-1]))})


def _judge_anew(
    connection: Connection, series: Series, from_us: int, to_us: int, quality: Quality | None
) -> None:
    """Give a stretch a quality, or what screening says of it, in rows and pages alike."""
    gap_s = max_gap_s(series.station.cadence_s)
    margin_us = microseconds(gap_s) * SCREENED_TAIL
    around = read_raw_range(connection, series.id, from_us - margin_us, to_us + margin_us)
    told = screened(around, series.quantity, max_gap_s=gap_s)
    inside = (around.time_us >= from_us) & (around.time_us < to_us)
    judged = around.quality.copy()
    judged[inside] = told[inside] if quality is None else quality
    rows = schema.reading.c
    fresh = connection.execute(
        sa.select(rows.time_us).where(
            rows.series_id == series.id, rows.time_us >= from_us, rows.time_us < to_us
        )
    ).scalars()
    is_row = np.isin(around.time_us, np.array(list(fresh), dtype=np.int64))
    changed = inside & (judged != around.quality)
    if (changed & is_row).any():
        write_row_qualities(connection, series.id, around, judged, changed & is_row)
    reach_us = microseconds(gap_s)
    days = sorted(
        day for _, day in sealed_days(connection, [series.id], from_us - reach_us, to_us + reach_us)
    )
    _rewrite_pages(
        connection, series, days, from_us, to_us, Readings(around.time_us, around.value, judged)
    )
    note_past_changed(connection, series.id, from_us, to_us)
    # Whoever seals one of its days meanwhile has to begin anew.
    note_readings(connection, {series.id: (from_us, to_us)})
    # Statistics, ribbons and lanes over the stretch follow.
    note_change(connection, Subject.SITE)


def _rewrite_pages(
    connection: Connection,
    series: Series,
    days: Sequence[int],
    from_us: int,
    to_us: int,
    judged: Readings,
) -> None:
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    for day_us in days:
        around = read_raw_range(
            connection, series.id, day_us - margin_us, day_us + PAGE_US + margin_us
        )
        quality = around.quality.copy()
        at = np.searchsorted(judged.time_us, around.time_us)
        known = (around.time_us >= from_us) & (around.time_us < to_us)
        quality[known] = judged.quality[at[known]]
        whole = Readings(around.time_us, around.value, quality)
        write_pages(connection, pages_anew(connection, series, whole, day_us, day_us + PAGE_US))

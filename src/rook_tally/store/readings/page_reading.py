"""Pages read: the exact readings of a stretch, and where its days lie.

A day's readings stand in a row of their own, or with those of its whole fortnight (`fortnights`).
"""

from __future__ import annotations

from collections.abc import Collection
from functools import lru_cache

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.page_codec import decode, decode_many
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.readings.summaries import FORTNIGHT_US, PAGE_US


class PageSpan(msgspec.Struct, frozen=True):
    """Where a page lies: its day, its good readings' first and last moment, the gaps between."""

    series_id: int
    start_us: int
    good_first_us: int | None
    good_last_us: int | None
    gaps: TimeArray


# About 20 MB of a site that reports every 10 s.
_KEPT_PAGES, _FEW_DAYS = 128, 3


# No fortnight has a day of its own beside it: they lie one after the other.
_PAYLOADS = (
    "SELECT start_us, payload FROM page_data "
    "WHERE series_id = ? AND start_us > ? AND start_us < ? UNION ALL "
    "SELECT start_us, payload FROM page_fortnight "
    "WHERE series_id = ? AND start_us > ? AND start_us < ? ORDER BY start_us"
)


def page_readings(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[Readings]:
    """The exact readings of the pages that touch [start, end), in order, whole days or whole
    fortnights; of a long stretch all of them in one."""
    days = (series_id, start_us - PAGE_US, end_us)
    fortnights = (series_id, start_us - FORTNIGHT_US, end_us)
    rows = fetched(connection, _PAYLOADS, (*days, *fortnights))
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
        raise page_damage(series_id, start_us, error.what) from error


def page_damage(series_id: int, start_us: int, what: str) -> DamagedPageError:
    """The error that names a page by its series and day, or fortnight."""
    return DamagedPageError(
        f"page of series {series_id} at {rfc3339(start_us)}: {what}",
        kept="every other page can still be read",
        remedy="see what is damaged with rook-tally check, and restore a backup",
    )


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

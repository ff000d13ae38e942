"""Thinning: old readings given up for space, only where a person has asked for it.

Of each five minutes of a sealed day the lowest and the highest reading stay, and every suspect one,
and the first and last of the day; so do summaries of every five minutes, so that pictures and
statistics do not change (`thinned`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import encode
from rook_tally.core.series.readings import Readings
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store, upserting_insert
from rook_tally.store.readings.page_reading import decoded
from rook_tally.store.readings.page_writing import rewrite_payload, whole_days, write_pages
from rook_tally.store.readings.pages import page_rows
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import BUCKET_US, PAGE_US
from rook_tally.store.site.site import Series

_AFTER_DAYS = "thin_after_days"
_DONE_UNTIL = "thinned_until_us"


@dataclass(frozen=True, slots=True)
class Thinned:
    """Readings that thinning removes, or would remove, of a series.

    `from_us` and `to_us` bound the days touched; `bytes_freed` is what their payloads shrink by.
    """

    series_id: int
    days: int
    readings: int
    staying: int
    bytes_freed: int
    from_us: int
    to_us: int


def stays(readings: Readings) -> BoolArray:
    """(N,) mask of the readings that thinning leaves: the lowest and highest of five minutes, the
    first and the last."""
    mask = ~readings.good
    where = np.flatnonzero(readings.good)
    bucket = readings.time_us[where] // BUCKET_US
    for order in (
        np.lexsort((readings.value[where], bucket)),
        np.lexsort((-readings.value[where], bucket)),
    ):
        first = np.flatnonzero(np.diff(bucket[order], prepend=-1))
        mask[where[order[first]]] = True
    # The ends of a day say since when and until when it was heard, and what was newest.
    for ends in (where, np.arange(len(mask))):
        mask[ends[:1]] = mask[ends[-1:]] = True
    return mask


def thin(
    store: Store,
    series: Sequence[Series],
    before_us: int,
    *,
    remove: bool,
    progress: Callable[[float], None] = lambda _share: None,
) -> list[Thinned]:
    """Thin the days that end before a moment; one entry for each series it touches.

    Parameters
    ----------
    remove : bool
        False only counts. True removes, a page a transaction, so that nobody waits for it.
    """
    found = []
    for at, one in enumerate(series):
        days = _days(store, one.id, before_us)
        freed = [
            (day_us, *cut) for day_us in days if (cut := _thin_day(store, one, day_us, remove))
        ]
        if freed:
            found.append(
                Thinned(
                    one.id,
                    len(freed),
                    sum(row[1] for row in freed),
                    sum(row[2] for row in freed),
                    sum(row[3] for row in freed),
                    freed[0][0],
                    freed[-1][0] + PAGE_US,
                )
            )
        progress((at + 1) / len(series))
    return found


def _days(store: Store, series_id: int, before_us: int) -> list[int]:
    page = schema.page.c
    with store.read() as connection:
        rows = connection.execute(
            sa.select(page.start_us)
            .where(page.series_id == series_id, page.start_us <= before_us - PAGE_US)
            .order_by(page.start_us)
        )
        return [int(row.start_us) for row in rows]


def _thin_day(
    store: Store, series: Series, day_us: int, remove: bool
) -> tuple[int, int, int] | None:
    """Readings removed and staying, and bytes freed; None when there is nothing to remove."""
    series_id = series.id
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    with store.read() as connection:
        (page,) = whole_days(connection, series_id, day_us, day_us + PAGE_US)
    payload = page["payload"]
    readings = decoded(payload, series_id, day_us)
    left = stays(readings)
    staying = int(np.count_nonzero(left))
    if staying == len(readings):
        return None
    thinned = encode(Readings(readings.time_us[left], readings.value[left], readings.quality[left]))
    if remove:
        with store.write() as connection:
            if whole_days(connection, series_id, day_us, day_us + PAGE_US) != [page]:
                return None  # written anew meanwhile; its turn comes again
            if page["buckets"] is None:
                # While all readings are there: no summary can be made of what is left.
                around = read_raw_range(
                    connection, series_id, day_us - margin_us, day_us + PAGE_US + margin_us
                )
                write_pages(
                    connection, page_rows(series, around, day_us, day_us + PAGE_US, fine=True)
                )
            rewrite_payload(connection, series_id, day_us, thinned, count=staying)
    return len(readings) - staying, staying, len(payload) - len(thinned)


def thin_always_after(connection: Connection, days: float | None) -> None:
    """Have the collector thin what becomes older than so many days; None: never again."""
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key.in_([_AFTER_DAYS, _DONE_UNTIL])))
    if days is not None:
        connection.execute(sa.insert(meta).values(key=_AFTER_DAYS, value=repr(days)))


def thinned_after_days(connection: Connection) -> float | None:
    """From what age on the collector thins; None, the usual, for never."""
    value = _told(connection, _AFTER_DAYS)
    return None if value is None else float(value)


def thin_what_is_due(
    store: Store, series: Callable[[], Sequence[Series]], *, now_us: int
) -> list[Thinned]:
    """Thin the days that have grown too old since the last time, if that is wanted at all; only
    then `series` is asked for."""
    with store.read() as connection:
        days = thinned_after_days(connection)
        done_us = int(_told(connection, _DONE_UNTIL) or 0)
    if days is None:
        return []
    before_us = now_us // PAGE_US * PAGE_US - round(days * PAGE_US)
    if before_us <= done_us:
        return []
    found = thin(store, series(), before_us, remove=True)
    with store.write() as connection:
        insert = upserting_insert(connection, schema.meta).values(
            key=_DONE_UNTIL, value=str(before_us)
        )
        connection.execute(
            insert.on_conflict_do_update(
                index_elements=["key"], set_={"value": insert.excluded.value}
            )
        )
    return found


def _told(connection: Connection, key: str) -> str | None:
    return connection.execute(
        sa.select(schema.meta.c.value).where(schema.meta.c.key == key)
    ).scalar()

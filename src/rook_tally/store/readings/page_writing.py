"""Pages written, deleted, and read whole to be written again.

Wherever a day is written, its fortnight is put together again: nobody else needs to know whether it
stands in one (`fortnights`).
"""

from __future__ import annotations

from collections.abc import Sequence
from operator import itemgetter
from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.series.readings import Readings
from rook_tally.store.base import schema
from rook_tally.store.base.database import upserting_insert
from rook_tally.store.base.raw_sql import executed_many, fetched
from rook_tally.store.readings.fortnights import (
    Fortnight,
    fits_a_fortnight,
    fortnight_and,
    fortnight_of,
    fortnight_with,
    page_apart,
    within_fortnight,
)
from rook_tally.store.readings.page_reading import decoded, page_damage
from rook_tally.store.readings.pages import FEWEST_FOR_PACKED_HOURS, PAGE_NUMBERS, checksum_of
from rook_tally.store.readings.summaries import FORTNIGHT_US

_KEYS = ("series_id", "start_us")
_OF_DAY = "WHERE series_id = ? AND start_us = ?"
_OF_STRETCH = "WHERE series_id = ? AND start_us >= ? AND start_us < ?"


def write_pages(connection: Connection, rows: Sequence[dict[str, Any]]) -> None:
    """Write pages, each in place of the one that may be there.

    Parameters
    ----------
    rows : as `page_rows` and `whole_days` give them
    """
    of_fortnights: dict[tuple[int, int], list[dict[str, Any]]] = {}
    for row in rows:
        of_fortnights.setdefault((row["series_id"], fortnight_of(row["start_us"])), []).append(row)
    apart: list[dict[str, Any]] = []
    within: list[dict[str, Any]] = []
    fortnights: list[Fortnight] = []
    for (series_id, fortnight_us), given in of_fortnights.items():
        pages = sorted(given, key=itemgetter("start_us"))
        fortnight = _joined(connection, series_id, fortnight_us, pages)
        if fortnight is None:
            pages, may_join = _whole_fortnight(connection, series_id, fortnight_us, given)
            fortnight = fortnight_with(pages) if may_join else None
        if fortnight is None:
            apart += pages
        else:
            fortnights.append(fortnight)
            within += map(within_fortnight, pages)
    _delete_days(
        connection,
        "page_fortnight",
        [(series_id, fortnight_us) for series_id, fortnight_us in of_fortnights],
    )
    # What was told of more readings than there are now.
    _delete_days(connection, "page_hours", _keys([row for row in apart if row["hours"] is None]))
    for table in ("page_hours", "page_data"):
        _delete_days(connection, table, _keys(within))
    _write(connection, schema.page, (*PAGE_NUMBERS, "totals", "gaps", "checksum"), apart + within)
    fast = [row for row in apart if row["hours"] is not None]
    _write(connection, schema.page_hours, (*_KEYS, "hours"), fast)
    _write(connection, schema.page_data, (*_KEYS, "buckets", "packed_hours", "payload"), apart)
    if fortnights:
        connection.execute(
            sa.insert(schema.page_fortnight),
            [
                {name: getattr(fortnight, name) for name in Fortnight.__struct_fields__}
                for fortnight in fortnights
            ],
        )


def _joined(
    connection: Connection, series_id: int, fortnight_us: int, pages: Sequence[dict[str, Any]]
) -> Fortnight | None:
    """The fortnight that is there with these days in it; None where there is none, or they do not
    go into it."""
    held = _fortnights_of(connection, series_id, fortnight_us, fortnight_us + 1)
    if not held:
        return None
    return fortnight_and(held[0], _readings_of(held[0]), pages)


def _readings_of(fortnight: Fortnight) -> Readings:
    series_id, start_us = fortnight.series_id, fortnight.start_us
    if fortnight.checksum != fortnight.checksum_now():
        raise page_damage(series_id, start_us, "its fortnight is not what was written")
    return decoded(fortnight.payload, series_id, start_us)


def _whole_fortnight(
    connection: Connection, series_id: int, fortnight_us: int, given: Sequence[dict[str, Any]]
) -> tuple[list[dict[str, Any]], bool]:
    """Return the pages of a fortnight that have to be written, in order, and whether they may share
    a payload. The given pages replace those that are there; where some stand apart anyway, only the
    given ones are written."""
    days = {row["start_us"]: row for row in given}
    span = (series_id, fortnight_us, fortnight_us + FORTNIGHT_US)
    held = fetched(connection, f"SELECT start_us, count FROM page {_OF_STRETCH}", span)
    others = [count for start_us, count in held if start_us not in days]
    stand_apart = max(others, default=0) >= FEWEST_FOR_PACKED_HOURS or not all(
        map(fits_a_fortnight, given)
    )
    if others and not (stand_apart and not _fortnights_of(connection, *span)):
        days = {row["start_us"]: row for row in whole_days(connection, *span)} | days
    return [days[start_us] for start_us in sorted(days)], not stand_apart


def _fortnights_of(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[Fortnight]:
    """The fortnights of a series that touch [start, end), in order."""
    rows = fetched(
        connection,
        "SELECT series_id, start_us, payload, checksum FROM page_fortnight "
        "WHERE series_id = ? AND start_us > ? AND start_us < ? ORDER BY start_us",
        (series_id, start_us - FORTNIGHT_US, end_us),
    )
    return [Fortnight(*row) for row in rows]


def _keys(rows: Sequence[dict[str, Any]]) -> list[tuple[int, int]]:
    return [(row["series_id"], row["start_us"]) for row in rows]


def _delete_days(connection: Connection, table: str, keys: Sequence[tuple[int, int]]) -> None:
    if keys:
        executed_many(connection, f"DELETE FROM {table} {_OF_DAY}", keys)


def _write(
    connection: Connection, table: sa.Table, names: Sequence[str], rows: Sequence[dict[str, Any]]
) -> None:
    if not rows:
        return
    insert = upserting_insert(connection, table)
    statement = insert.on_conflict_do_update(
        index_elements=_KEYS,
        set_={name: insert.excluded[name] for name in names if name not in _KEYS},
    )
    connection.execute(statement, [{name: row[name] for name in names} for row in rows])


def delete_pages(connection: Connection, series_id: int, start_us: int, end_us: int) -> None:
    """Delete the pages of a series whose days begin in [start, end)."""
    rest: list[dict[str, Any]] = []
    fortnights = _fortnights_of(connection, series_id, start_us, end_us)
    for fortnight in fortnights:
        if start_us <= fortnight.start_us and fortnight.start_us + FORTNIGHT_US <= end_us:
            continue
        days = whole_days(
            connection, series_id, fortnight.start_us, fortnight.start_us + FORTNIGHT_US
        )
        rest += [row for row in days if not start_us <= row["start_us"] < end_us]
    _delete_days(
        connection, "page_fortnight", [(series_id, fortnight.start_us) for fortnight in fortnights]
    )
    for table in ("page", "page_hours", "page_data"):
        span = (series_id, start_us, end_us)
        executed_many(connection, f"DELETE FROM {table} {_OF_STRETCH}", [span])
    write_pages(connection, rest)


def rewrite_payload(
    connection: Connection, series_id: int, start_us: int, payload: bytes, *, count: int
) -> None:
    """Give a page another payload; everything else that is known of its day stays."""
    (values,) = whole_days(connection, series_id, start_us, start_us + 1)
    values |= {"payload": payload, "count": count}
    values["checksum"] = checksum_of(values)
    write_pages(connection, [values])


def whole_days(
    connection: Connection, series_id: int, start_us: int, end_us: int
) -> list[dict[str, Any]]:
    """The pages of a series whose days begin in [start, end), in order, each with all that is kept
    of it, as if it stood in no fortnight.

    Raises
    ------
    DamagedPageError
        When the fortnight in which one of them stands is not what was written.
    """
    page = schema.page.c
    found = connection.execute(
        whole_pages()
        .where(page.series_id == series_id, page.start_us >= start_us, page.start_us < end_us)
        .order_by(page.start_us)
    )
    rows = [dict(row._mapping) for row in found]
    if all(row["payload"] is not None for row in rows):
        return rows
    fortnights = {
        fortnight.start_us: fortnight
        for fortnight in _fortnights_of(connection, series_id, start_us, end_us)
    }
    told = {at: _readings_of(fortnight) for at, fortnight in fortnights.items()}
    for at, row in enumerate(rows):
        if row["payload"] is None:
            fortnight_us = fortnight_of(row["start_us"])
            if fortnight_us not in fortnights:
                raise page_damage(series_id, row["start_us"], "its readings are missing")
            rows[at] = page_apart(row, told[fortnight_us])
    return rows


def whole_pages() -> sa.Select[Any]:
    """Everything of every page, its three tables side by side; without readings
    where those are in its fortnight."""
    page, hours, data = schema.page.c, schema.page_hours.c, schema.page_data.c
    joined = schema.page.outerjoin(
        schema.page_data, sa.and_(data.series_id == page.series_id, data.start_us == page.start_us)
    ).outerjoin(
        schema.page_hours,
        sa.and_(hours.series_id == page.series_id, hours.start_us == page.start_us),
    )
    return sa.select(
        *schema.page.c, hours.hours, data.buckets, data.packed_hours, data.payload
    ).select_from(joined)

"""Readings that a person deletes, and has back for a month."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import IntArray
from rook_tally.core.errors import UsageError
from rook_tally.core.series.page_codec import decode, encode
from rook_tally.core.series.readings import Readings
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change, note_readings
from rook_tally.store.base.recompute_queue import note_past_changed, refuse_workings
from rook_tally.store.readings.append import append_history
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.removal import remove_stretch
from rook_tally.store.readings.rescreening import rescreen_stretch
from rook_tally.store.readings.thinned import thinned_days
from rook_tally.store.site.site import Series

_KEPT = "nothing was deleted"


@dataclass(frozen=True, slots=True)
class Deletion:
    """Readings that were deleted and can be had back."""

    number: int
    series_id: int
    from_us: int
    to_us: int
    count: int
    who: str
    deleted_us: int


def delete_readings(
    connection: Connection,
    series: Series,
    from_us: int,
    to_us: int,
    *,
    who: str,
    now_us: int,
    only: IntArray | None = None,
) -> Deletion:
    """Delete the readings of a series in [from, to); of those `only` the moments given, (N,) µs.

    Raises
    ------
    UsageError
        When there are none, it is a working's, or they were thinned: what is left of those stands
        for others too.
    """
    refuse_workings(connection, series.id, "deleted")
    if thinned_days(connection, [series.id], from_us, to_us):
        raise UsageError(
            "readings of that time were thinned: what is left stands for all of them",
            kept=_KEPT,
            remedy="count them as suspect instead",
        )
    found = read_raw_range(connection, series.id, from_us, to_us)
    if only is not None:
        chosen = np.isin(found.time_us, only)
        found = Readings(found.time_us[chosen], found.value[chosen], found.quality[chosen])
    if not len(found):
        raise UsageError("there is no reading then", kept=_KEPT, remedy="give another stretch")
    remove_stretch(connection, series, found)
    first_us, last_us = int(found.time_us[0]), int(found.time_us[-1])
    inserted = connection.execute(
        sa.insert(schema.deleted).values(
            series_id=series.id,
            from_us=first_us,
            to_us=last_us + 1,
            count=len(found),
            payload=encode(found),
            who=who,
            deleted_us=now_us,
        )
    )
    _note(connection, series, first_us, last_us)
    key = inserted.inserted_primary_key
    assert key is not None
    return Deletion(int(key[0]), series.id, first_us, last_us + 1, len(found), who, now_us)


def deletions(connection: Connection) -> list[Deletion]:
    """What was deleted and can be had back, the newest first."""
    table = schema.deleted.c
    columns = (
        table.id,
        table.series_id,
        table.from_us,
        table.to_us,
        table.count,
        table.who,
        table.deleted_us,
    )
    rows = connection.execute(sa.select(*columns).order_by(table.id.desc()))
    return [Deletion(*row) for row in rows]


def restore_readings(connection: Connection, series: Series, number: int) -> int:
    """Have readings back that were deleted; how many. What has come for their moments since stays.

    Raises
    ------
    UsageError
        When they cannot be had back any more.
    """
    table = schema.deleted
    row = connection.execute(
        sa.select(table).where(table.c.id == number, table.c.series_id == series.id)
    ).first()
    if row is None:
        raise UsageError(
            f"nothing deleted has the number {number}", remedy="see rook-tally reading deleted"
        )
    told = decode(row.payload)
    there = read_raw_range(connection, series.id, row.from_us, row.to_us).time_us
    missing = ~np.isin(told.time_us, there)
    back = Readings(told.time_us[missing], told.value[missing], told.quality[missing])
    append_history(connection, series.id, back)
    connection.execute(sa.delete(table).where(table.c.id == number))
    _note(connection, series, row.from_us, row.to_us - 1)
    return len(back)


def forget_deleted(connection: Connection, before_us: int) -> int:
    """Let go for good what was deleted before a moment; how many stretches."""
    table = schema.deleted
    return connection.execute(sa.delete(table).where(table.c.deleted_us < before_us)).rowcount


def _note(connection: Connection, series: Series, first_us: int, last_us: int) -> None:
    """What rests on these readings is another now; so may be how their neighbours are judged."""
    rescreen_stretch(connection, series, first_us, last_us)
    note_readings(connection, {series.id: (first_us, last_us)})
    note_past_changed(connection, series.id, first_us, last_us + 1)
    note_change(connection, Subject.SERIES)

"""Strays: messages nobody could place, kept whole until somebody decides."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

_BYTES_KEY, _DAYS_KEY = "strays_bytes", "strays_days"
WRONG_KEY_WHY = "came with a wrong access key"
MOST_WRONG_KEYS = 500
"""So many strays with a wrong key are kept: whoever tries keys pushes nobody else's out."""
ROW_BYTES = 200
"""What a row costs beside its texts."""


class StrayBounds(msgspec.Struct, frozen=True):
    """The limits for strays: beyond either the oldest go, so that a chatty stranger cannot fill the
    disk."""

    most_bytes: int = 64_000_000
    most_days: float = 90.0


class Stray(msgspec.Struct, frozen=True):
    """A message kept whole: when and how it came, who it claims to be from, why it is here.

    `id` is 0 until it is kept.
    """

    arrived_us: int
    door: str
    address: str
    station: str | None
    form: str | None
    body: bytes
    why: str
    id: int = 0


def save_strays(connection: Connection, strays: Sequence[Stray]) -> None:
    """Keep messages in the running transaction and note the change."""
    if not strays:
        return
    table = schema.stray
    connection.execute(
        sa.insert(table),
        [
            {
                "arrived_us": one.arrived_us,
                "door": one.door,
                "address": one.address,
                "station": one.station,
                "form": one.form,
                "body": one.body,
                "why": one.why,
            }
            for one in strays
        ],
    )
    note_change(connection, Subject.STRAYS)


def newest_strays(connection: Connection, most: int = 100) -> list[Stray]:
    """The strays that came last, newest first."""
    table = schema.stray
    rows = connection.execute(sa.select(table).order_by(table.c.id.desc()).limit(most))
    return [_stray(row) for row in rows]


class StrayGroup(msgspec.Struct, frozen=True):
    """Strays of one sender: the station they claim (None: none), where they came in, and why the
    newest of them is one."""

    station: str | None
    door: str
    count: int
    first_us: int
    last_us: int
    why: str


def stray_groups(connection: Connection) -> list[StrayGroup]:
    """Who is astray, the one heard last first."""
    table = schema.stray
    groups = (
        sa.select(
            table.c.station,
            sa.func.count().label("count"),
            sa.func.min(table.c.arrived_us).label("first_us"),
            sa.func.max(table.c.id).label("newest"),
        )
        .group_by(table.c.station)
        .subquery()
    )
    rows = connection.execute(
        sa.select(groups, table.c.door, table.c.arrived_us, table.c.why)
        .join(table, table.c.id == groups.c.newest)
        .order_by(groups.c.newest.desc())
    )
    return [
        StrayGroup(station, door, count, first_us, last_us, why)
        for station, count, first_us, _, door, last_us, why in rows
    ]


def strays_of(connection: Connection, station: str | None) -> list[Stray]:
    """All strays that claim to be from a station, or from nobody, oldest first."""
    table = schema.stray
    rows = connection.execute(
        sa.select(table).where(table.c.station == station).order_by(table.c.id)
        if station is not None
        else sa.select(table).where(table.c.station.is_(None)).order_by(table.c.id)
    )
    return [_stray(row) for row in rows]


def name_strays(connection: Connection, address: str | None, station: str) -> list[int]:
    """Let what came without a sender's name (from an address, or from all) be a station's; returns
    which messages these are."""
    table = schema.stray
    mine = sa.select(table.c.id).where(table.c.station.is_(None))
    if address is not None:
        mine = mine.where(table.c.address == address)
    ids = list(connection.execute(mine).scalars())
    _claim(connection, ids, station)
    return ids


def unname_strays(connection: Connection, ids: Sequence[int]) -> None:
    """Let messages be nobody's again."""
    _claim(connection, ids, None)


def _claim(connection: Connection, ids: Sequence[int], station: str | None) -> None:
    table = schema.stray
    connection.execute(sa.update(table).where(table.c.id.in_(ids)).values(station=station))
    note_change(connection, Subject.STRAYS)


def drop_strays(connection: Connection, ids: Sequence[int]) -> None:
    """Take strays out: they have become readings, or nobody wants them."""
    if ids:
        connection.execute(sa.delete(schema.stray).where(schema.stray.c.id.in_(ids)))
        note_change(connection, Subject.STRAYS)


def dismiss_strays(connection: Connection, station: str | None) -> list[dict[str, Any]]:
    """Take out everything a sender, or nobody, has sent astray; returns the rows, so that they can
    come back."""
    table = schema.stray
    mine = table.c.station.is_(None) if station is None else table.c.station == station
    rows = [dict(row._mapping) for row in connection.execute(sa.select(table).where(mine))]
    drop_strays(connection, [row["id"] for row in rows])
    return rows


def restore_strays(connection: Connection, rows: Sequence[dict[str, Any]]) -> None:
    """Bring strays back that were dismissed."""
    if rows:
        connection.execute(sa.insert(schema.stray), list(rows))
        note_change(connection, Subject.STRAYS)


def stray_bounds(connection: Connection) -> StrayBounds:
    """The limits for strays."""
    told = {
        row.key: float(row.value)
        for row in connection.execute(
            sa.select(schema.meta).where(schema.meta.c.key.in_((_BYTES_KEY, _DAYS_KEY)))
        )
    }
    usual = StrayBounds()
    return StrayBounds(
        int(told.get(_BYTES_KEY, usual.most_bytes)), told.get(_DAYS_KEY, usual.most_days)
    )


def set_stray_bounds(connection: Connection, bounds: StrayBounds) -> None:
    """Say how much of the strays is to be kept."""
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key.in_((_BYTES_KEY, _DAYS_KEY))))
    connection.execute(
        sa.insert(meta),
        [
            {"key": _BYTES_KEY, "value": str(bounds.most_bytes)},
            {"key": _DAYS_KEY, "value": repr(bounds.most_days)},
        ],
    )


def prune_strays(connection: Connection, *, now_us: int | None) -> int:
    """Drop the oldest beyond the bounds, by age only where it is known what time it is; returns
    how many went."""
    table, bounds = schema.stray, stray_bounds(connection)
    tried = sa.select(table.c.id).where(table.c.why == WRONG_KEY_WHY).order_by(table.c.id.desc())
    oldest_tried = connection.execute(tried.offset(MOST_WRONG_KEYS).limit(1)).scalar()
    length = sa.func.length
    row = length(table.c.body) + length(table.c.why) + length(table.c.address) + ROW_BYTES
    size = sa.func.sum(row).over(order_by=table.c.id.desc())
    sizes = sa.select(table.c.id, size.label("so_far")).subquery()
    newest_too_many = connection.execute(
        sa.select(sa.func.max(sizes.c.id)).where(sizes.c.so_far > bounds.most_bytes)
    ).scalar()
    oldest_us = 0 if now_us is None else now_us - round(bounds.most_days * DAY_US)
    gone = connection.execute(
        sa.delete(table).where(
            sa.or_(
                table.c.id <= (newest_too_many or 0),
                table.c.arrived_us < oldest_us,
                sa.and_(table.c.why == WRONG_KEY_WHY, table.c.id <= (oldest_tried or 0)),
            )
        )
    ).rowcount
    if gone:
        note_change(connection, Subject.STRAYS)
    return gone


def _stray(row: sa.Row[Any]) -> Stray:
    return Stray(
        row.arrived_us, row.door, row.address, row.station, row.form, row.body, row.why, row.id
    )

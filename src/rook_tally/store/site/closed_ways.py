"""Ways out that a person switched off: what is set up stays, and nothing leaves by it."""

from __future__ import annotations

from typing import TypeAlias

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.ways_out import WayOutSort
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

ClosedWays: TypeAlias = frozenset[tuple[WayOutSort, str]]
"""By sort and name."""

KEY = "closed_ways"
WHY_CLOSED = "it is switched off under what leaves this machine"
_DECODER = msgspec.json.Decoder(frozenset[tuple[WayOutSort, str]])


def closed_ways(connection: Connection) -> ClosedWays:
    """The ways that are switched off."""
    meta = schema.meta
    told = connection.execute(sa.select(meta.c.value).where(meta.c.key == KEY)).scalar()
    return frozenset() if told is None else _DECODER.decode(told)


def switch_way(connection: Connection, sort: WayOutSort, name: str, *, is_on: bool) -> bool:
    """Switch a way on or off; returns whether it was on."""
    before = closed_ways(connection)
    after = before - {(sort, name)} if is_on else before | {(sort, name)}
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key == KEY))
    if after:
        told = msgspec.json.encode(sorted(after)).decode()
        connection.execute(sa.insert(meta).values(key=KEY, value=told))
    for subject in (Subject.SITE, Subject.OUTBOX):
        note_change(connection, subject)
    return (sort, name) not in before

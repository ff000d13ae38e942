"""Workings and groups as the store has them."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.workings.definitions import Working
from rook_tally.store.base import schema

# Made once: msgspec falls over when two threads are the first to decode a type.
_WORKING_DECODER = msgspec.json.Decoder(Working)


def workings(connection: Connection) -> list[Working]:
    """All workings, in the order they were made."""
    table = schema.working
    rows = connection.execute(sa.select(table.c.document).order_by(table.c.position, table.c.id))
    return [_WORKING_DECODER.decode(row.document) for row in rows]


def working_named(connection: Connection, slug: str) -> Working:
    """The working of that slug.

    Raises
    ------
    UsageError
        When there is none such.
    """
    found = next((one for one in workings(connection) if one.slug == slug), None)
    if found is None:
        raise UsageError(f"there is no working {slug}", remedy="see rook-tally working list")
    return found


def groups(connection: Connection) -> list[Group]:
    """Named sets of places and series, by name."""
    table = schema.place_group
    rows = connection.execute(sa.select(table).order_by(table.c.name))
    return [
        Group(row.name, *(tuple(one) for one in msgspec.json.decode(row.document))) for row in rows
    ]

"""Stations that announced themselves on the network."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


class Announced(msgspec.Struct, frozen=True):
    """Who announced itself, where its readings can be asked for, and when it was heard last."""

    name: str
    url: str
    heard_us: int


def note_announced(connection: Connection, one: Announced) -> None:
    """Keep that a station announced itself."""
    table = schema.announced
    connection.execute(sa.delete(table).where(table.c.name == one.name))
    connection.execute(sa.insert(table).values(name=one.name, url=one.url, heard_us=one.heard_us))
    note_change(connection, Subject.DOORS)


def withdraw_announced(connection: Connection, name: str) -> None:
    """It said goodbye, or was not heard any more."""
    connection.execute(sa.delete(schema.announced).where(schema.announced.c.name == name))
    note_change(connection, Subject.DOORS)


def announced(connection: Connection) -> list[Announced]:
    """Who announces itself, by name."""
    rows = connection.execute(sa.select(schema.announced).order_by(schema.announced.c.name))
    return [Announced(row.name, row.url, row.heard_us) for row in rows]

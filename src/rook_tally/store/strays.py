"""Strays: messages nobody could place, kept whole until somebody decides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store import schema
from rook_tally.store.changes import Subject, note_change

KEPT_STRAYS = 10_000
"""The oldest are dropped beyond this, so that a chatty stranger cannot fill the disk."""


@dataclass(frozen=True, slots=True)
class Stray:
    """A message kept whole: when and how it came, who it claims to be from, why it is here."""

    arrived_us: int
    door: str
    address: str
    station: str | None
    form: str | None
    body: bytes
    why: str


def keep_strays(connection: Connection, strays: Sequence[Stray]) -> None:
    """Keep messages in the running transaction and note the change."""
    if not strays:
        return
    table = schema.stray
    connection.execute(
        sa.insert(table),
        [
            {
                "arrived_us": one.arrived_us, "door": one.door, "address": one.address,
                "station": one.station, "form": one.form, "body": one.body, "why": one.why,
            }
            for one in strays
        ],
    )  # fmt: skip
    newest = connection.execute(sa.select(sa.func.max(table.c.id))).scalar_one()
    connection.execute(sa.delete(table).where(table.c.id <= newest - KEPT_STRAYS))
    note_change(connection, Subject.STRAYS)


def newest_strays(connection: Connection, most: int = 100) -> list[Stray]:
    """The strays that came last, newest first."""
    table = schema.stray
    rows = connection.execute(sa.select(table).order_by(table.c.id.desc()).limit(most))
    return [
        Stray(row.arrived_us, row.door, row.address, row.station, row.form, row.body, row.why)
        for row in rows
    ]

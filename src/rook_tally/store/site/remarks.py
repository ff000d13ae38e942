"""Remarks kept: pins and spans on the time axis."""

from __future__ import annotations

import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.remarks import Remark
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


def remarks(connection: Connection) -> list[Remark]:
    """All remarks of the site, by the moment they begin."""
    table = schema.remark
    rows = connection.execute(sa.select(table).order_by(table.c.start_us, table.c.id))
    return [
        Remark(row.text, row.start_us, row.end_us, row.shade, row.place, row.who, row.id)
        for row in rows
    ]


def save_remark(connection: Connection, remark: Remark) -> Remark:
    """Write a remark down, in place of the one with its id; returns it with its id.

    One with an id that is not there (it was deleted) comes back under that id.
    """
    table = schema.remark
    values = {
        "text": remark.text.strip(),
        "start_us": remark.start_us,
        "end_us": remark.end_us,
        "shade": remark.shade,
        "place": remark.place,
        "who": remark.who,
    }
    remark = replace(remark, text=remark.text.strip())
    note_change(connection, Subject.REMARKS)
    if remark.id:
        found = connection.execute(
            sa.update(table).where(table.c.id == remark.id).values(**values)
        ).rowcount
        if found:
            return remark
        values["id"] = remark.id
    inserted = connection.execute(sa.insert(table).values(**values))
    key = inserted.inserted_primary_key
    assert key is not None
    return replace(remark, id=int(key[0]))


def remove_remark(connection: Connection, remark_id: int) -> Remark:
    """Take a remark away; returns it, so that it can come back."""
    found = next((one for one in remarks(connection) if one.id == remark_id), None)
    if found is None:
        raise UsageError("that remark is not there any more", remedy="somebody took it away")
    connection.execute(sa.delete(schema.remark).where(schema.remark.c.id == remark_id))
    note_change(connection, Subject.REMARKS)
    return found

"""What people keep on the Bench."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.comparing.bench_items import BenchItem
from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_DECODER: msgspec.json.Decoder[BenchItem] = msgspec.json.Decoder(BenchItem)


def bench_items(connection: Connection) -> list[BenchItem]:
    """All of them, in the order they were kept. One of a newer program is passed over."""
    table = schema.bench_item
    found: list[BenchItem] = []
    for document in connection.execute(sa.select(table.c.document).order_by(table.c.id)).scalars():
        try:
            found.append(_DECODER.decode(document))
        except msgspec.ValidationError:
            continue
    return found


def keep_bench_item(connection: Connection, item: BenchItem) -> None:
    """Keep an item; the very same one twice is one."""
    table = schema.bench_item
    document = msgspec.json.encode(item).decode()
    there = connection.execute(sa.select(table.c.id).where(table.c.document == document)).first()
    if there is None:
        connection.execute(sa.insert(table).values(document=document))
        note_change(connection, Subject.SITE)


def drop_bench_item(connection: Connection, item: BenchItem) -> None:
    """Keep an item no more.

    Raises
    ------
    UsageError
        When it is not kept.
    """
    table = schema.bench_item
    document = msgspec.json.encode(item).decode()
    if not connection.execute(sa.delete(table).where(table.c.document == document)).rowcount:
        raise UsageError("that is not on the Bench any more", remedy="somebody took it away")
    note_change(connection, Subject.SITE)

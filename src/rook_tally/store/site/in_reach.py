"""What collectors found within reach, as the store has it for the desks."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.in_reach import Reachable
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

_KEY = "in_reach"
_DECODER = msgspec.json.Decoder(tuple[Reachable, ...])


def in_reach(connection: Connection) -> tuple[Reachable, ...]:
    """What was found last."""
    meta = schema.meta
    told = connection.execute(sa.select(meta.c.value).where(meta.c.key == _KEY)).scalar()
    return () if told is None else _DECODER.decode(told)


def put_in_reach(connection: Connection, several: Sequence[Reachable]) -> None:
    """Write down what is there now."""
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key == _KEY))
    told = msgspec.json.encode(list(several)).decode()
    connection.execute(sa.insert(meta).values(key=_KEY, value=told))
    note_change(connection, Subject.DOORS)

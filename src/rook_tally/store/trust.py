"""Who may send without an access key."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.keys import KeysWanted
from rook_tally.store import schema
from rook_tally.store.changes import Subject, note_change

_KEY = "keys_wanted"


def keys_wanted(connection: Connection) -> KeysWanted:
    """Whom the site wants an access key from."""
    meta = schema.meta
    told = connection.execute(sa.select(meta.c.value).where(meta.c.key == _KEY)).scalar()
    return KeysWanted(told) if told is not None else KeysWanted.BY_DOOR


def set_keys_wanted(connection: Connection, wanted: KeysWanted) -> None:
    """Say whom an access key is wanted from."""
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key == _KEY))
    connection.execute(sa.insert(meta).values(key=_KEY, value=wanted.value))
    note_change(connection, Subject.SITE)


def is_access_key(connection: Connection, access_hash: str) -> bool:
    """Whether some station has the key of that hash."""
    station = schema.station
    found = connection.execute(
        sa.select(station.c.id).where(station.c.access_hash == access_hash).limit(1)
    )
    return found.first() is not None

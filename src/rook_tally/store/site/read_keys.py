"""Keys with which programs of others read: made here, shown once, limited, revoked."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import access_hash, new_access_key


class ReadScope(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a key may read: series of these places, with what lies in them, and of these groups;
    neither means everything."""

    places: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()

    @property
    def is_all(self) -> bool:
        """True if nothing is held back."""
        return not (self.places or self.groups)


class ReadKey(msgspec.Struct, frozen=True):
    """A key of a program: `used_us` is when it last asked, None for never; then how often, and how
    many bytes it was given."""

    id: int
    name: str
    key_hash: str
    scope: ReadScope
    made_us: int
    who: str
    used_us: int | None = None
    requests: int = 0
    sent_bytes: int = 0


# Made once: msgspec falls over when two threads are the first to decode a type.
_SCOPE = msgspec.json.Decoder(ReadScope)


def read_keys(connection: Connection) -> list[ReadKey]:
    """All keys, in the order they were made."""
    table = schema.read_key
    return [
        ReadKey(
            row.id,
            row.name,
            row.key_hash,
            _SCOPE.decode(row.document),
            row.made_us,
            row.who,
            row.used_us,
            row.requests,
            row.sent_bytes,
        )
        for row in connection.execute(sa.select(table).order_by(table.c.id))
    ]


def read_key_of(connection: Connection, key: str) -> ReadKey | None:
    """The key that this is, by its hash; None when nobody has it."""
    wanted = access_hash(key)
    return next((one for one in read_keys(connection) if one.key_hash == wanted), None)


def add_read_key(
    connection: Connection, name: str, scope: ReadScope, *, who: str, now_us: int
) -> str:
    """Make a key; only its hash is kept, so this is the one time it can be read.

    Raises
    ------
    UsageError
        When there is one of that name, or the name is empty.
    """
    if not name.strip():
        raise UsageError("a read key needs a name", remedy="say whose program reads with it")
    if any(one.name == name for one in read_keys(connection)):
        raise UsageError(
            f"{name} has a read key already",
            kept="it goes on reading",
            remedy="revoke it first, or give this one another name",
        )
    key = new_access_key()
    connection.execute(
        sa.insert(schema.read_key).values(
            name=name,
            key_hash=access_hash(key),
            document=msgspec.json.encode(scope).decode(),
            made_us=now_us,
            who=who,
            requests=0,
            sent_bytes=0,
        )
    )
    note_change(connection, Subject.PAGE)
    return key


def revoke_read_key(connection: Connection, name: str) -> ReadKey:
    """Let a key read no longer; returns what it was.

    Raises
    ------
    UsageError
        When there is none of that name.
    """
    known = read_keys(connection)
    found = next((one for one in known if one.name == name), None)
    if found is None:
        told = ", ".join(one.name for one in known) or "none"
        raise UsageError(f"there is no read key {name}", remedy=f"read keys: {told}")
    connection.execute(sa.delete(schema.read_key).where(schema.read_key.c.id == found.id))
    note_change(connection, Subject.PAGE)
    return found


def note_reads(connection: Connection, told: dict[int, tuple[int, int, int]]) -> None:
    """Add up what keys were given: requests, bytes and the last moment by their numbers."""
    table = schema.read_key
    for number, (requests, size, used_us) in told.items():
        connection.execute(
            sa.update(table)
            .where(table.c.id == number)
            .values(
                requests=table.c.requests + requests,
                sent_bytes=table.c.sent_bytes + size,
                used_us=used_us,
            )
        )


def keep_read_key(connection: Connection, key: ReadKey) -> None:
    """Write a key down as it was: one that was revoked by mistake reads again."""
    connection.execute(
        sa.insert(schema.read_key).values(
            name=key.name,
            key_hash=key.key_hash,
            document=msgspec.json.encode(key.scope).decode(),
            made_us=key.made_us,
            who=key.who,
            used_us=key.used_us,
            requests=key.requests,
            sent_bytes=key.sent_bytes,
        )
    )
    note_change(connection, Subject.PAGE)

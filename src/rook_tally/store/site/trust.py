"""Who may send without an access key, and where passwords are kept."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

_KEY, _PASSWORDS = "keys_wanted", "passwords_at"


def keys_wanted(connection: Connection) -> KeysWanted:
    """Whom the site wants an access key from."""
    told = _told(connection, _KEY)
    return KeysWanted(told) if told is not None else KeysWanted.BY_DOOR


def set_keys_wanted(connection: Connection, wanted: KeysWanted) -> None:
    """Say whom an access key is wanted from."""
    _say(connection, _KEY, wanted.value)
    note_change(connection, Subject.SITE)


def passwords_at(connection: Connection) -> PasswordsAt:
    """Where passwords of ways of telling are to be kept."""
    told = _told(connection, _PASSWORDS)
    return PasswordsAt(told) if told is not None else PasswordsAt.DESKTOP


def set_passwords_at(connection: Connection, where: PasswordsAt) -> None:
    """Say where passwords of ways of telling are to be kept."""
    _say(connection, _PASSWORDS, where.value)
    note_change(connection, Subject.WATCHES)


@contextlib.contextmanager
def overwriting(connection: Connection) -> Iterator[None]:
    """Overwrite what is deleted or replaced within in an SQLite file, not only let go of it."""
    is_file = connection.dialect.name == "sqlite"
    if is_file:
        connection.exec_driver_sql("PRAGMA secure_delete=ON")
    try:
        yield
    finally:
        if is_file:
            connection.exec_driver_sql("PRAGMA secure_delete=OFF")


def _told(connection: Connection, key: str) -> str | None:
    meta = schema.meta
    told: str | None = connection.execute(sa.select(meta.c.value).where(meta.c.key == key)).scalar()
    return told


def _say(connection: Connection, key: str, value: str) -> None:
    meta = schema.meta
    connection.execute(sa.delete(meta).where(meta.c.key == key))
    connection.execute(sa.insert(meta).values(key=key, value=value))


def is_access_key(connection: Connection, access_hash: str) -> bool:
    """True if some station or gateway has the key of that hash."""
    station = schema.station
    found = connection.execute(
        sa.select(station.c.id)
        .where(station.c.access_hash == access_hash, station.c.removed_us.is_(None))
        .limit(1)
    )
    if found.first() is not None:
        return True
    gateway = schema.gateway_key
    wanted = sa.select(gateway.c.id).where(gateway.c.key_hash == access_hash).limit(1)
    return connection.execute(wanted).first() is not None

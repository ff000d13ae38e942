"""Duties: work that one collector at a time does for a store, whoever else is open on it.

Who holds a duty holds a lock that its end takes away, however it ends: an advisory lock of a
PostgreSQL session, or a lock on a file beside an SQLite store. Another collector then takes over.
"""

from __future__ import annotations

import enum
import fcntl
from pathlib import Path
from typing import IO, Protocol

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
from rook_tally.store.database import Store, translated
from rook_tally.store.private_files import begin_private, keep_private

_CLASS = 0x526F
"""First half of our advisory locks' key ("Ro"); the duty and its slot are the second."""
_SLOT = 256


class Duty(enum.IntEnum):
    """What belongs to one collector at a time."""

    SEALING = 1
    WATCHING = 2
    MQTT_SESSION = 3
    WORKING_OUT = 4
    BACKUP = 5


class HeldDuty(Protocol):
    """A duty that is ours."""

    def is_still_held(self) -> bool:
        """Whether it still is; False once the connection that held it is gone."""

    def release(self) -> None:
        """Let another collector have it."""


def take_duty(store: Store, duty: Duty, slot: int = 0) -> HeldDuty | None:
    """Take a duty if nobody has it; None when somebody does.

    `slot` counts duties of the same sort, of which several collectors hold one each.

    Raises
    ------
    StoreError
        When the store cannot be asked.
    """
    if store.path is not None:
        name = f"{store.path.name}.{duty.name.lower()}{slot or ''}"
        return _FileLock.taken(store.path.with_name(name))
    return _SessionLock.taken(store, int(duty) + _SLOT * slot)


class _FileLock:
    def __init__(self, file: IO[bytes]) -> None:
        self._file = file

    @classmethod
    def taken(cls, path: Path) -> _FileLock | None:
        try:
            # Whoever could open it could hold it.
            begin_private(path)
            keep_private(path)
            file = path.open("ab")
        except OSError as error:
            raise StoreError(
                f"{path} cannot be written: {error.strerror or error}",
                remedy="check that you may write to the store's folder",
            ) from error
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.close()
            return None
        return cls(file)

    def is_still_held(self) -> bool:
        return not self._file.closed

    def release(self) -> None:
        self._file.close()


class _SessionLock:
    def __init__(self, store: Store, connection: Connection) -> None:
        self._store = store
        self._connection = connection

    @classmethod
    def taken(cls, store: Store, number: int) -> _SessionLock | None:
        connection = store.dedicated_connection()
        with translated(store.url):
            # Outside any transaction: an idle one would keep the server from cleaning up.
            connection = connection.execution_options(isolation_level="AUTOCOMMIT")
            ours = connection.execute(sa.select(sa.func.pg_try_advisory_lock(_CLASS, number)))
            if ours.scalar_one():
                return cls(store, connection)
            connection.close()
        return None

    def is_still_held(self) -> bool:
        if self._connection.closed:
            return False
        try:
            with translated(self._store.url):
                self._connection.execute(sa.select(1))
        except StoreError:
            self.release()
            return False
        return True

    def release(self) -> None:
        if not self._connection.closed:
            # Given back to the pool the session would keep its lock.
            self._connection.invalidate()
            self._connection.close()

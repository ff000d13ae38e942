"""Change notices: how a desk learns that a collector wrote something, and the other way round.

Every transaction that alters what can be seen adds rows to `change`. On SQLite a reader polls
`PRAGMA data_version`, which costs microseconds; on PostgreSQL it listens. Both look into `change`
only when something moved.
"""

from __future__ import annotations

import enum
from typing import Any, NamedTuple

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store, translated
from rook_tally.store.base.raw_sql import executed, executed_many, fetched

KEPT_CHANGES = 20_000
"""Older notices are dropped; a reader that was away longer reads everything anew."""


class Subject(enum.IntEnum):
    """The subject of a change."""

    READINGS = 1
    SITE = 2
    STRAYS = 3
    DOORS = 4
    TAPE = 5
    REQUESTS = 6
    SERIES = 7
    REMARKS = 8
    WORKINGS = 9
    WATCHES = 10
    ALARMS = 11
    OUTBOX = 12
    SHEETS = 13
    PAGE = 14
    REPORTS = 15
    FIRMWARE = 16


class Change(msgspec.Struct, frozen=True):
    """One notice. For readings: which series, and the first and last moment touched."""

    seq: int
    subject: Subject
    series_id: int | None
    from_us: int | None
    to_us: int | None


_CHANNEL = "rook_change"
_INSERT_READINGS = "INSERT INTO change (subject, series_id, from_us, to_us) VALUES (?, ?, ?, ?)"


def note_change(connection: Connection, subject: Subject) -> None:
    """Note a change of configuration, strays or doors in the running transaction."""
    executed(connection, "INSERT INTO change (subject) VALUES (?)", (int(subject),))
    _notify(connection)


def note_readings(connection: Connection, touched: dict[int, tuple[int, int]]) -> None:
    """Note readings written: first and last moment by series id."""
    if not touched:
        return
    subject = int(Subject.READINGS)
    rows = [(subject, series_id, *span) for series_id, span in touched.items()]
    executed_many(connection, _INSERT_READINGS, rows)
    _notify(connection)


def _notify(connection: Connection) -> None:
    """Wake listeners when this transaction commits; PostgreSQL sends equal notices once."""
    if connection.dialect.name == "postgresql":
        executed(connection, f"NOTIFY {_CHANNEL}")


def newest_seq(connection: Connection) -> int:
    """Number of the newest notice, 0 when there is none."""
    # Straight to the driver: it is asked with every batch that something rests on.
    ((newest,),) = fetched(connection, "SELECT max(seq) FROM change", ())
    return int(newest or 0)


class Changed(NamedTuple):
    """What changed, or may have, after a notice: the configuration, readings; and the number of the
    newest notice."""

    site: bool
    readings: bool
    newest: int


_NEWEST_SINCE = (
    f"SELECT max(seq), max(CASE WHEN subject IN ({int(Subject.SITE)}, {int(Subject.SERIES)}) "
    f"THEN seq END), max(CASE WHEN subject = {int(Subject.READINGS)} THEN seq END), "
    "(SELECT min(seq) FROM change) FROM change WHERE seq > ?"
)


def changed_since(connection: Connection, seq: int) -> Changed:
    """Tell what changed after a notice."""
    ((newest, newest_site, newest_reading, oldest),) = fetched(connection, _NEWEST_SINCE, (seq,))
    is_unknown = oldest is not None and oldest > seq + 1
    return Changed(
        is_unknown or newest_site is not None,
        is_unknown or newest_reading is not None,
        seq if newest is None else int(newest),
    )


def newest_site_change(connection: Connection) -> int:
    """Number of the newest notice of the site or its series that is still there; 0 without one."""
    table = schema.change
    of_site = table.c.subject.in_((int(Subject.SITE), int(Subject.SERIES)))
    return connection.execute(sa.select(sa.func.max(table.c.seq)).where(of_site)).scalar() or 0


def are_forgotten(connection: Connection, seq: int) -> bool:
    """True if notices after one were dropped: whoever has read that far has to read all anew."""
    ((oldest,),) = fetched(connection, "SELECT min(seq) FROM change", ())
    return oldest is not None and int(oldest) > seq + 1


def newest_changes(connection: Connection, seq: int) -> tuple[int, set[Subject]]:
    """Number of the newest notice, and what the notices after one are, or may have been, about."""
    if are_forgotten(connection, seq):
        return newest_seq(connection), set(Subject)
    rows = fetched(
        connection, "SELECT subject, max(seq) FROM change WHERE seq > ? GROUP BY subject", (seq,)
    )
    newest = max([seq, *(int(row[1]) for row in rows)])
    return newest, {Subject(row[0]) for row in rows}


def readings_changed_since(connection: Connection, seq: int) -> tuple[int, list[int]]:
    """Number of the newest notice, and the series whose readings changed after a notice."""
    ((newest,),) = fetched(connection, "SELECT max(seq) FROM change WHERE seq > ?", (seq,))
    if newest is None:
        return seq, []
    if are_forgotten(connection, seq):
        every = fetched(connection, "SELECT id FROM series", ())
        return int(newest), [int(row[0]) for row in every]
    rows = fetched(connection, _CHANGED_READINGS, (seq,))
    return int(newest), [int(row[0]) for row in rows]


_NEWER = "SELECT seq, subject, series_id, from_us, to_us FROM change WHERE seq > ? ORDER BY seq"
_CHANGED_READINGS = (
    f"SELECT DISTINCT series_id FROM change WHERE seq > ? AND subject = {int(Subject.READINGS)}"
)


def prune_changes(connection: Connection) -> None:
    """Drop all but the newest notices."""
    connection.execute(
        sa.delete(schema.change).where(schema.change.c.seq <= newest_seq(connection) - KEPT_CHANGES)
    )


class ChangeTail:
    """Follows the notices of a store from the moment it is made. Used by one thread."""

    def __init__(self, store: Store) -> None:
        self._store = store
        # Commits of a connection do not move its own data_version, so this one never writes.
        self._connection = store.dedicated_connection()
        self._version = -1
        self._is_server = self._connection.dialect.name == "postgresql"
        loaded: Any = self._connection.dialect.loaded_dbapi
        self._driver_error: type[Exception] = loaded.Error
        try:
            with translated(store.url, self._driver_error):
                driver: Any = self._connection.connection.driver_connection
                if self._is_server:
                    driver.autocommit = True
                    driver.execute(f"LISTEN {_CHANNEL}")
            self._driver = driver
            with store.read() as connection:
                self._seq = newest_seq(connection)
        except StoreError:
            self.close()
            raise

    def has_news(self) -> bool:
        """True if anybody has committed something since the last call. Costs microseconds.

        Raises
        ------
        StoreError
            When the store is gone; make another tail once it is back.
        """
        # Asked twenty times a second: what an error costs is paid only when there is one.
        try:
            if self._is_server:
                # All that has come, without waiting for more.
                return any(list(self._driver.notifies(timeout=0)))
            version = self._driver.execute("PRAGMA data_version").fetchone()[0]
        except self._driver_error:
            with translated(self._store.url, self._driver_error):
                raise
        moved: bool = version != self._version
        self._version = version
        return moved

    def changes(self) -> list[Change]:
        """Notices since the last call, oldest first; one a subject where some were dropped."""
        with self._store.read() as connection:
            if are_forgotten(connection, self._seq):
                self._seq = newest_seq(connection)
                others = [one for one in Subject if one is not Subject.READINGS]
                return [Change(self._seq, one, None, None, None) for one in others]
            rows = fetched(connection, _NEWER, (self._seq,))
        if rows:
            self._seq = int(rows[-1][0])
        return [Change(row[0], Subject(row[1]), *row[2:]) for row in rows]

    def subjects(self) -> set[Subject]:
        """Subjects of the changes since the last call, without reading each of them."""
        with self._store.read() as connection:
            self._seq, told = newest_changes(connection, self._seq)
        return told

    def close(self) -> None:
        """Give the connection up."""
        # A session that listens, or whose server is gone, is of no use to the pool.
        self._connection.invalidate()
        self._connection.close()

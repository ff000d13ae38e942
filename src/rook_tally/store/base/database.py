"""An open store: its transactions, short ones, and the database's errors in our words."""

from __future__ import annotations

import contextlib
import copy
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from types import TracebackType
from typing import Any, Self, cast

import sqlalchemy as sa
from sqlalchemy import exc
from sqlalchemy.dialects import sqlite
from sqlalchemy.engine import Connection, Engine

from rook_tally.core.errors import StoreError, UnkeepableError

_LOG_BYTES = 4_000_000
_LONGEST_LOG_BYTES = 32_000_000
_CUT_WITHIN_S = 0.0
_FEW_FRAMES, _FRAME_BYTES = 256, 4120
_FROZEN_MS = 20_000
_WRITERS = 0x526F6F6B
"""PostgreSQL's advisory lock of whoever writes ("Rook")."""


class _Writer:
    """Transactions that write, of one store, one after the other.

    To a file they all go by one connection, which is kept: it has the newest rows of every series
    in its cache, and getting one from the pool costs as much as the statements of a small batch.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine.execution_options(rook_write=True)
        self._is_file = engine.dialect.name == "sqlite"
        # SQLite's own way of waiting is to sleep, longer each time; threads of ours do better.
        self._turn = threading.Lock()
        self._kept: Connection | None = None
        self._is_closed = False

    @contextlib.contextmanager
    def begin(self) -> Iterator[Connection]:
        """A transaction, once it is our turn; the database's own errors."""
        with self._turn:
            if not self._is_file:
                with self._engine.begin() as connection:
                    yield connection
                return
            if self._kept is None:
                self._kept = self._engine.connect()
            try:
                with self._kept.begin():
                    yield self._kept
            finally:
                if self._is_closed:
                    self._let_go()

    def close(self) -> None:
        """Close what is kept; of a transaction under way once it has ended."""
        self._is_closed = True
        if self._turn.acquire(blocking=False):
            try:
                self._let_go()
            finally:
                self._turn.release()

    def _let_go(self) -> None:
        kept, self._kept = self._kept, None
        if kept is not None:
            # Really closed, and not given back to a pool that may be gone.
            kept.detach()
            kept.close()


class Store:
    """An open store. Its transactions are the only way to its tables.

    Attributes
    ----------
    url : str
        Where it is, without a password; a plain path for SQLite.
    address : str
        What `open_store` takes to open it again, password included: never to be shown.
    id : str
        Stays with the store for good; names the collector's session at a broker.
    is_read_only : bool
        It can be looked at alone.
    """

    def __init__(self, engine: Engine, *, is_read_only: bool = False) -> None:
        self._engine = engine
        self.is_read_only = is_read_only
        self.url = (
            str(engine.url.database)
            if engine.dialect.name == "sqlite"
            else engine.url.render_as_string(hide_password=True)
        )
        self.address = (
            self.url
            if engine.dialect.name == "sqlite"
            else engine.url.render_as_string(hide_password=False)
        )
        self.id = ""
        self._writer = _Writer(engine)
        self._fence: Callable[[Connection], None] | None = None

    @property
    def path(self) -> Path | None:
        """The SQLite file, None for a server."""
        return Path(self.url) if self._engine.dialect.name == "sqlite" else None

    def fenced(self, check: Callable[[Connection], None]) -> Store:
        """This store again, but `check` is called at the beginning of every transaction that
        writes, and forbids it by raising."""
        other = copy.copy(self)
        other._fence = check
        return other

    def room_bytes(self) -> int | None:
        """Free bytes on the disk that holds the file; None for a server, whose disk we do not see,
        and while the disk itself is away."""
        if self.path is None:
            return None
        try:
            return shutil.disk_usage(self.path.parent).free
        except OSError:
            return None

    @contextlib.contextmanager
    def read(self) -> Iterator[Connection]:
        """A transaction that sees one state of the store and writes nothing."""
        with translated(self.url, self._driver_error), self._engine.connect() as connection:
            yield connection

    @contextlib.contextmanager
    def write(self) -> Iterator[Connection]:
        """A transaction committed on leaving, or undone whole when an error leaves it.

        One at a time on a store, whoever writes: SQLite knows no other way, and on PostgreSQL it
        is what makes the order of change notices the order of commits.
        """
        if self.is_read_only:
            raise StoreError(
                f"the store {self.url} can only be read",
                kept="nothing in it was touched",
                remedy="check that you may write to it and to its folder, and that its disk may "
                "be written",
            )
        with translated(self.url, self._driver_error), self._writer.begin() as connection:
            if connection.dialect.name == "postgresql":
                # Who is frozen in the midst must not keep everybody else from writing.
                connection.exec_driver_sql(
                    f"SELECT set_config('idle_in_transaction_session_timeout', '{_FROZEN_MS}', "
                    f"true), pg_advisory_xact_lock({_WRITERS})"
                )
            if self._fence is not None:
                self._fence(connection)
            yield connection

    @property
    def _driver_error(self) -> type[Exception]:
        """The exception of the driver itself, where it is used without SQLAlchemy."""
        loaded: Any = self._engine.dialect.loaded_dbapi
        error: type[Exception] = loaded.Error
        return error

    def dedicated_connection(self) -> Connection:
        """A connection of one's own, for a reader that watches for changes; close it."""
        with translated(self.url):
            return self._engine.connect()

    def fold_log(self) -> None:
        """Move what SQLite's write-ahead log holds into the file, when that has grown; hinders no
        reader and no writer. For whoever writes much, every second or so."""
        if self.path is None:
            return
        log = Path(f"{self.path}-wal")
        if log.exists() and (size := log.stat().st_size) > _LOG_BYTES:
            with (
                translated(self.url),
                contextlib.closing(sqlite3.connect(self.path, timeout=_CUT_WITHIN_S)) as alone,
            ):
                _, frames, folded = alone.execute("PRAGMA wal_checkpoint(PASSIVE)").fetchone()
                # It grew while a reader held it, or while a lot was written. Writers wait for both
                # of these, so next to nothing may be left to be folded in.
                if frames - folded < _FEW_FRAMES:
                    if frames * _FRAME_BYTES > _LONGEST_LOG_BYTES:
                        # Whoever writes next begins at its beginning again.
                        alone.execute("PRAGMA wal_checkpoint(RESTART)")
                    elif size > _LONGEST_LOG_BYTES and frames < _FEW_FRAMES:
                        # Nobody writes much any more: its room is given back.
                        alone.execute("PRAGMA wal_checkpoint(TRUNCATE)")

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close every connection. On SQLite the last one folds the write-ahead log in."""
        self._writer.close()
        self._engine.dispose()


def upserting_insert(connection: Connection, table: sa.Table) -> sqlite.Insert:
    """An INSERT that can say ON CONFLICT, in the dialect of the connection."""
    if connection.dialect.name == "sqlite":
        return sqlite.insert(table)
    # Loaded late: nobody on SQLite needs it, and it takes as long as a tenth of a start.
    from sqlalchemy.dialects import postgresql

    # Both have the methods we use, with the same meaning.
    return cast("sqlite.Insert", postgresql.insert(table))


@contextlib.contextmanager
def translated(url: str, *drivers_own: type[Exception]) -> Iterator[None]:
    """Turn the database's own errors into `StoreError`s that say what to do.

    `drivers_own` are to be given where a driver is spoken to past SQLAlchemy.
    """
    foreign: tuple[type[Exception], ...] = (exc.DatabaseError, sqlite3.Error, *drivers_own)
    try:
        yield
    except foreign as error:
        cause = _cause_of(getattr(error, "orig", None) or error)
        sort = UnkeepableError if _is_about_what_was_given(error) else StoreError
        raise sort(
            f"the store {url} cannot be used: {cause}",
            kept="what was committed before is unharmed",
            remedy=_remedy_for(cause),
        ) from error


def _cause_of(error: BaseException) -> str:
    """What the driver said; for a broken file also the code of where SQLite found that."""
    said = str(error).splitlines()[0]
    name = error.sqlite_errorname if isinstance(error, sqlite3.Error) else ""
    return f"{said} ({name})" if name and "malformed" in said else said


def _is_about_what_was_given(error: BaseException) -> bool:
    """True if the database works, and would not have just this. Every driver has these classes (PEP
    249)."""
    names = {one.__name__ for one in type(error).__mro__}
    return bool(names & {"DataError", "IntegrityError"})


def _remedy_for(cause: str) -> str:
    if "readonly" in cause or "unable to open" in cause:
        return "check that you may write to it and to its folder"
    if "full" in cause:
        return "make room on the disk"
    if "locked" in cause:
        return "another program holds it; try again when that is done"
    if "not a database" in cause or "malformed" in cause:
        return "name another file, or restore a backup"
    return "check the address and that the server runs"

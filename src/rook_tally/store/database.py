"""Opening a store: a path or a database URL, its layout checked, its transactions short."""

from __future__ import annotations

import contextlib
import sqlite3
import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import cast

import sqlalchemy as sa
from sqlalchemy import exc
from sqlalchemy.dialects import sqlite
from sqlalchemy.engine import URL, Connection, Engine, make_url

from rook_tally.core.errors import StoreError
from rook_tally.store import schema

_BUSY_TIMEOUT_MS = 10_000


class Store:
    """An open store. Its transactions are the only way to its tables.

    Attributes
    ----------
    url : str
        Where it is, without a password; a plain path for SQLite.
    id : str
        Stays with the store for good; names the collector's session at a broker.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self.url = (
            str(engine.url.database)
            if engine.dialect.name == "sqlite"
            else engine.url.render_as_string(hide_password=True)
        )
        self.id = ""

    @property
    def path(self) -> Path | None:
        """The SQLite file, None for a server."""
        return Path(self.url) if self._engine.dialect.name == "sqlite" else None

    @contextlib.contextmanager
    def read(self) -> Iterator[Connection]:
        """A transaction that sees one state of the store and writes nothing."""
        with translated(self.url), self._engine.connect() as connection:
            yield connection

    @contextlib.contextmanager
    def write(self) -> Iterator[Connection]:
        """A transaction committed on leaving, or undone whole when an error leaves it."""
        with (
            translated(self.url),
            self._engine.execution_options(rook_write=True).begin() as connection,
        ):
            yield connection

    def dedicated_connection(self) -> Connection:
        """A connection of one's own, for a reader that watches for changes; close it."""
        with translated(self.url):
            return self._engine.connect()

    def close(self) -> None:
        """Close every connection. On SQLite the last one folds the write-ahead log in."""
        self._engine.dispose()


def open_store(where: str | Path, *, create: bool = True) -> Store:
    """Open a store by path or database URL, making it when it is new.

    Raises
    ------
    StoreError
        When it is not there (`create=False`), cannot be written, is no store of ours, or was
        written by a newer program.
    """
    url = _url_of(where)
    if url.get_backend_name() == "sqlite":
        _prepare_file(Path(str(url.database)), create=create)
    engine = _engine_for(url)
    store = Store(engine)
    try:
        with store.read() as connection:
            known = sa.inspect(connection).has_table("meta")
        if not known:
            _create_layout(store)
        with store.read() as connection:
            found = _checked_format(connection, store.url)
        if found < schema.FORMAT:
            _bring_up_to_date(store)
        with store.read() as connection:
            store.id = connection.execute(
                sa.select(schema.meta.c.value).where(schema.meta.c.key == "id")
            ).scalar_one()
    except StoreError:
        engine.dispose()
        raise
    return store


def upserting_insert(connection: Connection, table: sa.Table) -> sqlite.Insert:
    """An INSERT that can say ON CONFLICT, in the dialect of the connection."""
    if connection.dialect.name == "sqlite":
        return sqlite.insert(table)
    # Loaded late: nobody on SQLite needs it, and it takes as long as a tenth of a start.
    from sqlalchemy.dialects import postgresql

    # Both have the methods we use, with the same meaning.
    return cast("sqlite.Insert", postgresql.insert(table))


@contextlib.contextmanager
def translated(url: str) -> Iterator[None]:
    """Turn the database's own errors into `StoreError`s that say what to do."""
    try:
        yield
    except (exc.OperationalError, exc.DatabaseError, sqlite3.Error) as error:
        cause = str(getattr(error, "orig", None) or error).splitlines()[0]
        raise StoreError(
            f"the store {url} cannot be used: {cause}",
            kept="what was committed before is unharmed",
            remedy=_remedy_for(cause),
        ) from error


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


def _url_of(where: str | Path) -> URL:
    text = str(where)
    if "://" not in text:
        return URL.create("sqlite", database=str(Path(text).expanduser().absolute()))
    try:
        url = make_url(text)
    except exc.ArgumentError:
        raise StoreError(
            f"{text!r} is no database URL",
            remedy="give a path, or postgresql://user@host/name",
        ) from None
    if url.drivername == "postgresql":
        return url.set(drivername="postgresql+psycopg")
    return url


def _prepare_file(path: Path, *, create: bool) -> None:
    if not create and not path.exists():
        raise StoreError(
            f"there is no store at {path}", remedy="check --store, or start the collector first"
        )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.is_dir():
            raise IsADirectoryError(f"{path} is a folder")
        with path.open("ab"):
            pass
    except OSError as error:
        raise StoreError(
            f"the store {path} cannot be written: {error.strerror or error}",
            remedy="name another file with --store, or make this one writable",
        ) from error


def _engine_for(url: URL) -> Engine:
    try:
        engine = sa.create_engine(url)
    except (exc.NoSuchModuleError, ImportError) as error:
        raise StoreError(
            f"a store of the sort {url.drivername} cannot be opened: {error}",
            remedy="give a path, or postgresql://user@host/name",
        ) from error
    if engine.dialect.name == "sqlite":
        sa.event.listen(engine, "connect", _set_up_sqlite)
        sa.event.listen(engine, "begin", _begin_sqlite)
    return engine


def _set_up_sqlite(connection: sqlite3.Connection, _record: object) -> None:
    # The driver must not open transactions by itself: `_begin_sqlite` does.
    connection.isolation_level = None
    cursor = connection.cursor()
    # An acknowledged reading survives a power cut, so every commit is synced.
    for pragma in (
        f"busy_timeout={_BUSY_TIMEOUT_MS}",
        "journal_mode=WAL",
        "synchronous=FULL",
        "foreign_keys=ON",
        "cache_size=-32000",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin_sqlite(connection: Connection) -> None:
    # A writer takes its lock at once: upgrading a reader later can fail without waiting.
    immediate = connection.get_execution_options().get("rook_write", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if immediate else "BEGIN")


def _create_layout(store: Store) -> None:
    with store.write() as connection:
        if sa.inspect(connection).has_table("meta"):  # another process was faster
            return
        schema.metadata.create_all(connection)
        connection.execute(
            sa.insert(schema.meta),
            [
                {"key": "format", "value": str(schema.FORMAT)},
                {"key": "id", "value": uuid.uuid4().hex},
            ],
        )


def _bring_up_to_date(store: Store) -> None:
    """Formats 2 (sealed pages), 3 (corrections) and 4 (overrulings) only add tables."""
    with store.write() as connection:
        schema.metadata.create_all(connection)
        connection.execute(
            sa.update(schema.meta)
            .where(schema.meta.c.key == "format")
            .values(value=str(schema.FORMAT))
        )


def _checked_format(connection: Connection, url: str) -> int:
    text = connection.execute(
        sa.select(schema.meta.c.value).where(schema.meta.c.key == "format")
    ).scalar()
    if text is None or not text.isdigit():
        raise StoreError(f"{url} is a database, but no store of ours", remedy="name another file")
    if int(text) > schema.FORMAT:
        raise StoreError(
            f"the store {url} was written by a newer Rook Tally (format {text}, this one knows "
            f"{schema.FORMAT})",
            kept="nothing in it was touched",
            remedy="start the newer program, or name another store",
        )
    return int(text)

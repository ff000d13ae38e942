"""Opening a store: a path or a database URL, its layout made or checked or brought up to date."""

from __future__ import annotations

import errno
import os
import sqlite3
import uuid
from functools import partial
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy import exc
from sqlalchemy.engine import URL, Connection, Engine, make_url

from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.base.private_files import begin_private, keep_private

_BUSY_TIMEOUT_MS = 10_000
LONGEST_LOG_PAGES = 16_000
CACHE_MB = 8
"""Each connection caches so much of its file. A desk has several connections in two processes, and
the system caches the file as well."""
WRITERS_CACHE_MB = 32
"""A collector's connection caches more: it writes to the newest rows of thousands of series, each
in a place of its own."""


def open_store(
    where: str | Path, *, create: bool = True, upgrades: bool = True, cache_mb: int = CACHE_MB
) -> Store:
    """Open a store by path or database URL, making it when it is new; one that can be read and not
    written is opened to look at. One of an older release is brought up to date, if `upgrades`.
    `cache_mb` is how much of a file each connection keeps.

    Raises
    ------
    StoreError
        When it is not there (`create=False`), cannot be written, is no store of ours, or was
        written by a newer program.
    """
    url = _url_of(where)
    to_look_at = False
    if url.get_backend_name() == "sqlite":
        path = Path(str(url.database))
        to_look_at = _is_to_look_at(path)
        if not to_look_at:
            _prepare_file(path, create=create)
    engine = _engine_to_look(url) if to_look_at else _engine_for(url, cache_mb)
    store = Store(engine, is_read_only=to_look_at)
    try:
        with store.read() as connection:
            known = sa.inspect(connection).has_table("meta")
        if not known:
            _create_layout(store)
        with store.read() as connection:
            found = checked_format(connection, store.url)
        if found < schema.FORMAT and not upgrades:
            raise StoreError(
                f"{store.url} was written by an older rook-tally (format {found})",
                kept="nothing was changed",
                remedy="open it once with this one: rook-tally --store … latest",
            )
        if found < schema.FORMAT:
            # Loaded late: Alembic is needed once in a store's life, not at every start.
            from rook_tally.store.maintenance.upgrade import bring_up_to_date

            bring_up_to_date(store, found)
        with store.read() as connection:
            store.id = connection.execute(
                sa.select(schema.meta.c.value).where(schema.meta.c.key == "id")
            ).scalar_one()
    except StoreError:
        engine.dispose()
        raise
    return store


# A server that went away without a word is noticed within half a minute, and lets go of what a
# client that went away so has locked.
_SERVER_PATIENCE = {
    "connect_timeout": 10,
    "keepalives_idle": 10,
    "keepalives_interval": 5,
    "keepalives_count": 3,
    "tcp_user_timeout": 20_000,
    "options": "-c tcp_keepalives_idle=10 -c tcp_keepalives_interval=5 "
    "-c tcp_keepalives_count=3 -c tcp_user_timeout=20000",
}


def _url_of(where: str | Path) -> URL:
    text = str(where)
    if "://" not in text:
        return URL.create("sqlite", database=str(Path(text).expanduser().absolute()))
    try:
        url = make_url(text)
    except exc.ArgumentError:
        raise StoreError(
            f"{text!r} is no database URL", remedy="give a path, or postgresql://user@host/name"
        ) from None
    if url.drivername == "postgresql":
        return url.set(drivername="postgresql+psycopg")
    return url


def _is_to_look_at(path: Path) -> bool:
    """True if a store is there, and can be read and not written: on a read-only disk, say."""
    return (
        path.is_file()
        and os.access(path, os.R_OK)
        and not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
    )


def _engine_to_look(url: URL) -> Engine:
    """An engine that reads a file and writes nothing, not even a log beside it."""
    path = Path(str(url.database))
    log = Path(f"{path}-wal")
    # With commits left in its log the file alone is not all there is.
    whole = not log.exists() or not log.stat().st_size
    name = str(path).replace("%", "%25").replace("?", "%3f").replace("#", "%23")
    where = f"file:{name}?mode=ro" + ("&immutable=1" if whole else "")

    def connect() -> sqlite3.Connection:
        connection = sqlite3.connect(where, uri=True, check_same_thread=False)
        connection.isolation_level = None
        return connection

    engine = sa.create_engine(url, creator=connect)
    sa.event.listen(engine, "begin", _begin_sqlite)
    return engine


def _prepare_file(path: Path, *, create: bool) -> None:
    if not create and not path.exists():
        raise StoreError(
            f"there is no store at {path}", remedy="check --store, or start the collector first"
        )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.is_dir():
            raise IsADirectoryError(f"{path} is a folder")
        if not path.exists():
            begin_private(path)
        # Asked, and not opened: closing any descriptor of the file would let go of every lock that
        # this process has on it, and with them of what keeps others from folding the log away.
        if not os.access(path, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
        for suffix in ("", "-wal", "-shm"):
            keep_private(Path(f"{path}{suffix}"))
    except OSError as error:
        raise StoreError(
            f"the store {path} cannot be written: {error.strerror or error}",
            remedy="name another file with --store, or make this one writable",
        ) from error


def _engine_for(url: URL, cache_mb: int) -> Engine:
    try:
        is_server = url.get_backend_name() == "postgresql"
        engine = sa.create_engine(url, connect_args=_SERVER_PATIENCE if is_server else {})
    except (exc.NoSuchModuleError, ImportError) as error:
        raise StoreError(
            f"a store of the sort {url.drivername} cannot be opened: {error}",
            remedy="give a path, or postgresql://user@host/name",
        ) from error
    if engine.dialect.name == "sqlite":
        sa.event.listen(engine, "connect", partial(_set_up_sqlite, cache_mb))
        sa.event.listen(engine, "begin", _begin_sqlite)
    return engine


def _set_up_sqlite(cache_mb: int, connection: sqlite3.Connection, _record: object) -> None:
    # The driver must not open transactions by itself: `_begin_sqlite` does.
    connection.isolation_level = None
    cursor = connection.cursor()
    # An acknowledged reading survives a power cut, so every commit is synced.
    for pragma in (
        f"busy_timeout={_BUSY_TIMEOUT_MS}",
        "journal_mode=WAL",
        "synchronous=FULL",
        "foreign_keys=ON",
        f"cache_size=-{cache_mb * 1000}",
        "temp_store=MEMORY",
        # A collector folds the log in beside its commits (`Store.fold_log`); this is for when none
        # runs: folding it in within a commit makes that one wait for the disk many times over.
        f"wal_autocheckpoint={LONGEST_LOG_PAGES}",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin_sqlite(connection: Connection) -> None:
    # A writer takes its lock at once: upgrading a reader later can fail without waiting.
    immediate = connection.get_execution_options().get("rook_write", False)
    # By the driver alone: with every small batch SQLAlchemy would take ten times as long.
    driver: Any = connection.connection.driver_connection
    driver.execute("BEGIN IMMEDIATE" if immediate else "BEGIN").close()


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
        connection.execute(sa.insert(schema.site).values(id=1, name="", zone=machine_zone()))
        connection.execute(
            sa.insert(schema.alembic_version).values(version_num=schema.NEWEST_MIGRATION)
        )


def checked_format(connection: Connection, url: str) -> int:
    """The format of a store; `StoreError` when it is none of ours or newer than we are."""
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


def existing_store(where: str | Path) -> Store:
    """Open a store that is there; raises as `open_store` does, and where there is none."""
    return open_store(where, create=False)

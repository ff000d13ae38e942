"""Care of a store: looked over, made small."""

from __future__ import annotations

import contextlib
import sqlite3
from dataclasses import dataclass
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store, translated
from rook_tally.store.readings.page_damage import damaged_pages


@dataclass(frozen=True, slots=True)
class Health:
    """The result of an inspection: counts, and a line for each damage."""

    readings: int
    pages: int
    damage: tuple[str, ...]


def verify(store: Store) -> Health:
    """Read everything once: the database's own structure, and every page's checksum and sums."""
    with store.read() as connection:
        return health_of(connection)


def health_of(connection: Connection) -> Health:
    """The same by a connection."""
    damage: list[str] = []
    if connection.dialect.name == "sqlite":
        told = connection.exec_driver_sql("PRAGMA integrity_check").scalars().all()
        damage.extend(f"database: {line}" for line in told if line != "ok")
    damage.extend(damaged_pages(connection))
    rows = connection.execute(sa.select(sa.func.count()).select_from(schema.reading)).scalar_one()
    pages, sealed = connection.execute(
        sa.select(sa.func.count(), sa.func.coalesce(sa.func.sum(schema.page.c.count), 0))
    ).one()
    return Health(int(rows) + int(sealed), int(pages), tuple(damage))


def compact(store: Store) -> tuple[int, int]:
    """Give free space back to the disk; returns the file's size before and after, bytes."""
    path = sqlite_path(store)
    store.close()
    return compact_file(path)


def compact_file(path: Path) -> tuple[int, int]:
    """Give free space of a store's file back to the disk, also while others have it open; its size
    before and after, bytes."""
    before = path.stat().st_size
    with translated(str(path)), contextlib.closing(sqlite3.connect(path, timeout=10)) as alone:
        alone.execute("VACUUM")
        alone.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return before, path.stat().st_size


def sqlite_path(store: Store) -> Path:
    """The file of a store; StoreError for a server's."""
    if store.path is None:
        raise StoreError(
            f"{store.url} is a server's database", remedy="use the server's own tools (pg_dump)"
        )
    return store.path

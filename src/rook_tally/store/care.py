"""Care of a store: copied while in use, put back, looked over, made small."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import sqlalchemy as sa

from rook_tally.core.errors import StoreError
from rook_tally.store import schema
from rook_tally.store.database import Store, translated
from rook_tally.store.opening import open_store
from rook_tally.store.pages import damaged_pages
from rook_tally.store.presence import working_collectors

_STEP_PAGES = 2_000


@dataclass(frozen=True, slots=True)
class Health:
    """What a look over a store found: how much there is, and what is damaged, a line each."""

    readings: int
    pages: int
    damage: tuple[str, ...]


def back_up(store: Store, target: Path, *, progress: Callable[[float], None]) -> None:
    """Copy a store to a file while collectors and desks go on using it.

    The file is put in place only when it is whole and synced.

    Raises
    ------
    StoreError
        When the store is a server's, or the file cannot be written.
    """
    source_path = _sqlite_path(store)
    unfinished = target.with_name(f".{target.name}.unfinished")

    def on_step(_status: int, remaining: int, total: int) -> None:
        progress(1 - remaining / max(total, 1))

    try:
        with (
            translated(str(target)),
            contextlib.closing(sqlite3.connect(source_path)) as source,
            contextlib.closing(sqlite3.connect(unfinished)) as copy,
        ):
            source.backup(copy, pages=_STEP_PAGES, progress=on_step)
            # A backup is one file: no log beside it.
            copy.execute("PRAGMA journal_mode=DELETE")
        with unfinished.open("rb") as written:
            os.fsync(written.fileno())
        unfinished.replace(target)
    except OSError as error:
        raise StoreError(
            f"the backup {target} cannot be written: {error.strerror or error}",
            kept="the store is unharmed",
            remedy="name another file",
        ) from error
    finally:
        with contextlib.suppress(OSError):  # where nothing can be written nothing is left
            unfinished.unlink(missing_ok=True)


def restore(backup: Path, place: Path, *, now_us: int) -> Path | None:
    """Put a backup in the place of a store.

    Returns
    -------
    Path or None
        Where the store that was there has been moved to; None when there was none.

    Raises
    ------
    StoreError
        When the backup is damaged or none of ours, or a collector works on the store.
    """
    copied = open_store(backup, create=False)
    try:
        found = look_over(copied)
    finally:
        copied.close()
    if found.damage:
        raise StoreError(
            f"the backup {backup} is damaged: {found.damage[0]}",
            kept="the store was left as it is",
            remedy="take another backup",
        )
    moved = None
    if place.exists():
        _refuse_while_collected(place, now_us)
        moved = place.with_name(f"{place.name}.before-{now_us // 1_000_000}")
        place.rename(moved)
        for suffix in ("-wal", "-shm"):
            Path(f"{place}{suffix}").unlink(missing_ok=True)
    with contextlib.closing(sqlite3.connect(backup)) as source:
        place.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.closing(sqlite3.connect(place)) as copy:
            source.backup(copy)
    return moved


def _refuse_while_collected(place: Path, now_us: int) -> None:
    store = open_store(place, create=False)
    try:
        with store.read() as connection:
            working = working_collectors(connection, now_us=now_us)
    finally:
        store.close()  # folds the log into the file, which is then whole by itself
    if working:
        raise StoreError(
            f"a collector (process {working[0].pid} on {working[0].host}) works on {place}",
            kept="the store was left as it is",
            remedy="stop the collector first",
        )


def look_over(store: Store) -> Health:
    """Read everything once: the database's own structure, and every page's checksum and sums."""
    damage: list[str] = []
    with store.read() as connection:
        if connection.dialect.name == "sqlite":
            told = connection.exec_driver_sql("PRAGMA integrity_check").scalars().all()
            damage.extend(f"database: {line}" for line in told if line != "ok")
        damage.extend(damaged_pages(connection))
        rows = connection.execute(
            sa.select(sa.func.count()).select_from(schema.reading)
        ).scalar_one()
        pages, sealed = connection.execute(
            sa.select(sa.func.count(), sa.func.coalesce(sa.func.sum(schema.page.c.count), 0))
        ).one()
    return Health(int(rows) + int(sealed), int(pages), tuple(damage))


def compact(store: Store) -> tuple[int, int]:
    """Give free space back to the disk; returns the file's size before and after, bytes."""
    path = _sqlite_path(store)
    before = path.stat().st_size
    store.close()
    with translated(store.url), contextlib.closing(sqlite3.connect(path, timeout=10)) as alone:
        alone.execute("VACUUM")
        alone.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return before, path.stat().st_size


def _sqlite_path(store: Store) -> Path:
    if store.path is None:
        raise StoreError(
            f"{store.url} is a server's database", remedy="use the server's own tools (pg_dump)"
        )
    return store.path

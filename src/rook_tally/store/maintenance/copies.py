"""Copies of a store: taken while it is in use, verified before they take their name, put back."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store, translated
from rook_tally.store.base.private_files import begin_private, synced_folder
from rook_tally.store.maintenance.inspection import Health, health_of, sqlite_path
from rook_tally.store.maintenance.opening import open_store
from rook_tally.store.site.heartbeat import working_collectors

_STEP_PAGES = 2_000
_COUNTED = ("reading", "page", "station", "series", "stray", "journal")


def back_up(store: Store, target: Path, *, progress: Callable[[float], None]) -> Health:
    """Copy a store, as it is at one moment, to a file while collectors and desks go on using it.

    The copy is opened, looked over and counted before it takes its name, and synced with its
    folder. What is damaged in the store is so in the copy, and told.

    Raises
    ------
    StoreError
        When the store is a server's, or the file cannot be written or differs from the store.
    """
    source_path = sqlite_path(store)
    unfinished = target.with_name(f".{target.name}.unfinished")

    def on_step(_status: int, remaining: int, total: int) -> None:
        progress(0.9 * (1 - remaining / max(total, 1)))

    try:
        unfinished.unlink(missing_ok=True)
        begin_private(unfinished)
        with (
            translated(str(target)),
            contextlib.closing(sqlite3.connect(source_path, isolation_level=None)) as source,
            contextlib.closing(sqlite3.connect(unfinished)) as copy,
        ):
            # One snapshot for all of it: else every commit meanwhile would begin the copy anew.
            source.execute("BEGIN")
            counts = _counts(source)
            source.backup(copy, pages=_STEP_PAGES, progress=on_step)
            source.execute("ROLLBACK")
            # A backup is one file: no log beside it.
            copy.execute("PRAGMA journal_mode=DELETE")
        _sync(unfinished)
        found = _verified(unfinished, counts, target)
        unfinished.replace(target)
        synced_folder(target.parent)
        progress(1.0)
    except OSError as error:
        raise StoreError(
            f"the backup {target} cannot be written: {error.strerror or error}",
            kept="the store is unharmed",
            remedy="name another file",
        ) from error
    finally:
        with contextlib.suppress(OSError):  # where nothing can be written nothing is left
            unfinished.unlink(missing_ok=True)
    return found


def _sync(path: Path) -> None:
    with path.open("rb+") as written:
        os.fsync(written.fileno())


def _counts(connection: sqlite3.Connection) -> dict[str, int]:
    # A store of an older format does not have all of them yet.
    there = {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}
    return {
        name: int(connection.execute(f'SELECT count(*) FROM "{name}"').fetchone()[0])
        for name in _COUNTED
        if name in there
    }


def _verified(copy: Path, counts: dict[str, int], target: Path) -> Health:
    """Inspect a copy; StoreError when it is not what was copied."""
    with contextlib.closing(sqlite3.connect(f"file:{_quoted(copy)}?mode=ro", uri=True)) as alone:
        found = _counts(alone)
        told = alone.execute("SELECT value FROM meta WHERE key = 'format'").fetchone()
        integrity = [str(row[0]) for row in alone.execute("PRAGMA integrity_check")]
    if found != counts:
        raise StoreError(
            f"the backup {target} differs from the store: {found} instead of {counts}",
            kept="it did not take its name; the store is unharmed",
            remedy="try again; if it stays so, look at the disk",
        )
    if told is None or int(told[0]) != schema.FORMAT:
        # The pages of an older format are not as we read them now.
        damage = tuple(f"database: {line}" for line in integrity if line != "ok")
        return Health(counts["reading"], counts.get("page", 0), damage)
    with _looking(copy) as connection:
        return health_of(connection)


def _quoted(path: Path) -> str:
    return str(path).replace("%", "%25").replace("?", "%3f").replace("#", "%23")


@contextlib.contextmanager
def _looking(path: Path) -> Iterator[Connection]:
    """A connection to a file that nobody uses, which it changes nothing of."""
    engine = sa.create_engine(f"sqlite:///file:{_quoted(path)}?mode=ro&immutable=1&uri=true")
    try:
        with translated(str(path)), engine.connect() as connection:
            yield connection
    finally:
        engine.dispose()


def restore(backup: Path, place: Path, *, now_us: int) -> Path | None:
    """Put a backup in the place of a store, at one stroke.

    Returns
    -------
    Path or None
        Where the store that was there stands now, whole; None when there was none.

    Raises
    ------
    StoreError
        When the backup is damaged or none of ours, or anything has the store open.
    """
    with open_store(backup, create=False) as copied, copied.read() as connection:
        found = health_of(connection)
    if found.damage:
        raise StoreError(
            f"the backup {backup} is damaged: {found.damage[0]}",
            kept="the store was left as it is",
            remedy="take another backup",
        )
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        ready = place.with_name(f".{place.name}.restoring")
        ready.unlink(missing_ok=True)
        begin_private(ready)
        with (
            contextlib.closing(sqlite3.connect(backup)) as source,
            contextlib.closing(sqlite3.connect(ready)) as copy,
        ):
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")
        _sync(ready)
        moved = None
        if place.exists():
            with _alone_with(place, now_us):
                moved = place.with_name(f"{place.name}.before-{now_us // 1_000_000}")
                # The old one has two names for a moment: at none is there no store.
                os.link(place, moved)
                ready.replace(place)
        else:
            ready.replace(place)
        synced_folder(place.parent)
    except (OSError, sqlite3.Error) as error:
        raise StoreError(
            f"{place} cannot be put back: {error}",
            kept="the store was left as it is",
            remedy="check that its folder can be written to and has room",
        ) from error
    return moved


@contextlib.contextmanager
def _alone_with(place: Path, now_us: int) -> Iterator[None]:
    """Have a store to oneself, its log folded in, and let nobody open it meanwhile.

    Raises
    ------
    StoreError
        When a collector, a window, an export or anything else has it open.
    """
    with open_store(place, create=False) as store, store.read() as connection:
        working = working_collectors(connection, now_us=now_us)
    if working:
        raise _in_use(place, f"a collector (process {working[0].pid} on {working[0].host})")
    with contextlib.closing(
        sqlite3.connect(place, timeout=0.5, isolation_level=None)
    ) as connection:
        try:
            # Only whoever is alone may leave the log behind; that folds it in, too.
            (mode,) = connection.execute("PRAGMA journal_mode=DELETE").fetchone()
            connection.execute("BEGIN EXCLUSIVE")
        except sqlite3.OperationalError:
            mode = "wal"
        if mode != "delete":
            raise _in_use(place, "a window, an export or another program")
        yield


def _in_use(place: Path, who: str) -> StoreError:
    return StoreError(
        f"{who} has {place} open",
        kept="the store was left as it is",
        remedy="stop or close it first",
    )

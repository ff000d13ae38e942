"""Copies one can trust: one snapshot, read back before it has its name; put back at one stroke."""

from __future__ import annotations

import contextlib
import os
import sqlite3
import stat
import threading
from pathlib import Path

import pytest

from rook_tally.core.errors import StoreError
from rook_tally.store.base import Store
from rook_tally.store.maintenance import copies as copies_module
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.copies import back_up, restore
from rook_tally.store.site.leases import Leases, Role
from tests.builders import NOON_US, append, begin_series


@pytest.fixture
def engine() -> str:
    return "sqlite"


def _count(path: Path) -> int:
    with contextlib.closing(sqlite3.connect(path)) as alone:
        return int(alone.execute("SELECT count(*) FROM reading").fetchone()[0])


def _mode(path: Path) -> int:
    return stat.S_IMODE(path.stat().st_mode)


def test_a_backup_ends_however_much_is_written_meanwhile(
    store_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(copies_module, "_STEP_PAGES", 2)
    with contextlib.closing(open_store(store_path)) as store:
        series = begin_series(store)
        append(store, series, *((NOON_US + at, 1.0) for at in range(20_000)))
        steps: list[float] = []

        def on_step(share: float) -> None:
            # A collector commits between any two steps.
            append(store, series, (NOON_US + 1_000_000 + len(steps), 2.0))
            steps.append(share)

        found = back_up(store, tmp_path / "copy.db", progress=on_step)
        assert found.readings == 20_000
        assert found.damage == ()
        assert len(steps) > 50
        assert steps[-1] == 1.0
    assert _count(tmp_path / "copy.db") == 20_000
    assert _mode(tmp_path / "copy.db") == 0o600
    assert sorted(one.name for one in tmp_path.glob("*copy*")) == ["copy.db"]


def test_a_copy_that_differs_does_not_take_its_name(
    store_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with contextlib.closing(open_store(store_path)) as store:
        append(store, begin_series(store), (NOON_US, 1.0))
        (tmp_path / "copy.db").write_bytes(b"the one before")
        real, calls = copies_module._counts, []

        def forgets(connection: sqlite3.Connection) -> dict[str, int]:
            calls.append(1)
            counts = real(connection)
            return counts if len(calls) == 1 else counts | {"reading": 0}

        monkeypatch.setattr(copies_module, "_counts", forgets)
        with pytest.raises(StoreError, match="differs from the store"):
            back_up(store, tmp_path / "copy.db", progress=lambda _: None)
    assert (tmp_path / "copy.db").read_bytes() == b"the one before"
    assert not list(tmp_path.glob(".copy*"))


def test_restoring_is_refused_while_anything_has_the_store_open(
    store_path: Path, tmp_path: Path
) -> None:
    with contextlib.closing(open_store(store_path)) as store:
        append(store, begin_series(store), (NOON_US, 1.0))
        back_up(store, tmp_path / "copy.db", progress=lambda _: None)
        # A window that only looks.
        tail = store.dedicated_connection()
        tail.exec_driver_sql("PRAGMA data_version").fetchone()
        with pytest.raises(StoreError, match="a window, an export or another program"):
            restore(tmp_path / "copy.db", store_path, now_us=NOON_US)
        tail.close()
        append(store, begin_series(store, "humidity"), (NOON_US, 50.0))
    assert _count(store_path) == 2


def test_what_was_there_before_is_set_aside_whole(store_path: Path, tmp_path: Path) -> None:
    store = open_store(store_path)
    series = begin_series(store)
    append(store, series, (NOON_US, 1.0))
    back_up(store, tmp_path / "copy.db", progress=lambda _: None)
    append(store, series, *((NOON_US + at, 1.0) for at in range(1, 50)))
    # Ended as by a power cut: its last commits stand in the log alone.
    kept = {one.name: one.read_bytes() for one in tmp_path.glob("site.db*")}
    store.close()
    for name, told in kept.items():
        (tmp_path / name).write_bytes(told)
    assert (tmp_path / "site.db-wal").stat().st_size > 0
    moved = restore(tmp_path / "copy.db", store_path, now_us=NOON_US)
    assert moved is not None
    assert _count(moved) == 50
    assert _count(store_path) == 1
    assert not (tmp_path / "site.db-wal").exists()
    assert (_mode(store_path), _mode(moved)) == (0o600, 0o600)
    with contextlib.closing(open_store(store_path)) as again:
        append(again, begin_series(again, "humidity"), (NOON_US, 50.0))


def test_a_store_others_could_read_is_taken_from_them(store_path: Path) -> None:
    umask = os.umask(0o000)
    try:
        open_store(store_path).close()
        assert _mode(store_path) == 0o600
        store_path.chmod(0o644)
        store: Store = open_store(store_path)
        append(store, begin_series(store), (NOON_US, 1.0))
        held = Leases(store, "tests").take(Role.SEALING)
        assert held is not None
        held.release()
        modes = {one.name: _mode(one) for one in store_path.parent.glob("site.db*")}
        store.close()
    finally:
        os.umask(umask)
    assert set(modes.values()) == {0o600}


def test_the_log_is_cut_off_after_a_reader_held_it(
    store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from rook_tally.store.base import database

    monkeypatch.setattr(database, "_LOG_BYTES", 10_000)
    monkeypatch.setattr(database, "_LONGEST_LOG_BYTES", 100_000)
    with contextlib.closing(open_store(store_path)) as store:
        series = begin_series(store)
        log = Path(f"{store_path}-wal")
        reading, done = threading.Event(), threading.Event()

        def read() -> None:
            with store.read() as connection:
                connection.exec_driver_sql("SELECT count(*) FROM reading").fetchone()
                reading.set()
                done.wait()

        reader = threading.Thread(target=read)
        reader.start()
        reading.wait()
        for at in range(60):
            append(store, series, (NOON_US + at, 1.0))
            store.fold_log()
        assert log.stat().st_size > 100_000
        done.set()
        reader.join()
        # Who writes next begins it anew; then, as nobody writes much, it is cut off.
        store.fold_log()
        append(store, series, (NOON_US + 100, 1.0))
        store.fold_log()
        assert log.stat().st_size == 0

"""Opening stores: made when new, found again, refused with a reason."""

from __future__ import annotations

import sqlite3
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest
import sqlalchemy as sa

from rook_tally.core.errors import StoreError
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import set_site
from tests.processes import rook_tally


def test_a_new_store_is_made_with_its_folders_and_keeps_its_id(tmp_path: Path) -> None:
    path = tmp_path / "deep" / "er" / "site.db"
    first = open_store(path)
    first.close()
    second = open_store(path)
    assert first.id == second.id != ""
    second.close()


def test_it_is_in_wal_mode_and_syncs_every_commit(store: Store) -> None:
    with store.read() as connection:
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
        assert connection.exec_driver_sql("PRAGMA synchronous").scalar() == 2


def test_an_error_undoes_the_whole_transaction(store: Store) -> None:
    with pytest.raises(RuntimeError), store.write() as connection:
        set_site(connection, name="Lost", zone="UTC")
        raise RuntimeError
    with store.read() as connection:
        assert connection.execute(sa.select(schema.site.c.name)).scalar() == ""


def test_it_writes_on_after_an_error_and_after_it_was_closed(store: Store) -> None:
    """One connection writes and is kept: no error of one transaction is the next one's."""
    with pytest.raises(StoreError), store.write() as connection:
        connection.exec_driver_sql("INSERT INTO nowhere VALUES (1)")
    with store.write() as connection:
        set_site(connection, name="Wharf", zone="UTC")
    store.close()
    with store.write() as connection:
        set_site(connection, name="Quay", zone="UTC")
    with store.read() as connection:
        assert connection.execute(sa.select(schema.site.c.name)).scalar() == "Quay"


def test_closed_in_the_midst_of_a_transaction_it_lets_the_file_go_with_it(
    store: Store, store_path: Path
) -> None:
    with store.write() as connection:
        set_site(connection, name="Wharf", zone="UTC")
        store.close()
    with store.read() as connection:
        assert connection.execute(sa.select(schema.site.c.name)).scalar() == "Wharf"
    store.close()
    # The last connection to go takes the write-ahead log along.
    assert not store_path.with_name(f"{store_path.name}-wal").exists()


def test_many_threads_write_one_after_the_other(store: Store) -> None:
    def write(number: int) -> None:
        with store.write() as connection:
            before = connection.execute(sa.select(schema.site.c.name)).scalar_one()
            set_site(connection, name=f"{before}.", zone="UTC")

    with ThreadPoolExecutor(8) as threads:
        list(threads.map(write, range(40)))
    with store.read() as connection:
        assert connection.execute(sa.select(schema.site.c.name)).scalar() == "." * 40


def test_a_newer_store_is_refused_and_left_alone(store: Store, store_path: Path) -> None:
    with store.write() as connection:
        connection.execute(
            sa.update(schema.meta).where(schema.meta.c.key == "format").values(value="99")
        )
    with pytest.raises(StoreError, match="written by a newer Rook Tally .format 99"):
        open_store(store_path)


def test_a_file_that_is_no_database(tmp_path: Path) -> None:
    path = tmp_path / "letter.db"
    path.write_text("Dear potters, " * 100)
    with pytest.raises(StoreError, match="not a database; .*name another file"):
        open_store(path)
    assert path.read_text().startswith("Dear potters")


def test_somebody_elses_database(tmp_path: Path) -> None:
    path = tmp_path / "other.db"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE meta (key TEXT, value TEXT)")
    with pytest.raises(StoreError, match="no store of ours"):
        open_store(path)


@pytest.mark.parametrize("place", ["{folder}", "/dev/null/site.db"])
def test_places_that_cannot_hold_a_store(tmp_path: Path, place: str) -> None:
    with pytest.raises(StoreError, match="cannot be written: .*name another file with --store"):
        open_store(place.format(folder=tmp_path))


def test_a_store_that_must_be_there_already(tmp_path: Path) -> None:
    with pytest.raises(StoreError, match="there is no store at"):
        open_store(tmp_path / "none.db", create=False)
    assert not (tmp_path / "none.db").exists()


def test_an_address_that_is_none() -> None:
    with pytest.raises(StoreError, match="no database URL; give a path, or postgresql"):
        open_store("://nowhere")


def test_no_password_is_repeated_in_an_error() -> None:
    with pytest.raises(StoreError) as caught:
        open_store("sqlite:////dev/null/x?password=secret")
    assert "secret" not in str(caught.value)


@pytest.mark.parametrize("url", ["oracle://x/y", "abacus://beads"])
def test_a_sort_of_database_we_do_not_keep_stores_in(url: str) -> None:
    with pytest.raises(StoreError, match="cannot be opened: .*give a path, or postgresql"):
        open_store(url)


def test_opening_a_store_again_keeps_what_locks_are_held_on_it(store_path: Path) -> None:
    """A second opening that let go of this process's locks would have the next program that closes
    the store take itself for the last one, and delete a log that we still write to."""
    with open_store(store_path) as ours:
        with ours.read() as connection:
            connection.execute(sa.select(schema.meta.c.value)).all()
        open_store(store_path).close()
        done = rook_tally("--store", str(store_path), "station", "list")
        assert done.returncode == 0, done.stderr
        assert Path(f"{store_path}-wal").exists()
        with ours.write() as connection:
            connection.execute(sa.update(schema.site).values(name="Kiln yard"))
        with closing(sqlite3.connect(store_path)) as other:
            assert other.execute("SELECT name FROM site").fetchall() == [("Kiln yard",)]
            assert other.execute("PRAGMA integrity_check").fetchall() == [("ok",)]

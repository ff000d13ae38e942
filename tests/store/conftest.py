"""The store's tests run on both engines: SQLite, and a real PostgreSQL."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from benchmarks.faults.postgres import Cluster, cluster
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store

_SQLITE_ONLY = {"tests.store.test_database"}


@pytest.fixture(scope="session")
def postgres() -> Iterator[Cluster]:
    with cluster() as made:
        yield made


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    if "store" in metafunc.fixturenames and metafunc.module.__name__ not in _SQLITE_ONLY:
        metafunc.parametrize("engine", ["sqlite", "postgresql"])


@pytest.fixture
def engine() -> str:
    return "sqlite"


@pytest.fixture(scope="session")
def empty_database(postgres: Cluster) -> str:
    """The name of a database with an empty store in it, to copy."""
    name, url = postgres.new_database()
    open_store(url).close()
    return name


@pytest.fixture
def store(
    engine: str, store_path: Path, empty_store: Path, request: pytest.FixtureRequest
) -> Iterator[Store]:
    where: str | Path = store_path
    if engine == "postgresql":
        made: Cluster = request.getfixturevalue("postgres")
        name, where = made.new_database(like=request.getfixturevalue("empty_database"))
        # Hundreds of them would take minutes to remove together.
        request.addfinalizer(lambda: made.drop_database(name))
    elif not store_path.exists():
        shutil.copyfile(empty_store, store_path)
    opened = open_store(where)
    yield opened
    opened.close()

"""A real PostgreSQL of our own for tests: a cluster in a temporary folder, a database a test."""

from __future__ import annotations

import contextlib
import itertools
import os
import shutil
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import sqlalchemy as sa

from tests.processes import wait_until

_numbers = itertools.count(1)


def _programs() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    assert found, "PostgreSQL is not installed: apt-get install postgresql"
    return found[-1].parent


def _as_postgres() -> dict[str, object]:
    """PostgreSQL refuses to run as root, so it becomes its own user then."""
    if os.geteuid() != 0:
        return {}
    return {"user": "postgres", "group": "postgres", "extra_groups": []}


class Cluster:
    """A running server that listens on a socket in its own folder only."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="rook-pg-"))
        who = _as_postgres()
        if who:
            shutil.chown(self.folder, "postgres", "postgres")
        programs, data = _programs(), self.folder / "data"
        subprocess.run(
            [programs / "initdb", "-D", data, "-A", "trust", "-U", "postgres", "-E", "UTF8",
             "--no-sync"],
            cwd=self.folder, env={"LC_ALL": "C.UTF-8"}, check=True, capture_output=True, **who,
        )  # type: ignore[call-overload]  # fmt: skip
        self.start()

    def start(self) -> None:
        """Start it, again after `stop`."""
        self.process: subprocess.Popen[bytes] = subprocess.Popen(
            [_programs() / "postgres", "-D", self.folder / "data", "-k", self.folder,
             "-c", "listen_addresses=", "-c", "fsync=off"],
            cwd=self.folder, stderr=subprocess.DEVNULL, **_as_postgres(),
        )  # type: ignore[call-overload]  # fmt: skip
        wait_until(self._answers)

    def stop(self) -> None:
        """Stop it; its data stay."""
        self.process.send_signal(signal.SIGINT)  # does not wait for connections left open
        self.process.wait(30)

    def _answers(self) -> bool:
        with contextlib.suppress(psycopg.OperationalError):
            self._connect().close()
            return True
        return False

    def _connect(self) -> psycopg.Connection[tuple[object, ...]]:
        return psycopg.connect(
            host=str(self.folder), user="postgres", dbname="postgres", autocommit=True
        )

    def new_database(self) -> str:
        """URL of a fresh, empty database."""
        name = f"rook{next(_numbers)}"
        with self._connect() as connection:
            connection.execute(f"CREATE DATABASE {name}")
        url = sa.URL.create(
            "postgresql", username="postgres", database=name, query={"host": str(self.folder)}
        )
        return url.render_as_string()

    def close(self) -> None:
        """Stop it and remove its folder."""
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)


@contextlib.contextmanager
def cluster() -> Iterator[Cluster]:
    """A cluster for as long as the block runs."""
    made = Cluster()
    try:
        yield made
    finally:
        made.close()

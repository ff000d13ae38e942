"""A real PostgreSQL of our own, in a folder of its own: for faults, and for the tests."""

from __future__ import annotations

import contextlib
import itertools
import os
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import sqlalchemy as sa

from benchmarks.faults.waiting import wait_s
from rook_tally.core.errors import RookTallyError

_READY_WITHIN_S = 60.0
_numbers = itertools.count(1)


def _programs() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if not found:
        raise RookTallyError("PostgreSQL is not installed", remedy="apt-get install postgresql")
    return found[-1].parent


def _as_postgres() -> dict[str, Any]:
    """PostgreSQL refuses to run as root, so it becomes its own user then."""
    if os.geteuid() != 0:
        return {}
    return {"user": "postgres", "group": "postgres", "extra_groups": []}


class Cluster:
    """A running server that listens on a socket in its own folder, and on `addresses` if any are
    given; `like` names another, of which it becomes a standby."""

    def __init__(
        self, *, addresses: str = "", port: int = 5432, like: Cluster | None = None
    ) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="rook-pg-"))
        if _as_postgres():
            shutil.chown(self.folder, "postgres", "postgres")
        self._addresses, self.port = addresses, port
        words = (
            ["initdb", "-A", "trust", "-U", "postgres", "-E", "UTF8", "--no-sync"]
            if like is None
            else [
                "pg_basebackup",
                "-h",
                str(like.folder),
                "-p",
                str(like.port),
                "-U",
                "postgres",
                "-R",
                "--no-sync",
                "-c",
                "fast",
            ]
        )
        subprocess.run(
            [_programs() / words[0], "-D", self.folder / "data", *words[1:]],
            cwd=self.folder,
            env={"LC_ALL": "C.UTF-8"},
            check=True,
            capture_output=True,
            **_as_postgres(),
        )
        if addresses:
            with (self.folder / "data" / "pg_hba.conf").open("a") as rights:
                rights.write("host all all all trust\n")
        self.start()

    def start(self) -> None:
        """Start it, again after `stop`."""
        self.process = subprocess.Popen(
            [
                _programs() / "postgres",
                "-D",
                self.folder / "data",
                "-k",
                self.folder,
                "-p",
                str(self.port),
                "-c",
                f"listen_addresses={self._addresses}",
                "-c",
                "fsync=off",
            ],
            cwd=self.folder,
            stderr=subprocess.DEVNULL,
            **_as_postgres(),
        )
        until_s = time.monotonic() + _READY_WITHIN_S
        while not self._answers():
            if time.monotonic() > until_s:
                raise RookTallyError("PostgreSQL does not answer")
            wait_s(0.02)

    def stop(self) -> None:
        """Stop it; its data stay."""
        self.process.send_signal(signal.SIGINT)  # does not wait for connections left open
        self.process.wait(30)

    def promote(self) -> None:
        """Let a standby take over."""
        with self.connected() as connection:
            connection.execute("SELECT pg_promote()")

    def _answers(self) -> bool:
        with contextlib.suppress(psycopg.OperationalError):
            self.connected().close()
            return True
        return False

    def connected(self) -> psycopg.Connection[tuple[object, ...]]:
        """A connection of the server's owner."""
        return psycopg.connect(
            host=str(self.folder),
            port=self.port,
            user="postgres",
            dbname="postgres",
            autocommit=True,
        )

    def new_database(self, *, like: str = "") -> tuple[str, str]:
        """Name and URL of a fresh database: empty, or a copy of one that nobody is connected to."""
        name = f"rook{next(_numbers)}"
        with self.connected() as connection:
            connection.execute(f"CREATE DATABASE {name}{f' TEMPLATE {like}' if like else ''}")
        url = sa.URL.create(
            "postgresql", username="postgres", database=name, query={"host": str(self.folder)}
        )
        return name, url.render_as_string()

    def drop_database(self, name: str) -> None:
        """Remove a database, whoever is connected to it."""
        with self.connected() as connection:
            connection.execute(f"DROP DATABASE {name} WITH (FORCE)")

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

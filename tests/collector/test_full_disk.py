"""A disk that runs full: senders are told to send again, the desk says why, work resumes."""

from __future__ import annotations

import contextlib
import json
import os
import re
import resource
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.alarms import journal
from rook_tally.store.maintenance import open_store
from tests.builders import NOON_US
from tests.desks import Desk
from tests.processes import CollectorProcess, rook_tally, wait_until


class SmallDisk:
    """A folder that can be made full: a small tmpfs where we may mount one, else a limit on how
    large the collector's files may grow."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir()
        self.folder = folder
        self._filler = folder / "filler"
        self.is_mounted = (
            os.geteuid() == 0
            and not subprocess.run(
                ["mount", "-t", "tmpfs", "-o", "size=12m", "tmpfs", str(folder)], check=False
            ).returncode
        )

    def fill(self, collector: CollectorProcess) -> None:
        if not self.is_mounted:
            largest = max(one.stat().st_size for one in self.folder.glob("site.db*"))
            _limit(collector, largest)
            return
        with contextlib.suppress(OSError), self._filler.open("wb", buffering=0) as filler:
            while filler.write(bytes(65_536)):
                pass

    def make_room(self, collector: CollectorProcess) -> None:
        _limit(collector, resource.RLIM_INFINITY)
        self._filler.unlink(missing_ok=True)


def _limit(collector: CollectorProcess, largest: int) -> None:
    resource.prlimit(collector.process.pid, resource.RLIMIT_FSIZE, (largest, -1))


@pytest.fixture
def disk(tmp_path: Path) -> Iterator[SmallDisk]:
    made = SmallDisk(tmp_path / "disk")
    yield made
    if made.is_mounted:
        subprocess.run(["umount", "-l", str(made.folder)], check=True)


@pytest.fixture
def full_after(disk: SmallDisk) -> Iterator[CollectorProcess]:
    with CollectorProcess(disk.folder / "site.db") as collector:
        collector.add_station("a")
        yield collector


def _post(collector: CollectorProcess, number: int) -> int:
    row = {"t": NOON_US // SECOND_US - 86_400 + number, "n": "co2", "v": 500 + number % 100}
    senml = ("-H", "Content-Type: application/senml+json")
    return collector.post(json.dumps([row]), *senml, query="?station=a")[0]


def test_refused_so_that_it_can_be_sent_again_and_resumed_by_itself(
    disk: SmallDisk, full_after: CollectorProcess
) -> None:
    collector = full_after
    assert _post(collector, 0) == 200
    disk.fill(collector)
    sent = kept = 1
    while (status := _post(collector, sent)) == 200:  # what room the files themselves still have
        sent += 1
        kept += 1
    assert status == 503
    assert len(collector.latest()) == 1  # reading goes on
    code, _, health = collector.curl("/v1/health")
    assert (code, health["reading"]) == (503, "ok")
    assert "cannot be used" in health["writing"]
    collector.publish("a", '{"temperature": 21.5}')  # waits at the broker

    store = open_store(collector.store, create=False)
    with Desk(store) as desk:
        if disk.is_mounted:
            wait_until(
                lambda: "The disk that holds the store is full (0 MB left)" in desk.state.notice()
            )
        disk.make_room(collector)
        assert _post(collector, sent) == 200
        wait_until(lambda: len(collector.latest()) == 2)
        wait_until(lambda: not desk.state.notice())
    assert collector.curl("/v1/health")[0] == 200

    def journalled() -> list[str]:
        with store.read() as connection:
            return [one.words for one in journal(connection, sorts=[JournalKind.DUTY])]

    wait_until(journalled)
    assert any(one.startswith("could not be written for ") for one in journalled())
    store.close()
    checked = rook_tally("--store", str(collector.store), "check")
    # Whether its day is sealed by now is a matter of the day this test is run on.
    assert re.fullmatch(
        rf"{kept + 2} readings, [01] sealed pages: nothing is damaged\n", checked.stdout
    )

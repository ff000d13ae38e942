"""Faults that `bench faults` brings about, a few rounds of each; and that it would see a loss."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from benchmarks.faults.rows import full_disk, killed, power_cut, wrong_clock
from benchmarks.faults.senders import Sender
from benchmarks.faults.shim import Shim
from benchmarks.faults.world import Row, World

_WRITE = """
import os, sys
fd = os.open(sys.argv[1], os.O_RDWR | os.O_CREAT)
os.pwrite(fd, b"synced" * 100, 0)
os.fsync(fd)
os.pwrite(fd, b"not synced" * 100, 600)
os.pwrite(fd, b"SYNCED" * 100, 0)
os.kill(os.getpid(), 9)
"""
_TELL = "import time; print(time.time())"


def test_what_was_synced_survives_a_power_cut_and_all_else_may_not(tmp_path: Path) -> None:
    left = set()
    for seed in range(12):
        folder = tmp_path / str(seed)
        (folder / "site").mkdir(parents=True)
        shim = Shim(folder, folder / "site", knows_synced=True)
        file = folder / "site" / "site.db"
        subprocess.run(
            [sys.executable, "-c", _WRITE, str(file)],
            env=os.environ | shim.environment,
            check=False,
        )
        assert file.read_bytes()[600:] == b"not synced" * 100
        shim.cut_power(file, random.Random(seed))
        there = file.read_bytes()
        assert len(there) in (600, 1600)
        assert there[:600].lower() == b"synced" * 100
        left.add(there)
        shim.close()
    # Of what was written last now all, now some, now nothing is left.
    assert len(left) > 3


def test_a_clock_that_is_set_otherwise_and_writes_that_fail(tmp_path: Path) -> None:
    (tmp_path / "site").mkdir()
    shim = Shim(tmp_path, tmp_path / "site")

    def told(program: str, *words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-c", program, *words],
            env=os.environ | shim.environment,
            capture_output=True,
            text=True,
            check=False,
        )

    right = float(told(_TELL).stdout)
    shim.set_clock(-86_400.0)
    assert float(told(_TELL).stdout) == pytest.approx(right - 86_400.0, abs=30.0)
    shim.fail_writes(28)
    write = "import os, sys; os.write(os.open(sys.argv[1], os.O_CREAT | os.O_RDWR), b'x')"
    assert "No space left on device" in told(write, str(tmp_path / "site" / "file")).stderr
    assert told(write, str(tmp_path / "elsewhere")).returncode == 0
    shim.fail_writes(0)
    assert told(write, str(tmp_path / "site" / "file")).returncode == 0
    shim.close()


class Liar(Sender):
    """Says that it was promised what it never sent."""

    def send(self) -> None:
        self.promise(self.reading()[0])


def test_a_reading_that_is_missing_is_counted(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("benchmarks.faults.world._SETTLED_WITHIN_S", 0.5)
    with World(tmp_path / "site") as world:
        world.start(broker="off")
        world.send(Liar("http", 0.01))
        assert world.sent(3)
        row = world.row("lied to", 1)
    assert row.missing >= 3
    assert row.faults == row.missing


def test_a_collector_that_dies_is_counted(tmp_path: Path) -> None:
    with World(tmp_path / "site") as world:
        world.start(broker="off")
        world.collector.process.send_signal(signal.SIGKILL)
        world.collector.process.wait()
        monkey = pytest.MonkeyPatch()
        monkey.setattr("benchmarks.faults.world._SETTLED_WITHIN_S", 0.5)
        row = world.row("dead", 1)
        monkey.undo()
    assert len(row.wrong) == 2
    assert "a collector ended with -9" in row.wrong[1]


def _holds(row: Row) -> None:
    assert row.promised > 0
    assert row.faults == 0, row


def test_killed_over_every_door(tmp_path: Path) -> None:
    _holds(killed(tmp_path, 2))


def test_the_power_goes(tmp_path: Path) -> None:
    _holds(power_cut(tmp_path, 3))


def test_no_room_is_left(tmp_path: Path) -> None:
    _holds(full_disk(tmp_path, 1))


def test_started_with_the_time_of_yesterday(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("benchmarks.faults.rows._WRONG_S", 6.0)
    _holds(wrong_clock(tmp_path, -86_400.0, "a day back"))

"""A collector that is frozen loses its duties to another, and knows it once it goes on."""

from __future__ import annotations

import contextlib
import os
import signal
import sqlite3
from pathlib import Path

from rook_tally.store.site.leases import SILENT_S
from tests.processes import CollectorProcess, wait_until


def _freeze_between_writes(collector: CollectorProcess, path: Path) -> None:
    """SIGSTOP while it holds no lock: whoever is frozen in the midst of a write to a file keeps
    everybody from writing, as SQLite has it."""

    def is_frozen() -> bool:
        os.kill(collector.process.pid, signal.SIGSTOP)
        with contextlib.closing(sqlite3.connect(path, timeout=0.2)) as looking:
            try:
                looking.execute("BEGIN IMMEDIATE")
            except sqlite3.OperationalError:
                os.kill(collector.process.pid, signal.SIGCONT)
                return False
            looking.rollback()
        return True

    wait_until(is_frozen)


def test_another_takes_over_what_a_frozen_one_did(store_path: Path) -> None:
    first = CollectorProcess(store_path, broker="off")
    wait_until(lambda: "sealing_is_ours" in first.log.read_text())
    second = CollectorProcess(store_path, broker="off")
    first.add_station("a")
    _freeze_between_writes(first, store_path)
    try:
        wait_until(
            lambda: second.log.read_text().count("sealing_is_ours") == 2, within_s=4 * SILENT_S
        )
        assert second.post('{"temperature": 21.5}', query="?station=a")[1]["kept"] == 1
    finally:
        os.kill(first.process.pid, signal.SIGCONT)
    wait_until(lambda: "sealing_was_taken_over" in first.log.read_text())
    assert first.post('{"temperature": 22.5}', query="?station=a")[1]["kept"] == 1
    assert (first.stop(), second.stop()) == (0, 0)

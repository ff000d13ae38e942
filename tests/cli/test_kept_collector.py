"""The window's own collector comes back when it dies."""

from __future__ import annotations

import os
import signal

import pytest

from rook_tally.cli.kept_collector import KeptCollector
from rook_tally.store.base import Store
from rook_tally.store.site import collectors
from tests.desks import now_us
from tests.processes import wait_until


def _at_work(store: Store) -> list[int]:
    with store.read() as connection:
        return [one.pid for one in collectors(connection, now_us=now_us())]


def test_a_collector_that_is_killed_is_started_again(
    store: Store, capfd: pytest.CaptureFixture[str]
) -> None:
    kept = KeptCollector(store, http="127.0.0.1:0", broker="off")
    first = kept.pid
    assert first is not None
    os.kill(first, signal.SIGKILL)
    wait_until(lambda: kept.pid not in (None, first) and kept.pid in _at_work(store))
    second = kept.pid
    kept.end()
    assert second not in _at_work(store)
    assert "the collector ended (-9); starting it again" in capfd.readouterr().err

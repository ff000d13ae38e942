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


def test_let_go_it_records_on_without_us(store: Store) -> None:
    kept = KeptCollector(store, http="127.0.0.1:0", broker="off")
    pid = kept.pid
    assert pid is not None
    kept.let_go()
    kept.end()
    assert pid in _at_work(store)
    # Who let it go minds it no longer: it is not started again.
    assert kept._minder is not None
    assert not kept._minder.is_alive()
    assert kept._child is not None
    kept._child.ended()
    assert pid not in _at_work(store)


def test_its_doors_are_opened_to_the_network_by_starting_it_anew(store: Store) -> None:
    kept = KeptCollector(store, http="127.0.0.1:0", broker="off")

    def hosts() -> set[str]:
        with store.read() as connection:
            doors = [door for one in collectors(connection, now_us=now_us()) for door in one.doors]
        return {door.address.rpartition(":")[0] for door in doors if door.name == "http"}

    wait_until(lambda: hosts() == {"127.0.0.1"})
    assert not kept.is_open
    kept.set_open(True)
    wait_until(lambda: hosts() == {"0.0.0.0"})
    kept.end()


def test_it_is_begun_from_a_window_that_did_not_record(store: Store) -> None:
    kept = KeptCollector(store, http="127.0.0.1:0", broker="off", starts=False)
    assert kept.pid is None
    kept.start()
    wait_until(lambda: kept.pid in _at_work(store))
    kept.end()

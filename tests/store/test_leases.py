"""A duty is one collector's at a time, and free again when that ends or is frozen."""

from __future__ import annotations

import subprocess
import sys

import pytest

from rook_tally.core.errors import StoreError
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import report_alive, report_collector, withdraw_collector
from rook_tally.store.site.leases import SILENT_S, Lease, LeaseLostError, Leases, Role
from tests.builders import NOON_US, append, begin_series
from tests.processes import wait_until

_HOLD = """
import sys
from rook_tally.store.maintenance import open_store
from rook_tally.store.site.leases import Leases, Role
held = Leases(open_store(sys.argv[1]), "theirs").take(Role.SEALING)
print(held is not None, flush=True)
sys.stdin.read()
"""


class Ticking:
    """A clock that is told how late it is."""

    def __init__(self) -> None:
        self.now_s = 0.0

    def __call__(self) -> float:
        return self.now_s


@pytest.fixture
def clock() -> Ticking:
    return Ticking()


def _collector(store: Store, name: str, clock: Ticking) -> Leases:
    with store.write() as connection:
        report_collector(connection, name, host="shed", pid=1, now_us=NOON_US)
    return Leases(store, name, monotonic_s=clock)


def _beat(store: Store, name: str, clock: Ticking) -> None:
    with store.write() as connection:
        report_alive(connection, name, now_us=NOON_US + round(clock.now_s * 1e6))


def _taken_in_the_end(ours: Leases, store: Store, clock: Ticking) -> Lease:
    """Look every five seconds until the duty is ours, as a collector does."""
    while True:
        clock.now_s += 5
        _beat(store, "ours", clock)
        taken = ours.take(Role.SEALING)
        if taken is not None:
            return taken
        assert clock.now_s < 2 * SILENT_S


def test_taken_once_and_given_back(store: Store, clock: Ticking) -> None:
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    held = ours.take(Role.SEALING)
    assert held is not None
    assert held.is_still_held()
    assert theirs.take(Role.SEALING) is None
    assert ours.take(Role.SEALING) is None
    watching = theirs.take(Role.WATCHING)
    assert watching is not None
    held.release()
    assert not held.is_still_held()
    again = theirs.take(Role.SEALING)
    assert again is not None
    assert ours.take(Role.SEALING) is None
    # What was given back late takes nothing from who has it by now.
    held.release()
    assert again.is_still_held()


def test_slots_are_held_one_each(store: Store, clock: Ticking) -> None:
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    assert ours.take(Role.MQTT_SESSION) is not None
    assert theirs.take(Role.MQTT_SESSION, 1) is not None
    assert theirs.take(Role.MQTT_SESSION) is None


def test_free_again_when_its_holder_is_killed(store: Store, clock: Ticking) -> None:
    ours = _collector(store, "ours", clock)
    with subprocess.Popen(
        [sys.executable, "-c", _HOLD, store.address],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    ) as holder:
        assert holder.stdout is not None
        assert holder.stdout.readline() == "True\n"
        assert ours.take(Role.SEALING) is None
        holder.kill()
    wait_until(lambda: ours.take(Role.SEALING) is not None)


def test_free_again_when_its_holder_stops(store: Store, clock: Ticking) -> None:
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    assert theirs.take(Role.BACKUP) is not None
    with store.write() as connection:
        withdraw_collector(connection, "theirs")
    assert ours.take(Role.BACKUP) is not None


def test_one_whose_heart_beats_keeps_it_however_wrong_the_clocks_are(
    store: Store, clock: Ticking
) -> None:
    """Times of heartbeats are only compared with one another: nobody's clock decides."""
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    held = theirs.take(Role.SEALING)
    assert held is not None
    for late_s in (10**9, 5, 0, 60 * 10**6, 1):
        clock.now_s += 10
        with store.write() as connection:
            report_alive(connection, "theirs", now_us=NOON_US + late_s * 10**6)
        assert ours.take(Role.SEALING) is None
    assert held.is_still_held()


def test_a_frozen_holder_loses_it_and_writes_nothing_once_it_goes_on(
    store: Store, clock: Ticking
) -> None:
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    series = begin_series(store)
    frozen = theirs.take(Role.SEALING)
    assert frozen is not None
    append(frozen.store, series, (NOON_US, 1.0))
    assert ours.take(Role.SEALING) is None
    taken = _taken_in_the_end(ours, store, clock)
    assert clock.now_s == SILENT_S
    # It thaws in the midst of its work, and knows nothing of what happened.
    with pytest.raises(LeaseLostError, match="another collector has taken over: sealing"):
        append(frozen.store, series, (NOON_US + 1, 2.0))
    assert not frozen.is_still_held()
    _beat(store, "theirs", clock)
    assert theirs.take(Role.SEALING) is None
    append(taken.store, series, (NOON_US + 2, 3.0))
    # What it takes in from senders needs no duty.
    append(theirs.store, series, (NOON_US + 3, 4.0))


def test_a_store_that_is_away_is_no_loss(store_path: str) -> None:
    """Who cannot ask keeps what it has: it is asked again once the store is back."""
    store = open_store(store_path)
    held = Leases(store, "ours").take(Role.SEALING)
    assert held is not None
    with store.write() as connection:
        connection.exec_driver_sql("ALTER TABLE duty RENAME TO away")
    with pytest.raises(StoreError):
        held.is_still_held()
    with store.write() as connection:
        connection.exec_driver_sql("ALTER TABLE away RENAME TO duty")
    assert held.is_still_held()
    store.close()


def test_a_store_that_was_away_for_long_makes_nobody_silent(store: Store, clock: Ticking) -> None:
    """Nobody's heartbeat could be written meanwhile: all begin to count when it is back."""
    ours, theirs = _collector(store, "ours", clock), _collector(store, "theirs", clock)
    held = theirs.take(Role.SEALING)
    assert held is not None
    assert ours.take(Role.SEALING) is None
    clock.now_s += 600
    assert ours.take(Role.SEALING) is None
    clock.now_s += 10
    assert ours.take(Role.SEALING) is None
    _beat(store, "theirs", clock)
    for _ in range(3):
        clock.now_s += 5
        assert ours.take(Role.SEALING) is None
    assert held.is_still_held()

"""A duty is one collector's at a time, and free again when that ends, however it ends."""

from __future__ import annotations

import subprocess
import sys

from rook_tally.store import Duty, Store, open_store, take_duty
from tests.processes import wait_until

_HOLD = """
import sys
from rook_tally.store import Duty, open_store, take_duty
held = take_duty(open_store(sys.argv[1]), Duty.SEALING)
print(held is not None, flush=True)
sys.stdin.read()
"""


def test_taken_once_and_given_back(store: Store) -> None:
    other = open_store(store.address)
    held = take_duty(store, Duty.SEALING)
    assert held is not None
    assert held.is_still_held()
    assert take_duty(other, Duty.SEALING) is None
    watching = take_duty(other, Duty.WATCHING)
    assert watching is not None
    held.release()
    again = take_duty(other, Duty.SEALING)
    assert again is not None
    assert take_duty(store, Duty.SEALING) is None
    again.release()
    watching.release()
    other.close()


def test_free_again_when_its_holder_is_killed(store: Store) -> None:
    with subprocess.Popen(
        [sys.executable, "-c", _HOLD, store.address],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    ) as holder:  # fmt: skip
        assert holder.stdout is not None
        assert holder.stdout.readline() == "True\n"
        assert take_duty(store, Duty.SEALING) is None
        holder.kill()
    taken = []

    def is_ours() -> bool:
        held = take_duty(store, Duty.SEALING)
        taken.extend([held] if held else [])
        return held is not None

    wait_until(is_ours)
    taken[0].release()


def test_a_lost_connection_is_noticed(store: Store, engine: str) -> None:
    held = take_duty(store, Duty.SEALING)
    assert held is not None
    if engine == "postgresql":
        with store.write() as connection:
            connection.exec_driver_sql(
                "SELECT pg_terminate_backend(pid) FROM pg_locks "
                "WHERE locktype = 'advisory' AND pid <> pg_backend_pid()"
            )
        assert not held.is_still_held()
    held.release()
    assert not held.is_still_held()

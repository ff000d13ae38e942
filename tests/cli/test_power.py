"""How long batteries last, by command: from what the store sums up."""

from __future__ import annotations

import json

import pytest

from rook_tally import clock
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.timestamps import DAY_US, MINUTE_US
from rook_tally.store.base import Store
from tests.builders import append, begin_series
from tests.processes import rook_tally

NONE = (None, None, None, None)


def _drains(store: Store, quantity: str, key: str, *, begins: float, per_day: float) -> None:
    """Thirty days of a battery that is read every hour; other fields come every ten minutes."""
    below = Limits(NONE, (None, None, None, 3.0)) if quantity == "voltage" else None
    level = begin_series(store, quantity, key=key, limits=below)
    air = begin_series(store, key=key)
    first_us = clock.now_us() - 30 * DAY_US
    rows = range(30 * 24)
    append(
        store, level, *((first_us + at * 60 * MINUTE_US, begins - per_day * at / 24) for at in rows)
    )
    append(store, air, *((first_us + at * 10 * MINUTE_US, 20.0) for at in range(30 * 144)))


def test_of_one_station_and_of_all(store: Store) -> None:
    _drains(store, "battery", "loft", begins=90, per_day=0.5)
    _drains(store, "voltage", "gate", begins=4.1, per_day=0.01)
    begin_series(store, key="mains")

    def run(*words: str) -> str:
        done = rook_tally("--store", store.url, "station", "power", *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    rows = {one["station"]: one for one in json.loads(run("--json"))}
    assert set(rows) == {"loft", "gate"}
    # 75 % left at half a per cent a day; 0.8 V above the lowest limit at 10 mV a day.
    assert rows["loft"]["days_low"] == pytest.approx(150, rel=0.02)
    assert rows["gate"]["days_high"] == pytest.approx(80, rel=0.03)
    # Its messages are counted, not those that hold the battery.
    assert rows["loft"]["messages_per_day"] == pytest.approx(144, rel=0.1)
    assert rows["loft"]["share_low"] is None
    said = run("loft")
    assert said.startswith("loft\n  Empty in 150 days, sending every 10 min.\n")
    assert "every 1 h 150–900 days" in said

    refused = rook_tally("--store", store.url, "station", "power", "mains")
    assert (refused.returncode, "says nothing of its battery" in refused.stderr) == (2, True)

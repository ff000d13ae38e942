"""How much room a store takes, and for what."""

from __future__ import annotations

import numpy as np

from rook_tally.core.series.readings import readings_from
from rook_tally.store.base import Store
from rook_tally.store.maintenance.space import Kept, rooms_of
from rook_tally.store.readings import append_history
from tests.builders import MINUTE_US, NOON_US, begin_series


def test_readings_take_room_by_how_many_there_are(store: Store) -> None:
    series = begin_series(store)
    with store.write() as connection:
        before = {one.kept: one.size for one in rooms_of(connection)}
        at = NOON_US + np.arange(20_000) * MINUTE_US
        append_history(connection, series.id, readings_from(at, np.ones(len(at))))
    with store.read() as connection:
        after = {one.kept: one.size for one in rooms_of(connection)}
    grown = after[Kept.READINGS] - before[Kept.READINGS]
    assert 20_000 * 15 < grown < 20_000 * 200
    assert after[Kept.MESSAGES] == before[Kept.MESSAGES]

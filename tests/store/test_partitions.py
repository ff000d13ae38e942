"""On PostgreSQL readings are kept by week; on SQLite nothing has to be done."""

from __future__ import annotations

import sqlalchemy as sa

from rook_tally.store.base import Store
from rook_tally.store.readings import keep_partitions, latest, seal_all
from rook_tally.store.readings.partitions import WEEK_US, partitions
from tests.builders import NOON_US, append, begin_series

WEEK = NOON_US // WEEK_US


def _keep(store: Store, now_us: int) -> list[str]:
    with store.write() as connection:
        return keep_partitions(connection, now_us=now_us)


def test_this_week_and_the_next_are_made_once(store: Store, engine: str) -> None:
    expected = [f"made reading_week_{WEEK}", f"made reading_week_{WEEK + 1}"]
    assert _keep(store, NOON_US) == (expected if engine == "postgresql" else [])
    assert _keep(store, NOON_US) == []


def test_readings_that_were_there_before_move_into_their_week(store: Store, engine: str) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US, 1.0), (NOON_US - 3 * WEEK_US, 2.0))
    _keep(store, NOON_US)
    append(store, series, (NOON_US + 1, 3.0))
    if engine == "postgresql":
        with store.read() as connection:
            rows = sa.text("SELECT tableoid::regclass::text, value FROM reading ORDER BY value")
            assert [tuple(row) for row in connection.execute(rows)] == [
                (f"reading_week_{WEEK}", 1.0),
                ("reading_rest", 2.0),
                (f"reading_week_{WEEK}", 3.0),
            ]
    with store.read() as connection:
        assert latest(connection)[series.id].value == 3.0


def test_a_week_that_sealing_has_emptied_is_dropped(store: Store, engine: str) -> None:
    _keep(store, NOON_US)
    series = begin_series(store)
    append(store, series, (NOON_US, 1.0))
    later_us = NOON_US + 5 * WEEK_US
    _keep(store, later_us)
    if engine == "postgresql":
        with store.read() as connection:
            assert WEEK in partitions(connection)  # it still holds a reading
    seal_all(store, {series.id: series}, now_us=later_us)
    done = _keep(store, later_us)
    assert (f"dropped reading_week_{WEEK}" in done) == (engine == "postgresql")
    with store.read() as connection:
        assert latest(connection)[series.id].value == 1.0

"""Thinning removes what it said it would, nothing else, and only where it was asked for."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.maintenance.thinning import stays, thin, thin_always_after, thin_what_is_due
from rook_tally.store.readings import (
    append_sealed,
    damaged_pages,
    envelopes,
    history_of,
    read_raw_range,
    span_statistics,
)
from rook_tally.store.readings.summaries import BUCKET_US
from rook_tally.store.site import Series, add_correction
from tests.builders import NOON_US, begin_series

MIDNIGHT_US = NOON_US // DAY_US * DAY_US
DAYS = 4


@pytest.fixture
def series(store: Store) -> Series:
    """Four sealed days at 10 s, some readings suspect."""
    one = begin_series(store)
    at = MIDNIGHT_US + np.arange(DAYS * 8640) * 10_000_000
    value = np.round(20 + np.random.default_rng(4).normal(0, 1, len(at)), 2)
    history = readings_from(at, value, (np.arange(len(at)) % 1000 == 0).astype(np.uint8))
    with store.write() as connection:
        append_sealed(connection, history_of(one, history, before_us=MIDNIGHT_US + 9 * DAY_US))
    return one


def _held(store: Store, series: Series) -> list[int]:
    """Readings a day, and that no page is damaged."""
    with store.read() as connection:
        assert damaged_pages(connection) == []
        return [
            len(read_raw_range(connection, series.id, begin, begin + DAY_US))
            for begin in range(MIDNIGHT_US, MIDNIGHT_US + DAYS * DAY_US, DAY_US)
        ]


@given(st.lists(st.tuples(st.integers(0, 1800), st.integers(-3, 3)), unique_by=lambda row: row[0]))
def test_the_lowest_and_highest_of_five_minutes_stay(rows: list[tuple[int, int]]) -> None:
    rows = sorted(rows)
    readings = readings_from([at * 1_000_000 for at, _ in rows], [value for _, value in rows])
    left = stays(readings)
    for bucket in set((readings.time_us // BUCKET_US).tolist()):
        mine = readings.time_us // BUCKET_US == bucket
        assert readings.value[mine].min() == readings.value[mine & left].min()
        assert readings.value[mine].max() == readings.value[mine & left].max()
        ends = int(mine[0]) + int(mine[-1])
        assert np.count_nonzero(mine & left) <= 2 + ends
    assert not len(left) or (left[0] and left[-1])


def test_it_says_what_it_would_remove_then_removes_just_that(store: Store, series: Series) -> None:
    before_us = MIDNIGHT_US + 2 * DAY_US + 5
    (told,) = thin(store, [series], before_us, remove=False)
    assert _held(store, series) == [8640] * DAYS
    assert (told.days, told.from_us, told.to_us) == (2, MIDNIGHT_US, MIDNIGHT_US + 2 * DAY_US)
    with store.read() as connection:
        window = (MIDNIGHT_US, MIDNIGHT_US + DAYS * DAY_US)
        drawn = envelopes(connection, [series], *window, 500)[series.id]
        totals = span_statistics(connection, series, *window)
    (done,) = thin(store, [series], before_us, remove=True)
    assert done == told
    held = _held(store, series)
    assert held[2:] == [8640, 8640]
    assert (sum(held[:2]), 2 * 8640 - sum(held[:2])) == (told.staying, told.readings)
    assert sum(held[:2]) < 1300
    with store.read() as connection:
        again = envelopes(connection, [series], *window, 500)[series.id]
        assert np.array_equal(again.low, drawn.low)
        assert np.array_equal(again.mean, drawn.mean)
        assert span_statistics(connection, series, *window) == totals
    assert thin(store, [series], before_us, remove=True) == []


@pytest.mark.parametrize("past_bucket_us", [0, 100_000_000])
def test_a_correction_that_begins_within_a_thinned_day_holds_from_then_on(
    store: Store, series: Series, past_bucket_us: int
) -> None:
    window = (MIDNIGHT_US, MIDNIGHT_US + DAY_US)
    from_us = MIDNIGHT_US + DAY_US // 4 + past_bucket_us
    with store.write() as connection:
        add_correction(
            connection, series.id, Correction(from_us, 1.0, -2.0), who="Ada", why="", now_us=from_us
        )
    with store.read() as connection:
        exact = span_statistics(connection, series, *window)
    thin(store, [series], MIDNIGHT_US + 2 * DAY_US, remove=True)
    with store.read() as connection:
        told = span_statistics(connection, series, *window)
    assert told.count == exact.count
    assert told.mean == pytest.approx(exact.mean, abs=1e-3)
    assert (told.low, told.high) == pytest.approx((exact.low, exact.high), abs=1e-3)


def test_the_collector_does_so_only_when_told(store: Store, series: Series) -> None:
    now_us = MIDNIGHT_US + 12 * DAY_US
    assert thin_what_is_due(store, lambda: [series], now_us=now_us) == []
    with store.write() as connection:
        thin_always_after(connection, 10)
    (done,) = thin_what_is_due(store, lambda: [series], now_us=now_us)
    assert done.days == 2
    assert thin_what_is_due(store, lambda: [series], now_us=now_us) == []
    (done,) = thin_what_is_due(store, lambda: [series], now_us=now_us + DAY_US)
    assert done.days == 1
    with store.write() as connection:
        thin_always_after(connection, None)
    assert thin_what_is_due(store, lambda: [series], now_us=now_us + 9 * DAY_US) == []
    assert _held(store, series)[3] == 8640

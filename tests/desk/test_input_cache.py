"""Inputs kept between two keystrokes are what the store would say."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import readings_from
from rook_tally.core.workings.checking import checked
from rook_tally.desk.workings.input_cache import InputCache
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history, read_range
from rook_tally.store.site import Series, add_correction, load_site
from rook_tally.store.workings import names_of
from tests.builders import MINUTE_US, NOON_US, append, begin_series


@pytest.fixture
def series(store: Store) -> Series:
    made = begin_series(store)
    times = NOON_US + np.arange(60) * MINUTE_US
    with store.write() as connection:
        append_history(connection, made.id, readings_from(times, np.arange(60.0)))
    return made


def _same(store: Store, kept: InputCache, series: Series, start: int, end: int) -> bool:
    start_us, end_us = NOON_US + start * MINUTE_US, NOON_US + end * MINUTE_US
    with store.read() as connection:
        found = kept.readings(connection, series.id, start_us, end_us)
        plain = read_range(connection, series.id, start_us, end_us)
    return bool(
        np.array_equal(found.time_us, plain.time_us) and np.array_equal(found.value, plain.value)
    )


def test_what_is_kept_follows_the_store(store: Store, series: Series) -> None:
    kept = InputCache()
    assert _same(store, kept, series, 10, 30)
    assert _same(store, kept, series, 12, 28)
    # Further on, further back, then what comes.
    assert _same(store, kept, series, 12, 70)
    assert _same(store, kept, series, 0, 70)
    append(store, series, (NOON_US + 61 * MINUTE_US, 99.0))
    assert _same(store, kept, series, 0, 70)
    # A late reading in the middle.
    append(store, series, (NOON_US + 20 * MINUTE_US + 5, 77.0))
    assert _same(store, kept, series, 0, 70)
    with store.write() as connection:
        add_correction(
            connection, series.id, Correction(NOON_US, 2.0, 1.0), who="Ada", why="", now_us=NOON_US
        )
    assert _same(store, kept, series, 0, 70)


def test_what_was_found_for_one_formula_is_known_for_the_next(store: Store, series: Series) -> None:
    kept = InputCache()
    span = (NOON_US, NOON_US + 60 * MINUTE_US)
    with store.read() as connection:
        first = kept.inputs(connection, {series.id: 1.0}, *span)
        assert kept.inputs(connection, {series.id: 1.0}, *span) is first
    append(store, series, (NOON_US + 59 * MINUTE_US + 1, 99.0))
    with store.read() as connection:
        other = kept.inputs(connection, {series.id: 1.0}, *span)
    assert other is not first
    assert other.of(series.id).value[-1] == 99.0
    with store.read() as connection:
        grown = kept.inputs(connection, {series.id: 100.0}, *span)
    assert grown.of(series.id).value[-1] == 9900.0


def test_windows_that_were_tried_are_forgotten_before_they_fill_the_memory(
    store: Store, series: Series, monkeypatch: pytest.MonkeyPatch
) -> None:
    most = 100_000
    monkeypatch.setattr("rook_tally.desk.workings.input_cache._MOST_REMEMBERED", most)
    kept, used = InputCache(), []
    end_us = NOON_US + 60 * MINUTE_US
    with store.read() as connection:
        names = names_of(load_site(connection), [])
        for minutes in range(1, 400):
            warmth = "temperature@throwing-room"
            formula = f"mean({warmth} - {warmth} 1 min ago over {minutes} min)"
            program = checked(formula, names).program
            inputs = kept.inputs(connection, {series.id: 1.0}, NOON_US, end_us)
            program.worked_out(inputs)
            used.append(inputs)
    assert 1 < len({id(one) for one in used}) < len(used) / 10
    assert max(one.remembered_bytes for one in used) < 1.1 * most
    assert all(one.heard is used[0].heard for one in used)


def test_no_more_is_kept_than_is_useful(store: Store) -> None:
    kept = InputCache()
    with store.read() as connection:
        for series_id in range(1000, 1060):
            kept.readings(connection, series_id, NOON_US, NOON_US + 1)
    assert len(kept._kept) <= 24

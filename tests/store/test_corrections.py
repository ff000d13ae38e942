"""Corrections: applied on read to rows, buckets and totals alike; raw readings never change."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.series.corrections import Correction, corrected, corrected_values
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import Store
from rook_tally.store.readings import (
    append_history,
    append_readings,
    append_sealed,
    envelopes,
    history_of,
    latest,
    read_range,
    read_raw_range,
    seal,
    seal_all,
)
from rook_tally.store.site import Series, add_correction, correction_entries, withdraw_correction
from tests.builders import MINUTE_US, NOON_US, append, begin_series

MIDNIGHT_US = NOON_US // DAY_US * DAY_US


@pytest.mark.parametrize(("gain", "offset"), [(0, 1), (math.nan, 0), (1, math.inf)])
def test_corrections_that_would_lose_what_was_measured(gain: float, offset: float) -> None:
    with pytest.raises(UsageError, match="would lose what was measured; give a gain other than 0"):
        Correction(0, gain, offset)


def test_each_holds_from_its_moment_until_the_next() -> None:
    corrections = [Correction(10, 2, 1), Correction(20, 1, -5)]
    times = np.array([9, 10, 19, 20, 99])
    values = corrected_values(times, np.full(5, 3.0), corrections)
    assert values.tolist() == [3.0, 7.0, 7.0, -2.0, -2.0]
    untouched = readings_from([1], [2.0])
    assert corrected(untouched, []) is untouched


@pytest.fixture
def series(store: Store) -> Series:
    """Four days of a reading a minute, three of them sealed."""
    one = begin_series(store)
    times = MIDNIGHT_US + np.arange(4 * 1440) * MINUTE_US
    values = np.round(20 + 5 * np.sin(times / DAY_US * 2 * math.pi), 2)
    with store.write() as connection:
        readings = readings_from(times, values)
        append_sealed(connection, history_of(one, readings, before_us=MIDNIGHT_US + 3 * DAY_US))
    return one


def _correct(store: Store, series: Series, from_us: int, gain: float, offset: float) -> int:
    with store.write() as connection:
        return add_correction(
            connection,
            series.id,
            Correction(from_us, gain, offset),
            who="Ada",
            why="ice bath",
            now_us=NOON_US,
        )


def test_reads_are_corrected_and_raw_is_sacred(store: Store, series: Series) -> None:
    end_us = MIDNIGHT_US + 4 * DAY_US
    with store.read() as connection:
        before = read_raw_range(connection, series.id, 0, end_us)
        assert read_range(connection, series.id, 0, end_us).value.tolist() == before.value.tolist()
    number = _correct(store, series, NOON_US + DAY_US, 0.94, 0.3)
    with store.read() as connection:
        raw = read_raw_range(connection, series.id, 0, end_us)
        shown = read_range(connection, series.id, 0, end_us)
        newest = latest(connection)[series.id]
        (entry,) = correction_entries(connection, series.id)
    assert raw.value.tolist() == before.value.tolist()
    late = shown.time_us >= NOON_US + DAY_US
    np.testing.assert_allclose(shown.value, np.where(late, 0.94 * raw.value + 0.3, raw.value))
    assert newest.value == pytest.approx(0.94 * raw.value[-1] + 0.3)
    assert (entry.id, entry.who, entry.why, entry.made_us) == (number, "Ada", "ice bath", NOON_US)
    with store.write() as connection:
        withdraw_correction(connection, number)
        assert read_range(connection, series.id, 0, end_us).value.tolist() == raw.value.tolist()
        with pytest.raises(UsageError, match="there is no correction"):
            withdraw_correction(connection, number)


@pytest.mark.parametrize("columns", [4, 96, 1152, 5760])
@pytest.mark.parametrize("gain", [0.94, -2.0])
def test_every_grain_is_corrected_alike(
    store: Store, series: Series, columns: int, gain: float
) -> None:
    """Days, hours, buckets and readings, with a correction that begins inside a column."""
    _correct(store, series, MIDNIGHT_US + DAY_US + 7 * HOUR_US + 90_000_000, gain, 1.5)
    start_us, end_us = MIDNIGHT_US, MIDNIGHT_US + 4 * DAY_US
    with store.read() as connection:
        shown = read_range(connection, series.id, start_us, end_us)
        envelope = envelopes(connection, [series], start_us, end_us, columns)[series.id]
    at = (shown.time_us - start_us) // ((end_us - start_us) // columns)
    for column in np.unique(at)[:: max(1, columns // 96)].tolist():
        mine = shown.value[at == column]
        assert envelope.low[column] == pytest.approx(mine.min(), abs=1e-4)
        assert envelope.high[column] == pytest.approx(mine.max(), abs=1e-4)
        # Means of summaries are weighted by time: of a slope a little beside that of the readings.
        assert envelope.mean[column] == pytest.approx(mine.mean(), abs=0.02 * max(1, abs(gain)))


def test_duplicates_and_sealing_look_at_raw_readings(store: Store, series: Series) -> None:
    _correct(store, series, 0, 2.0, 0.0)
    append(store, series, (MIDNIGHT_US + 5 * DAY_US, 3.0))
    with store.write() as connection:
        from rook_tally.core.series.readings import Quality
        from rook_tally.store.readings import NewReading

        again = NewReading(series.id, MIDNIGHT_US + 5 * DAY_US, 3.0, Quality.GOOD)
        assert append_readings(connection, [again]).duplicate == (True,)
    assert seal(store, series, MIDNIGHT_US + 5 * DAY_US)
    with store.read() as connection:
        raw = read_raw_range(connection, series.id, MIDNIGHT_US + 5 * DAY_US, 2**62)
    assert raw.value.tolist() == [3.0]


def test_the_same_moment_again_replaces(store: Store, series: Series) -> None:
    _correct(store, series, NOON_US, 2.0, 0.0)
    _correct(store, series, NOON_US, 1.0, 0.5)
    with store.read() as connection:
        (entry,) = correction_entries(connection, series.id)
    assert (entry.correction.gain, entry.correction.offset) == (1.0, 0.5)


@given(st.floats(0.5, 2), st.floats(-10, 10), st.lists(st.floats(-100, 100), min_size=1))
def test_a_correction_can_be_undone(gain: float, offset: float, values: list[float]) -> None:
    times = np.arange(len(values))
    there = corrected_values(times, np.array(values), [Correction(0, gain, offset)])
    back = corrected_values(times, there, [Correction(0, 1 / gain, -offset / gain)])
    np.testing.assert_allclose(back, values, atol=1e-9)


@pytest.mark.parametrize("columns", [13, 200, 205])
@pytest.mark.parametrize("begin_s", [432, 500, 43_300, 43_337, 45_000])
def test_no_false_peak_stands_beside_a_correction_in_sealed_days(
    store: Store, columns: int, begin_s: int
) -> None:
    """A sensor reads 20 too high from a moment on, and is corrected from then: it is 20 always."""
    series = begin_series(store)
    day = NOON_US // DAY_US * DAY_US
    time_us = day + np.arange(8640, dtype=np.int64) * 10_000_000
    begin = day + begin_s * 1_000_000
    raw = readings_from(time_us, np.where(time_us < begin, 20.0, 40.0))
    with store.write() as connection:
        append_history(connection, series.id, raw)
        correction = Correction(begin, 1.0, -20.0)
        add_correction(connection, series.id, correction, who="w", why="", now_us=day)
    seal_all(store, {series.id: series}, now_us=day + 5 * DAY_US)
    with store.read() as connection:
        told = envelopes(connection, [series], day, day + DAY_US, columns)[series.id]
    assert (float(np.nanmin(told.low)), float(np.nanmax(told.high))) == (20.0, 20.0)

"""Appending: new, duplicate and revised readings told apart; nothing counted twice."""

from __future__ import annotations

import uuid

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.store.base import Store, newest_seq
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    latest,
    read_range,
)
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.examples import examples


def test_read_back_as_arrays_in_order(store: Store) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US + 2, 21.5), (NOON_US, 21.0), (NOON_US + 1, -3.25))
    with store.read() as connection:
        readings = read_range(connection, series.id, NOON_US, NOON_US + 2)
    assert readings.time_us.tolist() == [NOON_US, NOON_US + 1]
    assert readings.value.tolist() == [21.0, -3.25]
    assert [array.dtype.name for array in (readings.time_us, readings.value, readings.quality)] == [
        "int64",
        "float64",
        "uint8",
    ]


def test_duplicates_and_revisions(store: Store) -> None:
    """The same again is ignored; another value at the same time replaces the older arrival."""
    series = begin_series(store)
    append(store, series, (NOON_US, 20.0), (NOON_US + 1, 21.0))
    batch = [(NOON_US, 20.0), (NOON_US, 19.5), (NOON_US, 19.5), (NOON_US + 5, 1.0)]
    with store.write() as connection:
        outcome = append_readings(
            connection, [NewReading(series.id, at, value, Quality.GOOD) for at, value in batch]
        )
    assert outcome.duplicate == (True, False, True, False)
    assert outcome.revised == (False, True, False, False)
    with store.read() as connection:
        readings = read_range(connection, series.id, 0, NOON_US * 2)
    assert readings.value.tolist() == [19.5, 21.0, 1.0]


def test_a_batch_of_duplicates_announces_nothing(store: Store) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US, 20.0))
    with store.read() as connection:
        before = newest_seq(connection)
    append(store, series, (NOON_US, 20.0))
    with store.read() as connection:
        assert newest_seq(connection) == before


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture],
    deadline=None,
    max_examples=examples(15),
)
@given(
    st.lists(
        st.lists(st.tuples(st.integers(0, 8), st.integers(0, 3)), min_size=1, max_size=6),
        max_size=6,
    )
)
def test_it_behaves_like_a_dictionary(store: Store, batches: list[list[tuple[int, int]]]) -> None:
    """Whatever the order and the batches, what is kept is the last value of each moment."""
    series = begin_series(store, key=uuid.uuid4().hex, place="Anywhere")
    expected: dict[int, float] = {}
    for batch in batches:
        with store.write() as connection:
            outcome = append_readings(
                connection,
                [NewReading(series.id, at, float(value), Quality.GOOD) for at, value in batch],
            )
        for (at, value), duplicate, revised in zip(
            batch, outcome.duplicate, outcome.revised, strict=True
        ):
            assert duplicate == (expected.get(at) == value)
            assert revised == (at in expected and expected[at] != value)
            expected[at] = float(value)
    with store.read() as connection:
        readings = read_range(connection, series.id, 0, 100)
        newest = latest(connection, [series.id])
    assert dict(zip(readings.time_us.tolist(), readings.value.tolist(), strict=True)) == expected
    assert [one.time_us for one in newest.values()] == ([max(expected)] if expected else [])


def test_history_replaces_equal_times(store: Store) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US, 20.0))
    times = [NOON_US + minute * MINUTE_US for minute in range(3)]
    with store.write() as connection:
        append_history(connection, series.id, readings_from(times, [1.0, 2.0, 3.0]))
        append_history(connection, series.id, readings_from([], []))
    with store.read() as connection:
        assert read_range(connection, series.id, 0, NOON_US * 2).value.tolist() == [1, 2, 3]

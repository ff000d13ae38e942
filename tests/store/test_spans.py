"""Statistics of a span are those of its readings, however much of it is sealed."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.spans import span_of_readings
from rook_tally.core.series.statistics import Window, pieces_of, std_of
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.readings import append_sealed, history_of, read_range, span_statistics
from rook_tally.store.site import Series, add_correction
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.examples import examples

MIDNIGHT_US = NOON_US // DAY_US * DAY_US


@pytest.fixture
def series(store: Store) -> Series:
    """Six days, four of them sealed; an hour missing, some suspect, one late reading."""
    one = begin_series(store)
    at = MIDNIGHT_US + np.arange(6 * 1440) * MINUTE_US
    at = at[(at < MIDNIGHT_US + 1500 * MINUTE_US) | (at >= MIDNIGHT_US + 1560 * MINUTE_US)]
    value = np.round(20 + np.random.default_rng(2).normal(0, 1, len(at)), 2)
    quality = (np.arange(len(at)) % 97 == 0).astype(np.uint8)
    history = readings_from(at, value, quality)
    with store.write() as connection:
        append_sealed(connection, history_of(one, history, before_us=MIDNIGHT_US + 4 * DAY_US))
    append(store, one, (MIDNIGHT_US + 2 * DAY_US + 7, 35.0))
    return one


def _exactly(store: Store, series: Series, start_us: int, end_us: int) -> Readings:
    with store.read() as connection:
        return read_range(connection, series.id, start_us - 180_000_000, end_us + 180_000_000)


@settings(max_examples=examples(15), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    start=st.integers(-600, 7000),
    minutes=st.integers(1, 8000),
    correction=st.sampled_from([None, 0, 1440, 2000, 4000]),
)
def test_any_span(
    store: Store, series: Series, start: int, minutes: int, correction: int | None
) -> None:
    if correction is not None:
        begins = Correction(MIDNIGHT_US + correction * MINUTE_US, -2.0, 5.0)
        with store.write() as connection:
            add_correction(connection, series.id, begins, who="me", why="", now_us=NOON_US)
    start_us = MIDNIGHT_US + start * MINUTE_US
    end_us = start_us + minutes * MINUTE_US
    with store.read() as connection:
        found = span_statistics(connection, series, start_us, end_us)
    readings = _exactly(store, series, start_us, end_us)
    window = Window(start_us, end_us)
    exact = span_of_readings(readings, max_gap_s=180, cadence_s=60, window=window)
    assert (found.count, found.suspect) == (exact.count, exact.suspect)
    for name in ("low", "high", "mean", "covered_s"):
        assert getattr(found, name) == pytest.approx(getattr(exact, name), nan_ok=True, rel=1e-9)
    if not math.isnan(exact.mean):
        std = std_of(pieces_of(readings, max_gap_s=180, cadence_s=60, window=window))
        assert found.std == pytest.approx(std, abs=1e-5)


def test_a_span_that_ends_before_it_begins(store: Store, series: Series) -> None:
    with pytest.raises(ValueError, match="after"), store.read() as connection:
        span_statistics(connection, series, 5, 5)

"""Envelopes are cut at gaps, and axes are never narrower than honest."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.envelope import (
    ColumnSums,
    Envelope,
    empty_envelope,
    envelope_of_readings,
    honest_range,
)
from rook_tally.core.series.gaps import find_gaps
from rook_tally.core.series.readings import readings_from
from rook_tally.core.series.trend import trend_of

HOUR_US = 3_600_000_000


def _envelope(counts: list[int], gaps: list[list[int]] | None) -> Envelope:
    count = np.array(counts, dtype=np.int64)
    value = np.where(count > 0, 1.0, np.nan)
    edges = None if gaps is None else np.array(gaps, dtype=np.int64).reshape(-1, 2)
    return Envelope(0, len(counts) * 10, value, value, value, count, count * 0, edges)


def _parts(envelope: Envelope) -> list[list[int]]:
    return [part.tolist() for part in envelope.segments()]


def test_without_gaps_an_empty_column_cuts() -> None:
    assert _parts(_envelope([1, 1, 0, 1], None)) == [[0, 1], [3]]


def test_with_gaps_only_a_gap_cuts() -> None:
    assert _parts(_envelope([1, 1, 0, 1], [])) == [[0, 1, 3]]
    assert _parts(_envelope([1, 1, 0, 1], [[15, 35]])) == [[0, 1], [3]]
    assert _parts(_envelope([1, 1, 1, 1], [[12, 28]])) == [[0, 1], [2, 3]]


def test_a_gap_inside_a_column_is_too_small_to_cut() -> None:
    assert _parts(_envelope([1, 1, 1], [[11, 18]])) == [[0, 1, 2]]


def test_empty() -> None:
    envelope = empty_envelope(0, 100, 10)
    assert envelope.is_empty
    assert envelope.segments() == []


def test_column_at() -> None:
    envelope = empty_envelope(0, 100, 10)
    assert [envelope.column_at(moment) for moment in (-1, 0, 9, 10, 99, 100)] == [
        None,
        0,
        0,
        1,
        9,
        None,
    ]


@given(st.floats(-1e4, 1e4), st.floats(0, 1e3), st.floats(1e-3, 100))
def test_an_axis_is_never_narrower_than_eight_accuracies(
    low: float, width: float, accuracy: float
) -> None:
    bottom, top = honest_range(low, low + width, accuracy)
    assert top - bottom >= 8 * accuracy
    assert bottom <= low
    assert low + width <= top


def test_trend_of_a_straight_line_is_exact_and_sure() -> None:
    trend = trend_of(
        readings_from(
            [minute * 60_000_000 for minute in range(60)],
            [20 + minute / 30 for minute in range(60)],
        )
    )
    assert trend is not None
    assert trend.per_hour == pytest.approx(2.0)
    assert trend.is_sure


def test_trend_of_noise_is_not_sure_and_of_little_is_none() -> None:
    values = np.random.default_rng(7).normal(20, 1, 200)
    trend = trend_of(readings_from(np.arange(200) * 10_000_000, values))
    assert trend is not None and not trend.is_sure
    assert trend_of(readings_from([0, 1, 2], [1.0, 2.0, 3.0])) is None


@given(
    st.lists(
        st.tuples(st.integers(1, 400), st.floats(-50, 50), st.sampled_from([0, 0, 0, 1])),
        max_size=40,
    ),
    st.integers(1, 12),
    st.integers(20, 300),
)
def test_an_envelope_of_readings_is_what_counting_them_in_gives(
    rows: list[tuple[int, float, int]], columns: int, width_s: int
) -> None:
    times = np.cumsum([step for step, _, _ in rows]).astype(np.int64) * 1_000_000
    readings = readings_from(times, [value for _, value, _ in rows], [mark for _, _, mark in rows])
    start, width = 100_000_000, width_s * 1_000_000
    found = envelope_of_readings(readings, start, width, columns, max_gap_s=90)
    sums = ColumnSums(start, width, columns, start + width * columns)
    sums.add_readings(readings)
    counted = sums.envelope()
    for name in ("low", "mean", "high"):
        assert getattr(found, name) == pytest.approx(getattr(counted, name), nan_ok=True)
    assert found.count.tolist() == counted.count.tolist()
    assert found.suspect.tolist() == counted.suspect.tolist()
    gaps = find_gaps(readings, max_gap_s=90, start_us=start, end_us=start + width * columns)
    assert found.gaps is not None
    assert found.gaps.tolist() == gaps.tolist()


def test_no_line_leads_round_the_other_way_where_a_direction_goes_over_north() -> None:
    told = envelope_of_readings(
        readings_from(np.arange(6) * 10, [340, 350, 5, 15, 355, 350]),
        0,
        10,
        6,
        max_gap_s=90,
        averaging=Averaging.CIRCULAR,
    )
    assert [part.tolist() for part in told.segments()] == [[0, 1], [2, 3], [4, 5]]

"""Usual level and spread, against the plain way of reckoning them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.baselines import robust_z, rolling_median_baseline, usual_level
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.sensor_faults import MAD_TO_SIGMA
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US

ROWS = st.lists(
    st.tuples(
        st.sampled_from([1, 30, 60, 61, 120, 500]),
        st.sampled_from([0.0, 1.0, 2.0, 2.5, 4.0, 9.0, math.nan]),
        st.sampled_from([0, 0, 0, 0, 1]),
    ),
    max_size=40,
)


def _readings(rows: list[tuple[int, float, int]]) -> Readings:
    times = np.cumsum([step for step, _, _ in rows]) * SECOND_US
    return readings_from(times, [value for _, value, _ in rows], [mark for _, _, mark in rows])


@given(ROWS, st.sampled_from([60, 200, 1000]), st.sampled_from(["centred", "trailing"]))
def test_a_median_around_each_reading_is_the_median_of_those_around_it(
    rows: list[tuple[int, float, int]], window_s: int, mode: str
) -> None:
    readings = _readings(rows)
    found = rolling_median_baseline(readings, window_s=window_s, mode=mode, min_count=2)
    good = readings.good
    window = window_s * SECOND_US
    for at, moment in enumerate(readings.time_us.tolist()):
        distance = readings.time_us - moment
        near = (
            2 * np.abs(distance) <= window
            if mode == "centred"
            else (distance > -window) & (distance <= 0)
        )
        values = readings.value[good & near]
        if len(values) < 2:
            assert np.isnan(found[at])
        else:
            assert found[at] == pytest.approx(float(np.median(values)))


def test_another_way_of_centring_is_refused() -> None:
    with pytest.raises(ValueError, match="centred or trailing"):
        rolling_median_baseline(readings_from([0], [1.0]), window_s=60, mode="leading")


@given(ROWS, st.sampled_from([100, 700]), st.sampled_from([0, 60, 150]))
def test_the_usual_level_is_that_of_what_came_before(
    rows: list[tuple[int, float, int]], window_s: int, exclude_s: int
) -> None:
    readings = _readings(rows)
    found = usual_level(
        readings, window_s=window_s, min_spread=0.5, exclude_s=exclude_s, min_count=2
    )
    times, good = readings.time_us, readings.good
    for at in range(len(readings)):
        end = times[at] - exclude_s * SECOND_US
        before = (times >= end - window_s * SECOND_US) & (times < end) & good
        before[at:] = False
        values = readings.value[before]
        if len(values) < 2:
            assert np.isnan(found.usual[at])
            continue
        usual = float(np.median(values))
        spread = max(MAD_TO_SIGMA * float(np.median(np.abs(values - usual))), 0.5)
        assert found.usual[at] == pytest.approx(usual)
        assert found.spread[at] == pytest.approx(spread)
        if good[at]:
            assert found.z[at] == pytest.approx((readings.value[at] - usual) / spread)
        else:
            assert np.isnan(found.z[at])


def test_the_usual_level_of_a_time_of_day_knows_other_days_same_hours() -> None:
    at = np.arange(0, 4 * DAY_US, HOUR_US)
    hours = at // HOUR_US % 24
    readings = readings_from(at, np.where(hours == 12, 30.0, 10.0))
    told = usual_level(
        readings, window_s=3 * 86_400, min_spread=1.0, min_count=2, tod_half_width_s=1800
    )
    noon = int(np.flatnonzero(hours == 12)[-1])
    assert told.usual[noon] == 30.0
    assert told.z[noon] == 0.0
    plain = usual_level(readings, window_s=3 * 86_400, min_spread=1.0, min_count=2)
    assert plain.usual[noon] == 10.0


def test_a_clock_set_back_leaves_what_had_arrived() -> None:
    times = np.array([1000, 1060, 1120, 500, 560, 620]) * SECOND_US
    readings = readings_from(times, [1.0, 2.0, 3.0, 7.0, 8.0, 9.0])
    told = usual_level(readings, window_s=300, min_spread=1.0, min_count=1)
    # At 560 s only the reading of 500 s arrived before it and lies in the window.
    assert told.usual[4] == 7.0
    assert told.usual[5] == 7.5
    assert np.isnan(told.usual[3])


def test_a_spread_of_nothing_is_refused() -> None:
    with pytest.raises(ValueError, match="min_spread"):
        usual_level(readings_from([0], [1.0]), window_s=60, min_spread=0.0)


@given(st.lists(st.floats(-100, 100), min_size=3, max_size=30), st.floats(0.5, 3), st.floats(-9, 9))
def test_distance_from_the_middle_does_not_care_for_scale(
    values: list[float], gain: float, offset: float
) -> None:
    plain = robust_z(readings_from(np.arange(len(values)), values))
    moved = robust_z(readings_from(np.arange(len(values)), gain * np.array(values) + offset))
    spread = float(np.median(np.abs(np.array(values) - np.median(values))))
    if spread > 1e-3:
        assert moved == pytest.approx(plain, rel=1e-6, abs=1e-6)
    assert np.isfinite(plain).all()

"""Two series side by side, against plain reckoning and known shifts."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing import paired_comparison as comparing
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import DAY_US, SECOND_US

NUMBERS = st.lists(st.integers(-20, 20).map(float), min_size=3, max_size=25)


def _at(seconds: list[int]) -> Readings:
    return readings_from(np.array(seconds) * SECOND_US, np.zeros(len(seconds)))


def _greedy(a: list[int], b: list[int], tolerance: int) -> set[tuple[int, int]]:
    """All pairs in the order (distance, earlier time), each row used once."""
    admissible = [
        (abs(y - x), min(x, y), i, j)
        for (i, x), (j, y) in itertools.product(enumerate(a), enumerate(b))
        if abs(y - x) <= tolerance
    ]
    taken: set[tuple[int, int]] = set()
    for _, _, i, j in sorted(admissible):
        if all(i != other for other, _ in taken) and all(j != other for _, other in taken):
            taken.add((i, j))
    return taken


@given(
    st.lists(st.integers(0, 300), unique=True, max_size=15).map(sorted),
    st.lists(st.integers(0, 300), unique=True, max_size=15).map(sorted),
    st.integers(1, 40),
)
def test_rows_are_paired_nearest_first(a: list[int], b: list[int], tolerance: int) -> None:
    found = comparing.align_nearest(_at(a), _at(b), tolerance_s=tolerance)
    pairs = set(zip(found.index_a.tolist(), found.index_b.tolist(), strict=True))
    assert pairs == _greedy(a, b, tolerance)
    assert (np.diff(found.index_a) > 0).all()
    swapped = comparing.align_nearest(_at(b), _at(a), tolerance_s=tolerance)
    assert {(j, i) for i, j in pairs} == set(
        zip(swapped.index_a.tolist(), swapped.index_b.tolist(), strict=True)
    )


@given(NUMBERS, st.floats(-50, 50), st.randoms())
def test_a_constant_offset_is_the_bias(numbers: list[float], offset: float, _: object) -> None:
    a = np.array(numbers)
    b = a + offset
    assert comparing.bias(a, b) == pytest.approx(offset, abs=1e-9)
    assert comparing.mae(a, b) == pytest.approx(abs(offset), abs=1e-9)
    assert comparing.rmse(a, b) == pytest.approx(abs(offset), abs=1e-9)
    told = comparing.limits_of_agreement(a, b)
    assert told.sd == pytest.approx(0, abs=1e-9)
    assert (told.lower, told.upper) == pytest.approx((offset, offset), abs=1e-6)


@given(NUMBERS, st.floats(0.2, 5), st.floats(-50, 50))
def test_a_straight_line_is_found_by_every_way(
    numbers: list[float], gain: float, offset: float
) -> None:
    a = np.array(numbers)
    b = gain * a + offset
    if np.ptp(a) == 0:
        assert math.isnan(comparing.theil_sen(a, b).gain)
        assert math.isnan(comparing.pearson_r(a, b))
        return
    for line in (comparing.theil_sen(a, b), comparing.deming(a, b)):
        assert line.gain == pytest.approx(gain, rel=1e-6)
        assert line.offset == pytest.approx(offset, abs=1e-5)
    assert comparing.pearson_r(a, b) == pytest.approx(1.0)
    assert comparing.spearman_r(a, b) == pytest.approx(1.0)
    assert comparing.pearson_r(a, -b) == pytest.approx(-1.0)


@given(NUMBERS)
def test_ranks_care_for_order_only(numbers: list[float]) -> None:
    a = np.array(numbers)
    b = np.array(numbers[::-1])
    plain = comparing.spearman_r(a, b)
    bent = comparing.spearman_r(a, np.exp(b / 10))
    assert bent == pytest.approx(plain, nan_ok=True)


def test_one_outlier_hardly_moves_the_median_line() -> None:
    a = np.arange(30.0)
    b = 2 * a + 1
    b[7] = 900
    assert comparing.theil_sen(a, b).gain == pytest.approx(2, abs=0.01)
    assert comparing.deming(a, b).gain != pytest.approx(2, abs=0.5)


def test_pairs_with_a_missing_side_are_left_out() -> None:
    a = np.array([1.0, math.nan, 3.0, 4.0])
    b = np.array([2.0, 9.0, math.nan, 5.0])
    assert comparing.bias(a, b) == 1.0
    assert math.isnan(comparing.pearson_r(a, b))
    assert math.isnan(comparing.bias(a[:0], b[:0]))
    with pytest.raises(ValueError, match="equally many"):
        comparing.bias(a, b[:3])


def _wave(shift_s: float, count: int = 300, step_s: int = 60) -> Readings:
    at = np.arange(count) * step_s
    value = np.sin((at - shift_s) / 1500) + 0.3 * np.sin((at - shift_s) / 410)
    return readings_from(at.astype(np.int64) * SECOND_US, value)


@pytest.mark.parametrize("shift_s", [0, 120, -180, 300])
def test_a_shifted_wave_tells_its_shift(shift_s: int) -> None:
    found = comparing.lag_s(_wave(0), _wave(shift_s), step_s=60, max_lag_s=900, max_gap_s=180)
    # The refined part is an estimate: a quarter of a step.
    assert found.lag_s == pytest.approx(shift_s, abs=15)
    assert found.r > 0.99
    assert not found.at_edge
    other = comparing.lag_s(_wave(shift_s), _wave(0), step_s=60, max_lag_s=900, max_gap_s=180)
    assert other.lag_s == pytest.approx(-found.lag_s, abs=1e-6)


def test_a_shift_at_the_end_of_the_search_is_not_trusted() -> None:
    found = comparing.lag_s(_wave(0), _wave(400), step_s=60, max_lag_s=300, max_gap_s=180)
    assert found.at_edge


@pytest.mark.parametrize(
    "other",
    [
        readings_from([], []),
        readings_from([0], [1.0]),
        readings_from(np.arange(300) * 60 * SECOND_US, np.full(300, 4.0)),
    ],
)
def test_what_cannot_be_known_is_not_said(other: Readings) -> None:
    found = comparing.lag_s(_wave(0), other, step_s=60, max_lag_s=300, max_gap_s=180)
    assert math.isnan(found.lag_s)
    assert found.n == 0


def test_gaps_are_not_bridged_when_shifts_are_sought() -> None:
    whole, shifted = _wave(0), _wave(120)
    keep = (shifted.time_us < 100 * 60 * SECOND_US) | (shifted.time_us > 160 * 60 * SECOND_US)
    torn = Readings(shifted.time_us[keep], shifted.value[keep], shifted.quality[keep])
    found = comparing.lag_s(whole, torn, step_s=60, max_lag_s=900, max_gap_s=180)
    assert found.lag_s == pytest.approx(120, abs=15)
    assert found.n < 300


def _sides(days: float, drift_a_month: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    at = np.arange(0, days * DAY_US, DAY_US // 4)
    a = 20 + 3 * np.sin(at / DAY_US)
    b = a + 0.5 + drift_a_month * at / (comparing.MONTH_S * SECOND_US)
    return at, a, b


def test_a_drift_is_told_by_the_month() -> None:
    at, a, b = _sides(60, 0.3)
    told = comparing.drift_per_month(at.astype(np.int64), a, b)
    assert told.drift_per_month == pytest.approx(0.3, rel=1e-6)
    assert told.bias_start == pytest.approx(0.5, abs=1e-6)
    assert told.bias_end == pytest.approx(0.5 + 0.3 * 59.75 / 30.4375, abs=1e-3)
    shuffled = np.random.default_rng(1).permutation(len(at))
    again = comparing.drift_per_month(at.astype(np.int64)[shuffled], a[shuffled], b[shuffled])
    assert again.drift_per_month == pytest.approx(told.drift_per_month)


def test_a_few_days_tell_no_drift() -> None:
    at, a, b = _sides(5, 0.3)
    told = comparing.drift_per_month(at.astype(np.int64), a, b)
    assert math.isnan(told.drift_per_month)
    assert told.span_days == pytest.approx(4.75)
    with pytest.raises(ValueError, match="equally many"):
        comparing.drift_per_month(at.astype(np.int64), a, b[:-1])

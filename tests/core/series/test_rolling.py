"""Many windows at once give what each window gives by itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray, IntArray
from rook_tally.core.series import rolling
from rook_tally.core.series.rolling import OrderStatistics, highest_of, slopes_per_h
from rook_tally.core.timestamps import HOUR_US, MINUTE_US

VALUES = st.lists(
    st.integers(-50, 50).map(float) | st.floats(-1e6, 1e6, allow_subnormal=False),
    min_size=1,
    max_size=60,
)


def _windows(draw: st.DrawFn, count: int) -> tuple[IntArray, IntArray]:
    bounds = draw(
        st.lists(st.tuples(st.integers(0, count), st.integers(0, count)), min_size=1, max_size=20)
    )
    pairs = np.array([sorted(pair) for pair in bounds], dtype=np.int64)
    return pairs[:, 0], pairs[:, 1]


@st.composite
def windowed(draw: st.DrawFn) -> tuple[FloatArray, IntArray, IntArray]:
    values = np.array(draw(VALUES))
    return values, *_windows(draw, len(values))


@pytest.fixture(params=["short windows sorted", "long windows asked"], autouse=True)
def way(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Both ways answer alike; the long one is made to take windows of any length."""
    if request.param.startswith("long"):
        for name in ("_SORTED_UP_TO", "_SORTED_TOGETHER", "_ONE_BY_ONE"):
            monkeypatch.setattr(rolling, name, 0)


@given(windowed(), st.sampled_from([0.0, 0.25, 0.5, 0.95, 1.0]))
def test_quantiles_are_those_of_each_window(
    asked: tuple[FloatArray, IntArray, IntArray], share: float
) -> None:
    values, first, after = asked
    found = OrderStatistics(values).quantile(first, after, share)
    for start, stop, one in zip(first, after, found, strict=True):
        if stop <= start:
            assert np.isnan(one)
        else:
            assert one == pytest.approx(np.quantile(values[start:stop], share), rel=1e-9, abs=1e-9)


@given(windowed(), st.floats(-60, 60))
def test_the_deviation_is_that_of_each_window(
    asked: tuple[FloatArray, IntArray, IntArray], centre: float
) -> None:
    values, first, after = asked
    centres = np.full(len(first), centre)
    found = OrderStatistics(values).median_deviation(first, after, centres)
    for start, stop, one in zip(first, after, found, strict=True):
        if stop > start:
            expected = np.median(np.abs(values[start:stop] - centre))
            assert one == pytest.approx(expected, rel=1e-9, abs=1e-9)


@given(windowed())
def test_a_window_of_two_stretches_is_both_together(
    asked: tuple[FloatArray, IntArray, IntArray],
) -> None:
    values, first, after = asked
    middle = (first + after) // 2
    firsts = np.stack((first, np.minimum(middle + 1, after)), axis=1)
    afters = np.stack((middle, after), axis=1)
    found = OrderStatistics(values).median(firsts, afters)
    for start, half, stop, one in zip(first, middle, after, found, strict=True):
        taken = np.concatenate((values[start:half], values[min(half + 1, stop) : stop]))
        if len(taken):
            assert one == pytest.approx(np.median(taken), rel=1e-9, abs=1e-9)
        else:
            assert np.isnan(one)


@given(windowed())
def test_the_highest_is_that_of_each_window(asked: tuple[FloatArray, IntArray, IntArray]) -> None:
    values, first, after = asked
    found = highest_of(values, first, after)
    for start, stop, one in zip(first, after, found, strict=True):
        assert np.isnan(one) if stop <= start else one == values[start:stop].max()


def test_slopes_keep_their_digits_years_from_the_first_reading() -> None:
    year = np.arange(0, 365 * 24 * 60, dtype=np.int64) * MINUTE_US
    value = 3.0 + 0.25 * (year / HOUR_US)
    at = np.arange(len(year))
    found = slopes_per_h(year, value, np.maximum(at - 9, 0), at + 1)
    assert np.isnan(found[0])
    assert np.allclose(found[1:], 0.25, rtol=1e-6, atol=0)


@given(st.lists(st.tuples(st.integers(1, 500), st.floats(-50, 50)), min_size=3, max_size=60))
def test_a_slope_asked_alone_is_the_one_asked_among_many(told: list[tuple[int, float]]) -> None:
    time_us = np.cumsum([step for step, _ in told]).astype(np.int64) * MINUTE_US
    values = np.array([value for _, value in told])
    after = np.arange(1, len(told) + 1)
    first = np.maximum(after - 8, 0)
    many = slopes_per_h(time_us, values, first, after)
    for at in range(len(told)):
        (alone,) = slopes_per_h(time_us, values, first[at : at + 1], after[at : at + 1])
        assert alone == pytest.approx(many[at], rel=1e-7, abs=1e-7, nan_ok=True)
        if at:
            hours = time_us[first[at] : after[at]] / HOUR_US
            line = np.polyfit(hours - hours[0], values[first[at] : after[at]], 1)
            assert alone == pytest.approx(line[0], rel=1e-6, abs=1e-6)

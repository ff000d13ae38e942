"""The last while of a value at many moments, against one window at a time."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, SECOND_US
from rook_tally.core.workings.lookback import Lookback

GAP_US = 180 * SECOND_US
VALUES = st.lists(
    st.tuples(
        st.sampled_from([10, 60, 60, 61, 170, 200, 700]),
        st.integers(0, 40).map(float) | st.just(math.nan),
    ),
    min_size=1,
    max_size=30,
)
WINDOWS = st.sampled_from([60, 150, 600, 2000])


def _lookback(rows: list[tuple[int, float]], window_s: int) -> Lookback:
    times = np.cumsum([step for step, _ in rows]).astype(np.int64) * SECOND_US
    value = np.array([value for _, value in rows])
    return Lookback(times, value, GAP_US, window_s * SECOND_US, times)


def _pieces(windows: Lookback, at: int) -> list[tuple[float, float, float]]:
    """The straight pieces of one window: left value, right value, seconds."""
    times, value = windows.time_us, windows.value
    start, end = int(windows.at[at]) - windows.window_us, int(windows.at[at])
    found = []
    for i in range(len(times) - 1):
        begin, stop = int(times[i]), int(times[i + 1])
        if stop > end or stop <= start or stop - begin > GAP_US:
            continue
        if not (math.isfinite(value[i]) and math.isfinite(value[i + 1])):
            continue
        a = value[i]
        if begin < start:
            a = value[i] + (value[i + 1] - value[i]) * (start - begin) / (stop - begin)
            begin = start
        found.append((float(a), float(value[i + 1]), (stop - begin) / SECOND_US))
    return found


def _checked(
    windows: Lookback, found: FloatArray, plain: Callable[[list[tuple[float, float, float]]], float]
) -> None:
    for at in range(len(windows.at)):
        pieces = _pieces(windows, at)
        covered = sum(seconds for _, _, seconds in pieces)
        if covered < windows.window_us / SECOND_US / 2 - 1e-6:
            assert np.isnan(found[at])
        else:
            assert found[at] == pytest.approx(plain(pieces), rel=1e-6, abs=1e-6)


def _mean(pieces: list[tuple[float, float, float]]) -> float:
    return sum((a + b) / 2 * s for a, b, s in pieces) / sum(s for _, _, s in pieces)


def _spread(pieces: list[tuple[float, float, float]]) -> float:
    mean, weight = _mean(pieces), sum(s for _, _, s in pieces)
    return math.sqrt(
        sum(((a - mean) ** 2 + (b - mean) ** 2) / 2 * s for a, b, s in pieces) / weight
    )


def _over(pieces: list[tuple[float, float, float]], limit: float) -> float:
    total = 0.0
    for a, b, s in pieces:
        high, low = max(a, b) - limit, min(a, b) - limit
        total += s * (1.0 if low >= 0 and high > 0 else high / (high - low) if high > 0 else 0.0)
    return total


@given(VALUES, WINDOWS)
def test_means_spreads_and_integrals_are_those_of_each_window(
    rows: list[tuple[int, float]], window_s: int
) -> None:
    windows = _lookback(rows, window_s)
    _checked(windows, windows.mean(), _mean)
    _checked(windows, windows.integral(), lambda p: sum((a + b) / 2 * s for a, b, s in p))
    _checked(windows, windows.covered_s, lambda p: sum(s for _, _, s in p)) if len(
        rows
    ) == 0 else None
    spread = windows.spread()
    for at in range(len(rows)):
        pieces = _pieces(windows, at)
        if windows.speaks[at] and pieces:
            assert spread[at] == pytest.approx(_spread(pieces), rel=1e-5, abs=1e-4)


@given(VALUES, WINDOWS, st.sampled_from([5.0, 20.0, 33.3]))
def test_time_beyond_a_limit_is_cut_where_the_line_crosses_it(
    rows: list[tuple[int, float]], window_s: int, limit: float
) -> None:
    windows = _lookback(rows, window_s)
    _checked(windows, windows.time_over_s(limit), lambda p: _over(p, limit))
    _checked(
        windows,
        windows.time_under_s(limit),
        lambda p: _over([(-a, -b, s) for a, b, s in p], -limit),
    )
    above, below = windows.excess(limit, above=True), windows.excess(limit, above=False)
    _checked(windows, above - below, lambda p: sum(((a + b) / 2 - limit) * s for a, b, s in p))


@given(VALUES, WINDOWS)
def test_extremes_and_quantiles_go_by_the_readings_in_a_window(
    rows: list[tuple[int, float]], window_s: int
) -> None:
    windows = _lookback(rows, window_s)
    told = {
        "highest": windows.highest(),
        "lowest": windows.highest(-1.0),
        "median": windows.quantile(0.5),
        "since": windows.since_highest_s(),
    }
    for at in range(len(rows)):
        inside = (
            (windows.time_us > windows.at[at] - windows.window_us)
            & (windows.time_us <= windows.at[at])
            & np.isfinite(windows.value)
        )
        if not windows.speaks[at]:
            assert all(np.isnan(one[at]) for one in told.values())
            continue
        values = windows.value[inside]
        assert told["highest"][at] == values.max()
        assert told["lowest"][at] == values.min()
        assert told["median"][at] == pytest.approx(float(np.median(values)))
        newest = int(np.flatnonzero(inside & (windows.value == values.max()))[-1])
        age_s = (windows.at[at] - windows.time_us[newest]) / SECOND_US
        assert told["since"][at] == pytest.approx(age_s)


def _steady(window_s: int = 600) -> Lookback:
    times = np.arange(40) * MINUTE_US
    return Lookback(times, 5.0 + 0.5 * np.arange(40.0), GAP_US, window_s * SECOND_US, times)


def test_a_steady_rise_is_told_by_slope_change_and_line() -> None:
    windows = _steady()
    assert windows.slope_per_s()[-1] == pytest.approx(0.5 / 60)
    assert windows.change()[-1] == pytest.approx(5.0)
    assert windows.line()[0][-1] == pytest.approx(windows.value[-1])
    assert np.isnan(windows.slope_per_s()[2])
    rms, peak = windows.moving()
    assert rms[-1] == pytest.approx(float(np.std(windows.value[-10:])), rel=1e-6)
    assert peak[-1] == pytest.approx(2.25)


def test_a_change_lies_between_two_readings_where_the_window_begins_there() -> None:
    windows = _steady(window_s=90)
    assert windows.change()[-1] == pytest.approx(0.75)
    assert np.isnan(windows.change()[1])


def test_decibels_are_averaged_by_their_energy() -> None:
    times = np.arange(60) * MINUTE_US
    level = np.where(np.arange(60) < 59, 60.0, 60.0)
    level[30] = 90.0
    windows = Lookback(times, level, GAP_US, HOUR_US, times)
    # One minute of a thousand times the power, on straight flanks of power.
    expected = 10 * math.log10((58 * 1e6 + 2 * (1e6 + 1e9) / 2) / 59 - 1e6 / 59)
    assert windows.energy_mean()[-1] == pytest.approx(expected, abs=0.1)


def test_a_battery_is_counted_from_a_midnight_and_forgets_the_beginning_once_full() -> None:
    times = np.arange(0, 3 * DAY_US, 5 * MINUTE_US)
    current = np.where(times < DAY_US + 12 * HOUR_US, 2.0, -1.0)
    for start_pct in (0.0, 50.0, 90.0):
        windows = Lookback(times, current, 900 * SECOND_US, DAY_US, times[-10:])
        told = windows.charge_pct(10 * 3600.0, start_pct)
        # Full by the second day's noon; an ampere out of 10 Ah ever since.
        assert told[-1] == pytest.approx(0.0)
    short = Lookback(times, current, 900 * SECOND_US, DAY_US, times[460:470])
    left = 100 - 100 * (times[469] - DAY_US - 12 * HOUR_US) / HOUR_US / 10
    assert short.charge_pct(10 * 3600.0, 50.0)[-1] == pytest.approx(left, abs=2)


def test_nothing_is_said_of_nothing() -> None:
    empty = np.empty(0, dtype=np.int64)
    at = np.array([MINUTE_US])
    windows = Lookback(empty, np.empty(0), GAP_US, HOUR_US, at)
    for told in (
        windows.mean(),
        windows.spread(),
        windows.highest(),
        windows.quantile(0.5),
        windows.change(),
        *windows.line(),
        windows.slope_per_s(),
        windows.integral(),
    ):
        assert np.isnan(told).all()


def test_spreads_from_the_usual_level() -> None:
    times = np.arange(30) * MINUTE_US
    value = np.where(np.arange(30) % 2 == 0, 10.0, 12.0)
    value[-1] = 31.0
    windows = Lookback(times, value, GAP_US, 20 * MINUTE_US, times)
    assert windows.spreads_from_usual(1.0)[-1] > 10
    assert abs(windows.spreads_from_usual(1.0)[-2]) <= 1

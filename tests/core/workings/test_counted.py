"""What counters counted, against a counter that is walked through by hand, and truth made up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray
from rook_tally.core.timestamps import SECOND_US
from rook_tally.core.workings.counted import BRIDGED_US, counted, counted_per_s, steps_counted
from rook_tally.core.workings.lookback import Lookback


def _windows(
    rows: Sequence[tuple[float, float]], window_s: float, at: Sequence[float] | None = None
) -> Lookback:
    """Rows of (second, count)."""
    time_us = np.array([round(second * SECOND_US) for second, _ in rows], np.int64)
    value = np.array([count for _, count in rows], np.float64)
    moments = time_us if at is None else np.array([round(one * SECOND_US) for one in at], np.int64)
    return Lookback(time_us, value, 180 * SECOND_US, round(window_s * SECOND_US), moments)


@pytest.mark.parametrize(
    ("counts", "wrap", "steps"),
    [
        ([0, 1, 1, 4], math.inf, [1, 0, 3]),
        # Begun anew at 0: what stands there was counted since.
        ([90, 95, 2, 3], math.inf, [5, 2, 1]),
        # Run over: 65,530 to 4 are ten steps.
        ([65_520, 65_530, 4, 9], 65_536.0, [10, 10, 5]),
        # A tremble of a meter's last digit is no new beginning.
        ([1000.02, 1000.01, 1000.05], math.inf, [0, 0.04]),
        # Far below what it was, and no step that running over would explain.
        ([60_000, 10], 65_536.0, [5546]),
        ([40_000, 10], 65_536.0, [25_546]),
        ([20_000, 10], 65_536.0, [10]),
    ],
)
def test_each_step_of_a_counter(counts: list[float], wrap: float, steps: list[float]) -> None:
    told = steps_counted(np.array(counts, np.float64), wrap)
    assert told == pytest.approx(np.array(steps), abs=1e-9)


def test_rain_of_the_last_hour_over_a_new_battery() -> None:
    """A tip is 0.2 mm; the gauge begins anew at 11:30, and is silent for a while before."""
    tips = [(0, 4.0), (600, 4.4), (1200, 5.0), (5400, 0.4), (6000, 1.0)]
    rain = counted(_windows(tips, 3600, [1200, 6000, 7200]))
    # Not half an hour is known at first; then the last 50 and 30 minutes of the silent 70.
    assert math.isnan(rain[0])
    assert rain[1] == pytest.approx(0.6 + 0.4 * 3000 / 4200)
    assert rain[2] == pytest.approx(0.6 + 0.4 * 1800 / 4200)
    rate = counted_per_s(_windows(tips, 3600, [6000]))
    assert rate[0] == pytest.approx(rain[1] / 3600)


def _by_hand(windows: Lookback, wrap: float, at: int) -> float:
    """One window, walked through reading by reading."""
    end = int(windows.at[at])
    start = end - windows.window_us
    rows = [
        (int(t), float(v))
        for t, v in zip(windows.time_us, windows.value, strict=True)
        if math.isfinite(v)
    ]
    inside = [row for row in rows if start < row[0] <= end]
    before = [row for row in rows if row[0] <= start]
    if not inside or len(rows) < 2:
        return math.nan

    def step(a: float, b: float) -> float:
        if b >= a:
            return b - a
        if math.isfinite(wrap) and b - a + wrap <= wrap / 2:
            return b - a + wrap
        return max(b, 0.0) if b < a / 2 else 0.0

    total = sum(step(a, b) for (_, a), (_, b) in pairwise(inside))
    if before and start - before[-1][0] <= BRIDGED_US:
        (t0, a), (t1, b) = before[-1], inside[0]
        return total + step(a, b) * (t1 - start) / (t1 - t0)
    return total if end - inside[0][0] >= windows.window_us / 2 else math.nan


@given(
    rows=st.lists(
        st.tuples(
            st.sampled_from([10, 60, 61, 700, 3600, 200_000]),
            st.integers(0, 300).map(float) | st.just(math.nan),
        ),
        min_size=1,
        max_size=25,
    ),
    window_s=st.sampled_from([60, 600, 3600, 90_000]),
    wrap=st.sampled_from([math.inf, 301.0, 512.0]),
)
def test_many_windows_are_what_each_is_by_hand(
    rows: list[tuple[int, float]], window_s: int, wrap: float
) -> None:
    seconds = np.cumsum([step for step, _ in rows]).tolist()
    windows = _windows(list(zip(seconds, [count for _, count in rows], strict=True)), window_s)
    found = counted(windows, wrap)
    for at in range(len(windows.at)):
        assert found[at] == pytest.approx(_by_hand(windows, wrap, at), abs=1e-6, nan_ok=True)


@given(
    steps=st.lists(st.integers(0, 40), min_size=40, max_size=200),
    wrap=st.sampled_from([256, 1000]),
    resets=st.sets(st.integers(5, 35), max_size=2),
)
def test_what_was_counted_in_truth_is_found(steps: list[int], wrap: int, resets: set[int]) -> None:
    """A wheel turns; its counter wraps, and is switched off and on at a few moments."""
    turned: FloatArray = np.cumsum(steps).astype(np.float64)
    begun = np.zeros(len(steps))
    for at in sorted(resets):
        # What turned since the last reading before is lost with the counter's memory.
        begun[at:] = turned[at - 1]
    shown = (turned - begun) % wrap
    minutes = [(60.0 * at, float(count)) for at, count in enumerate(shown)]
    window_s = 60.0 * (len(steps) - 1)
    found = counted(_windows(minutes, window_s), float(wrap))[-1]
    truth = turned[-1] - turned[0]
    if not resets:
        assert found == pytest.approx(truth)
    # A reset may look like a wrap where the counter had come far; never less than what was shown.
    assert found <= truth + wrap * len(resets)
    assert found >= 0


def test_the_newest_reading_says_nothing_of_a_window_it_is_not_in() -> None:
    windows = _windows([(0, 1), (60, 2)], 600, [30, 60, 3600])
    assert np.isnan(counted(windows)).tolist() == [True, True, True]
    known = _windows([(0, 1), (300, 2), (600, 4)], 600, [600])
    assert counted(known).tolist() == [3.0]
    assert counted(_windows([(0, 1)], 600)).tolist() == pytest.approx([math.nan], nan_ok=True)

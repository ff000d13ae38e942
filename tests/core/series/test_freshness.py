"""Late after two cadences, silent after five; a missed report is a gap in the strip."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.freshness import Freshness, expected_reports_heard, freshness
from rook_tally.core.series.gaps import max_gap_s

MINUTE_US = 60_000_000


@pytest.mark.parametrize(
    ("age_s", "state"),
    [
        (0, Freshness.FRESH),
        (119.9, Freshness.FRESH),
        (120, Freshness.LATE),
        (299, Freshness.LATE),
        (300, Freshness.SILENT),
    ],
)
def test_states(age_s: float, state: Freshness) -> None:
    assert freshness(age_s, 60) is state


def test_gap_rule() -> None:
    assert max_gap_s(10) == 90
    assert max_gap_s(60) == 180


def _heard(minutes: list[float], now: float, count: int = 5) -> list[bool]:
    times = np.array([round(minute * MINUTE_US) for minute in minutes], dtype=np.int64)
    heard: list[bool] = expected_reports_heard(
        times, now_us=round(now * MINUTE_US), cadence_s=60, count=count
    ).tolist()
    return heard


def test_all_heard_whatever_the_jitter() -> None:
    assert _heard([0.1, 0.9, 2.05, 3.0, 4.1], 4.3) == [True] * 5


def test_a_missed_report_is_a_gap_and_an_overdue_one_too() -> None:
    assert _heard([0, 1, 3, 4], 4.2) == [True, True, False, True, True]
    assert _heard([0, 1, 2], 4.7) == [True, True, True, False, False]


def test_a_report_hardly_overdue_is_not_yet_missed() -> None:
    assert _heard([0, 1, 2, 3, 4], 5.4) == [True] * 5


def test_nothing_heard() -> None:
    assert _heard([], 10) == [False] * 5
    assert _heard([0], 60) == [False] * 5


@given(st.lists(st.integers(0, 500), unique=True), st.integers(0, 1000))
def test_never_more_heard_than_came(minutes: list[int], now: int) -> None:
    heard = _heard(sorted(float(minute) for minute in minutes), float(now), 24)
    assert sum(heard) <= len(minutes)


def test_under_maintenance_nothing_is_late_and_nothing_is_told() -> None:
    state = freshness(math.inf, 60, is_offline=True, is_maintained=True)
    assert (state.wording, state.is_overdue, state.is_telling) == (
        "under maintenance",
        False,
        False,
    )

"""Levels begin exactly at their limits, on both sides."""

from __future__ import annotations

import itertools
import math
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import NO_LIMITS, HourLimits, Level, Limits
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_datetime

DUST = Limits(above=(15, 25, 50, 75))
DAMP = Limits(above=(60, 70, 80, 90), below=(30, 20, None, 10))


@pytest.mark.parametrize(
    ("value", "level"),
    [
        (14.999, Level.SETTLED),
        (15, Level.NOTICED),
        (25, Level.RAISED),
        (58, Level.HIGH),
        (1e9, Level.SEVERE),
        (-1e9, Level.SETTLED),
        (math.nan, Level.SETTLED),
        (math.inf, Level.SEVERE),
    ],
)
def test_upward(value: float, level: Level) -> None:
    assert DUST.level_of(value) is level


@pytest.mark.parametrize(
    ("value", "level"), [(31, 0), (30, 1), (20, 2), (15, 2), (10, 4), (60, 1), (90, 4), (45, 0)]
)
def test_both_ways_and_with_a_level_left_out(value: float, level: int) -> None:
    assert DAMP.level_of(value) == level


@given(st.lists(st.floats(-200, 200), max_size=30))
def test_many_at_once_agree_with_one_by_one(values: list[float]) -> None:
    together = DAMP.levels_of(np.array(values, dtype=np.float64))
    assert together.tolist() == [int(DAMP.level_of(value)) for value in values]


def test_limits_out_of_order_are_refused() -> None:
    with pytest.raises(ValueError, match="upper limits must rise"):
        Limits(above=(25, 15, 50, 75))
    with pytest.raises(ValueError, match="lower limits must fall"):
        Limits(below=(10, 20, None, None))


def test_nearest_limit() -> None:
    assert DUST.nearest(58) == 25
    assert DAMP.nearest(24) == 20
    assert DAMP.nearest(66) == 70
    assert NO_LIMITS.nearest(5) is None


# A night's noise in a town that changes its clocks.
NIGHT = HoursOfDay(begin_min=22 * 60, end_min=6 * 60)
NOISE = Limits(
    above=(55, 65, None, None),
    by_hours=(HourLimits(NIGHT, above=(30, 45, None, None)),),
    zone="Europe/Berlin",
)
# The night in which clocks go back, and the one in which they go forward.
AUTUMN, SPRING = datetime(2026, 10, 25), datetime(2026, 3, 29)


def _moment(text: str) -> int:
    return time_us_from_datetime(datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(NOISE.zone)))


@pytest.mark.parametrize(
    ("local", "level"),
    [
        ("2026-06-01T21:59:59", Level.SETTLED),
        ("2026-06-01T22:00:00", Level.NOTICED),
        ("2026-06-02T05:59:59", Level.NOTICED),
        ("2026-06-02T06:00:00", Level.SETTLED),
        # In winter an hour later by universal time, and the same by the clock.
        ("2026-12-01T22:00:00", Level.NOTICED),
        ("2026-12-02T06:00:00", Level.SETTLED),
    ],
)
def test_hours_are_those_of_the_clock(local: str, level: Level) -> None:
    assert NOISE.at(_moment(local)).level_of(40) is level


@given(
    st.sampled_from([AUTUMN, SPRING, datetime(2026, 7, 1)]),
    st.lists(st.tuples(st.integers(-36 * 60, 60 * 60), st.floats(0, 80)), max_size=20),
)
def test_hours_of_many_agree_with_one_by_one(
    day: datetime, several: list[tuple[int, float]]
) -> None:
    begin_us = time_us_from_datetime(day.replace(tzinfo=ZoneInfo(NOISE.zone)))
    time_us = np.array([begin_us + minute * 60_000_000 for minute, _ in several], np.int64)
    values = np.array([value for _, value in several], np.float64)
    one_by_one = [
        int(NOISE.at(moment).level_of(value))
        for moment, value in zip(time_us.tolist(), values.tolist(), strict=True)
    ]
    assert NOISE.levels_at(time_us, values).tolist() == one_by_one


@given(st.sampled_from([AUTUMN, SPRING]), st.integers(0, 48), st.integers(1, 60))
def test_stretches_follow_one_another_and_say_what_holds(
    day: datetime, first_h: int, hours: int
) -> None:
    start_us = time_us_from_datetime(day.replace(tzinfo=ZoneInfo(NOISE.zone))) + first_h * HOUR_US
    end_us = start_us + hours * HOUR_US
    told = NOISE.stretches(start_us, end_us)
    assert [one[0] for one in told] == [start_us, *(one[1] for one in told[:-1])]
    assert told[-1][1] == end_us
    for begin, end, limits in told:
        assert NOISE.at(begin) == NOISE.at(end - 1) == limits
    for before, after in itertools.pairwise(told):
        assert before[2] != after[2]


def test_a_window_of_many_months_is_told_by_the_whole_day() -> None:
    assert [one[2].above for one in NOISE.stretches(0, 90 * DAY_US)] == [(55, 65, None, None)]


def test_weekdays_belong_to_the_day_on_which_a_night_begins() -> None:
    friday = HoursOfDay(begin_min=22 * 60, end_min=6 * 60, days=(4,))
    told = Limits(by_hours=(HourLimits(friday, above=(30, None, None, None)),), zone=NOISE.zone)
    # The fifth of June 2026 is a Friday.
    assert told.at(_moment("2026-06-06T03:00:00")).level_of(40) is Level.NOTICED
    assert told.at(_moment("2026-06-07T03:00:00")).level_of(40) is Level.SETTLED

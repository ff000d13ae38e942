"""A watch that steps from reading to reading rings as one that sees them all at once."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.alarms.alarm_detector import NEVER, AlarmThresholds, rings_of
from rook_tally.core.alarms.conditions import judge_of
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.online_detector import DetectorState, Transition, advance
from rook_tally.core.alarms.sentences import lasting_words
from rook_tally.core.hours_of_day import HoursOfDay, is_within_hours, within_hours
from rook_tally.core.quantities.levels import HourLimits, Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import readings_from

S = 1_000_000
GAP_S = 90.0
LONDON = ZoneInfo("Europe/London")

# Cadences, gaps, repeated moments and clocks set back.
moves = st.lists(st.sampled_from([0, 10, 30, 60, 90, 91, 600, -30]), min_size=1, max_size=60)
numbers = st.sampled_from([0.0, 1.0, 2.0, 3.0])


def _pairs(turns: list[tuple[Transition, int]]) -> list[list[int]]:
    found: list[list[int]] = []
    for turn, moment in turns:
        if turn is Transition.RING:
            found.append([moment, NEVER])
        else:
            found[-1][1] = moment
    return found


@given(
    moves,
    st.data(),
    st.sampled_from([0.0, 30.0, 120.0]),
    st.sampled_from([0.0, 60.0]),
    st.sampled_from([None, 1.0]),
)
def test_stepping_rings_as_backtest_does(
    steps: list[int], data: st.DataObject, on_s: float, off_s: float, clear: float | None
) -> None:
    time_us = 1_700_000_000 * S + np.cumsum(np.array(steps, dtype=np.int64)) * S
    number = np.array([data.draw(numbers) for _ in steps])
    guard = np.array([data.draw(st.booleans()) for _ in steps])
    terms = AlarmThresholds(2.0, GAP_S, clear, on_s, off_s)
    step, turns = DetectorState(), []
    for moment, value, may in zip(time_us.tolist(), number.tolist(), guard.tolist(), strict=True):
        step, turned = advance(step, terms, moment, value, may_ring=may)
        if turned is not None:
            turns.append(turned)
    assert _pairs(turns) == rings_of(time_us, number, terms, guard).tolist()


def test_a_step_written_down_and_read_again_goes_on_as_if_nothing_had_been() -> None:
    terms = AlarmThresholds(2.0, GAP_S, on_delay_s=60.0)
    step, _ = advance(DetectorState(), terms, 0, 3.0)
    step, turned = advance(step, terms, 30 * S, 3.0)
    assert turned is None
    step, turned = advance(step, terms, 60 * S, 3.0)
    assert turned == (Transition.RING, 60 * S)
    assert step.is_ringing


def _numbers_of(sort: WatchKind, values: list[float], **said: float) -> list[float]:
    watch = Watch(slug="w", name="W", sort=sort, scope=Scope(), unit="°C", **said)  # type: ignore[arg-type]
    limits = Limits(above=(20, 25, 30, 35))
    judge = judge_of(watch, QUANTITIES["temperature"], limits, GAP_S)
    readings = readings_from(np.arange(len(values)) * 60 * S, values)
    told = judge.numbers(readings)
    if not judge.reach_s:
        rows = zip(values, readings.time_us.tolist(), strict=True)
        assert told.tolist() == [judge.number(value, moment) for value, moment in rows]
    return [*told.tolist(), judge.terms.limit]


def test_every_condition_is_a_number_over_a_limit() -> None:
    assert _numbers_of(WatchKind.ABOVE, [20, 30], limit=25) == [20, 30, 25]
    assert _numbers_of(WatchKind.BELOW, [20, 30], limit=25) == [-20, -30, -25]
    assert _numbers_of(WatchKind.OUTSIDE, [5, 12, 30], low=10, limit=20) == [5, -2, 10, 0]
    assert _numbers_of(WatchKind.LEVEL, [10, 26, 36], limit=3) == [0, 2, 4, 2.5]
    assert _numbers_of(WatchKind.RISING, [0, 1, 2, 3], limit=5, window_s=180)[-2:] == pytest.approx(
        [60, 5]
    )
    assert _numbers_of(WatchKind.FALLING, [3, 2, 1, 0], limit=5, window_s=180)[
        -2:
    ] == pytest.approx([60, 5])
    steady = [10.0] * 20 + [30.0]
    assert _numbers_of(WatchKind.TIMES_USUAL, steady, limit=2, window_s=3600)[-2:] == [3, 2]
    assert _numbers_of(WatchKind.UNUSUAL, steady, limit=2, window_s=3600, min_spread=4)[-2:] == [
        5,
        2,
    ]


def test_hours_go_over_midnight_and_through_the_change_of_clocks() -> None:
    night = HoursOfDay(begin_min=22 * 60, end_min=6 * 60, days=(4,))
    friday_23 = 1_774_652_400 * S  # 2026-03-27 23:00 in London
    assert is_within_hours(friday_23, night, LONDON)
    assert is_within_hours(friday_23 + 6 * 3600 * S, night, LONDON)  # five on Saturday
    assert not is_within_hours(friday_23 + 7 * 3600 * S, night, LONDON)
    saturday_23 = friday_23 + 24 * 3600 * S
    assert not is_within_hours(saturday_23, night, LONDON)
    # On Sunday the 29th clocks go from one to two: five hours after midnight it is six.
    sunday = HoursOfDay(begin_min=0, end_min=6 * 60, days=(6,))
    midnight = saturday_23 + 3600 * S
    moments = midnight + np.arange(0, 7) * 3600 * S
    assert within_hours(moments, sunday, LONDON).tolist() == [True] * 5 + [False] * 2


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0.2, "0 s"), (17, "17 s"), (59.4, "59 s"), (60, "1 min"), (100, "2 min"), (7200, "2 h")],
)
def test_how_long_something_lasted_is_said_in_seconds_within_a_minute(
    seconds: float, words: str
) -> None:
    assert lasting_words(round(seconds * S)) == words


def test_a_level_is_that_of_the_hour() -> None:
    night = HourLimits(HoursOfDay(begin_min=22 * 60, end_min=6 * 60), above=(10, 15, None, None))
    limits = Limits(above=(20, 25, 30, 35), by_hours=(night,))
    watch = Watch(slug="w", name="W", sort=WatchKind.LEVEL, scope=Scope(), limit=2)
    judge = judge_of(watch, QUANTITIES["temperature"], limits, GAP_S)
    readings = readings_from(np.arange(0, 24, 3) * 3600 * S, [16.0] * 8)
    told = judge.numbers(readings).tolist()
    assert told == [2, 2, 0, 0, 0, 0, 0, 0]
    assert told == [judge.number(16.0, moment) for moment in readings.time_us.tolist()]

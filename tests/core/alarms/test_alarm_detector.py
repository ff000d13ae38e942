"""Rings and clears: many rows at once give what row after row gives."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.alarms.alarm_detector import (
    NEVER,
    AlarmThresholds,
    Direction,
    guard_gate,
    limit_watch,
    rate_per_h,
    rings_by_number,
    rings_of,
    silence_watch,
)
from rook_tally.core.alarms.alarm_states import AlarmEvent, AlarmState, alarm_next, alarm_replay
from rook_tally.core.arrays import BoolArray
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import MINUTE_US, SECOND_US


@dataclass
class LiveStep:
    """The rules, one reading after another, as anybody would first write them down."""

    terms: AlarmThresholds
    beyond_us: int | None = None
    calm_us: int | None = None
    last_us: int | None = None

    def __post_init__(self) -> None:
        self.rings: list[list[int]] = []

    @property
    def is_ringing(self) -> bool:
        return bool(self.rings) and self.rings[-1][1] == NEVER

    def take(self, time_us: int, value: float, guarded: bool) -> None:
        terms = self.terms
        clear = terms.limit if terms.clear_limit is None else terms.clear_limit
        if self.last_us is not None:
            step = time_us - self.last_us
            if step < 0 or step > terms.max_gap_s * SECOND_US:
                self.beyond_us = self.calm_us = None
        self.last_us = time_us
        beyond = value > terms.limit and guarded
        calm = value <= clear or not guarded
        self.beyond_us = (time_us if self.beyond_us is None else self.beyond_us) if beyond else None
        self.calm_us = (time_us if self.calm_us is None else self.calm_us) if calm else None
        if not self.is_ringing and self.beyond_us is not None:
            if time_us - self.beyond_us >= terms.on_delay_s * SECOND_US:
                self.rings.append([time_us, NEVER])
        elif (
            self.is_ringing
            and self.calm_us is not None
            and time_us - self.calm_us >= terms.off_delay_s * SECOND_US
        ):
            self.rings[-1][1] = max(time_us, self.rings[-1][0])


ROWS = st.lists(
    st.tuples(
        # Seconds since the row before: gaps, equal times and a clock set back among them.
        st.sampled_from([0, 10, 30, 60, 60, 60, 90, 181, 400, -200]),
        st.sampled_from([1.0, 2.0, 3.0, 3.5, 4.0, 5.0]),
        st.booleans(),
    ),
    max_size=60,
)
TERMS = st.builds(
    AlarmThresholds,
    limit=st.sampled_from([3.0, 4.0]),
    max_gap_s=st.just(180.0),
    clear_limit=st.sampled_from([None, 2.0, 3.0]),
    on_delay_s=st.sampled_from([0.0, 60.0, 90.0, 200.0]),
    off_delay_s=st.sampled_from([0.0, 60.0, 150.0]),
)


def _arrays(rows: list[tuple[int, float, bool]]) -> tuple[Readings, BoolArray]:
    times = np.cumsum([step for step, _, _ in rows]) * SECOND_US
    readings = readings_from(times, [value for _, value, _ in rows])
    return readings, np.array([guard for _, _, guard in rows], dtype=np.bool_)


@given(ROWS, TERMS)
def test_backtest_and_live_step_ring_alike(
    rows: list[tuple[int, float, bool]], terms: AlarmThresholds
) -> None:
    readings, guard = _arrays(rows)
    live = LiveStep(terms)
    for time_us, value, guarded in zip(
        readings.time_us.tolist(), readings.value.tolist(), guard.tolist(), strict=True
    ):
        live.take(time_us, value, guarded)
    found = limit_watch(readings, terms, guard=guard)
    assert found.tolist() == live.rings


@given(ROWS, TERMS)
def test_watching_below_is_watching_above_upside_down(
    rows: list[tuple[int, float, bool]], terms: AlarmThresholds
) -> None:
    readings, guard = _arrays(rows)
    clear = None if terms.clear_limit is None else -terms.clear_limit
    below = AlarmThresholds(
        -terms.limit, terms.max_gap_s, clear, terms.on_delay_s, terms.off_delay_s
    )
    turned = Readings(readings.time_us, -readings.value, readings.quality)
    assert np.array_equal(
        limit_watch(readings, terms, guard=guard),
        limit_watch(turned, below, Direction.BELOW, guard),
    )


@given(ROWS, TERMS)
def test_rings_follow_one_another(
    rows: list[tuple[int, float, bool]], terms: AlarmThresholds
) -> None:
    readings, _ = _arrays(rows)
    found = limit_watch(readings, terms)
    # Only the last may stand, and none clears before it rings.
    assert (found[:-1, 1] != NEVER).all()
    assert (found[:, 1] >= found[:, 0]).all()


def test_suspect_readings_neither_ring_nor_clear() -> None:
    times = np.arange(5) * MINUTE_US
    readings = readings_from(times, [5, 1, 5, 1, 1], [0, 1, 0, 0, 0])
    found = limit_watch(readings, AlarmThresholds(4.0, 180.0))
    assert found.tolist() == [[0, 3 * MINUTE_US]]


def test_no_row_at_all_rings_nothing() -> None:
    assert rings_of(np.empty(0, np.int64), np.empty(0), AlarmThresholds(1.0, 180.0)).shape == (0, 2)
    assert limit_watch(readings_from([], []), AlarmThresholds(1.0, 180.0)).shape == (0, 2)


def test_terms_that_cannot_be_meant_are_refused() -> None:
    with pytest.raises(ValueError, match="negative"):
        AlarmThresholds(1.0, 180.0, on_delay_s=-1)
    with pytest.raises(ValueError, match="beyond the limit"):
        limit_watch(readings_from([0], [1.0]), AlarmThresholds(1.0, 180.0, clear_limit=2.0))


@given(ROWS)
def test_a_rate_is_the_slope_of_what_came_lately(rows: list[tuple[int, float, bool]]) -> None:
    readings, _ = _arrays(rows)
    found = rate_per_h(readings, window_s=200, max_gap_s=180)
    times, values = readings.time_us.tolist(), readings.value.tolist()
    start = 0
    for at in range(len(times)):
        if at and not 0 <= times[at] - times[at - 1] <= 180 * SECOND_US:
            start = at
        near = [i for i in range(start, at + 1) if times[i] >= times[at] - 200 * SECOND_US]
        span = times[at] - times[near[0]]
        seconds = np.array([(times[i] - times[near[0]]) / SECOND_US for i in near])
        if len(near) < 3 or 2 * span < 200 * SECOND_US or np.ptp(seconds) == 0:
            assert np.isnan(found[at])
        else:
            slope = np.polyfit(seconds, [values[i] for i in near], 1)[0] * 3600
            assert found[at] == pytest.approx(slope, rel=1e-6, abs=1e-6)


def test_either_way_rings_on_both_sides() -> None:
    times = np.arange(6) * MINUTE_US
    readings = readings_from(times, [0.0] * 6)
    number = np.array([0.0, 5.0, 0.0, np.nan, -5.0, 0.0])
    found = rings_by_number(readings, number, AlarmThresholds(4.0, 180.0), Direction.BOTH)
    assert found.tolist() == [[MINUTE_US, 2 * MINUTE_US], [4 * MINUTE_US, 5 * MINUTE_US]]


@given(st.lists(st.sampled_from([30, 60, 61, 300, 900]), max_size=20), st.integers(0, 2000))
def test_silence_rings_a_time_after_the_last_word(steps: list[int], later_s: int) -> None:
    times = np.cumsum([0, *steps]) * SECOND_US
    now_us = int(times[-1]) + later_s * SECOND_US
    readings = readings_from(times, np.ones(len(times)))
    found = silence_watch(readings, timeout_s=60, now_us=now_us)
    expected = [
        [before + 60 * SECOND_US, after]
        for before, after in itertools.pairwise(times.tolist())
        if after - before > 60 * SECOND_US
    ]
    if later_s > 60:
        expected.append([int(times[-1]) + 60 * SECOND_US, NEVER])
    assert found.tolist() == expected


@given(
    st.lists(st.tuples(st.sampled_from([20, 60, 200]), st.sampled_from([0.0, 5.0])), max_size=12),
    st.lists(st.integers(-100, 900), max_size=15),
    st.sampled_from([0.0, 50.0, 120.0]),
    st.booleans(),
)
def test_a_guard_holds_its_last_word_for_a_while(
    told: list[tuple[int, float]], moments: list[int], settle_s: float, allows: bool
) -> None:
    guard_us = np.cumsum([step for step, _ in told]) * SECOND_US if told else np.empty(0, np.int64)
    guard = readings_from(guard_us, [value for _, value in told])
    at = np.array(moments, dtype=np.int64) * SECOND_US
    found = guard_gate(
        at, guard, guard_limit=1.0, guard_max_age_s=100, settle_s=settle_s, allows_unknown=allows
    )
    for moment, is_open in zip(at.tolist(), found.tolist(), strict=True):
        before = [i for i, time_us in enumerate(guard_us.tolist()) if time_us <= moment]
        if not before or moment - guard_us[before[-1]] > 100 * SECOND_US:
            assert is_open is allows
            continue
        last = start = before[-1]
        while (
            start > 0
            and told[start - 1][1] > 1
            and guard_us[start] - guard_us[start - 1] <= 100 * SECOND_US
        ):
            start -= 1
        is_on = told[last][1] > 1.0
        assert is_open == (is_on and moment - guard_us[start] >= settle_s * SECOND_US)


_S, _E = AlarmState, AlarmEvent


@pytest.mark.parametrize(
    ("state", "event", "active", "after"),
    [
        (_S.NORMAL, _E.RING, True, _S.UNACKNOWLEDGED),
        (_S.UNACKNOWLEDGED, _E.CLEAR, False, _S.RETURNED_UNACKNOWLEDGED),
        (_S.UNACKNOWLEDGED, _E.ACK, True, _S.ACKNOWLEDGED),
        (_S.ACKNOWLEDGED, _E.CLEAR, False, _S.NORMAL),
        (_S.ACKNOWLEDGED, _E.RING, True, _S.ACKNOWLEDGED),
        (_S.RETURNED_UNACKNOWLEDGED, _E.RING, True, _S.UNACKNOWLEDGED),
        (_S.RETURNED_UNACKNOWLEDGED, _E.ACK, False, _S.NORMAL),
        (_S.SHELVED, _E.UNSHELVE, True, _S.UNACKNOWLEDGED),
        (_S.SHELVED, _E.UNSHELVE, False, _S.NORMAL),
        (_S.SHELVED, _E.SUPPRESS, False, _S.SUPPRESSED),
        (_S.SUPPRESSED, _E.SHELVE, False, _S.SUPPRESSED),
        (_S.SUPPRESSED, _E.UNSUPPRESS, True, _S.UNACKNOWLEDGED),
        (_S.NORMAL, _E.ACK, False, _S.NORMAL),
        (_S.NORMAL, _E.UNSHELVE, True, _S.NORMAL),
    ],
)
def test_an_alarm_moves_from_state_to_state(
    state: AlarmState, event: AlarmEvent, active: bool, after: AlarmState
) -> None:
    assert alarm_next(state, event, active=active) is after


@given(st.lists(st.sampled_from(list(AlarmEvent)), max_size=30))
def test_set_aside_alarms_never_ask_for_anybody(events: list[AlarmEvent]) -> None:
    for state, event in zip(alarm_replay(events), events, strict=True):
        if event is _E.SUPPRESS:
            assert state is _S.SUPPRESSED
        if event is _E.SHELVE:
            assert state in (_S.SHELVED, _S.SUPPRESSED)


@given(
    st.lists(st.tuples(st.integers(1, 9), st.booleans()), min_size=1, max_size=25),
    st.lists(st.integers(-5, 150), min_size=1, max_size=40),
    st.integers(1, 12),
    st.sampled_from([0, 3, 8]),
    st.booleans(),
    st.sampled_from([Direction.ABOVE, Direction.BELOW]),
)
def test_a_guard_is_the_same_looked_up_or_taken_stretch_by_stretch(
    told: list[tuple[int, bool]],
    moments: list[int],
    age: int,
    settle: int,
    allows: bool,
    side: Direction,
) -> None:
    times = np.cumsum(np.array([step for step, _ in told], dtype=np.int64))
    guard = readings_from(times, np.array([float(on) for _, on in told]))
    asked = np.sort(np.array(moments, dtype=np.int64))
    # As many as it takes for the quick way, and one by one for the other.
    many = np.repeat(asked, 100)
    options = {
        "guard_limit": 0.5,
        "guard_max_age_s": age / 1e6,
        "settle_s": settle / 1e6,
        "allows_unknown": allows,
        "guard_direction": side,
    }
    quick = guard_gate(many, guard, **options)  # type: ignore[arg-type]
    slow = [
        bool(guard_gate(asked[at : at + 1], guard, **options)[0])  # type: ignore[arg-type]
        for at in range(len(asked))
    ]
    assert quick[::100].tolist() == slow

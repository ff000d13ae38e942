"""Edges and numbers reckoned by hand, far from the beginning of time: a wrong sign, a limit counted
in or a unit forgotten shows here."""

from __future__ import annotations

import math

import numpy as np
import pytest

from rook_tally.core.alarms.alarm_detector import AlarmThresholds
from rook_tally.core.alarms.conditions import Condition, judge_of
from rook_tally.core.alarms.definitions import Guard, Scope, Watch, WatchKind
from rook_tally.core.alarms.online_detector import DetectorState, Transition, advance
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.averaging import (
    Averaging,
    mean_value,
    spread_of_directions,
    unwound,
)
from rook_tally.core.quantities.levels import NO_LIMITS, Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Dimension, unit_named
from rook_tally.core.series.buckets import buckets_of, merged
from rook_tally.core.series.corrections import Correction, corrected_envelope, corrected_values
from rook_tally.core.series.envelope import Envelope, envelope_of_readings, honest_range
from rook_tally.core.series.gaps import (
    find_gaps,
    find_runs,
    gaps_of_times,
    good_rows,
    good_runs,
    inside,
    max_gap_s,
    rows_after_gaps,
    stretches_of,
)
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.statistics import (
    Window,
    completeness,
    covered_s,
    excess_of,
    exposure_of,
    highest,
    lowest,
    mean_of,
    mirrored,
    percentiles,
    pieces_of,
    std_of,
)
from rook_tally.core.timestamps import (
    datetime_from_time_us,
    rfc3339,
    time_us_from_epoch,
    time_us_from_text,
)

S = 1_000_000
T = 1_795_432_200 * S
TEMPERATURE, PRESSURE, NOISE = (
    QUANTITIES[one] for one in ("temperature", "pressure", "sound_level")
)
FULL = Limits(above=(20, 25, 30, 35))


def at(*seconds: float) -> list[int]:
    return [T + round(one * S) for one in seconds]


def watch(sort: WatchKind, **said: object) -> Watch:
    return Watch(slug="w", name="W", sort=sort, scope=Scope(), **said)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        (
            watch(WatchKind.ABOVE, limit=50.0, unit="°F", clear=41.0, for_s=60.0, calm_s=30.0),
            Condition(WatchKind.ABOVE, AlarmThresholds(10.0, 90.0, 5.0, 60.0, 30.0), 1.0),
        ),
        (
            watch(WatchKind.ABOVE, limit=10.0),
            Condition(WatchKind.ABOVE, AlarmThresholds(10.0, 90.0), 1.0),
        ),
        (
            watch(WatchKind.BELOW, limit=50.0, unit="°F", clear=59.0),
            Condition(WatchKind.BELOW, AlarmThresholds(-10.0, 90.0, -15.0), -1.0),
        ),
        (
            watch(WatchKind.OUTSIDE, low=50.0, limit=68.0, unit="°F", clear=1.8, for_s=5.0),
            Condition(
                WatchKind.OUTSIDE, AlarmThresholds(0.0, 90.0, -1.0, 5.0), low=10.0, high=20.0
            ),
        ),
        (
            watch(WatchKind.OUTSIDE, low=10.0, limit=20.0),
            Condition(WatchKind.OUTSIDE, AlarmThresholds(0.0, 90.0), low=10.0, high=20.0),
        ),
        (
            watch(WatchKind.RISING, limit=3.6, unit="°F", clear=1.8, window_s=600.0, calm_s=7.0),
            Condition(
                WatchKind.RISING, AlarmThresholds(2.0, 90.0, 1.0, 0.0, 7.0), 1.0, window_s=600.0
            ),
        ),
        (
            watch(WatchKind.FALLING, limit=2.0, window_s=1.0),
            Condition(WatchKind.FALLING, AlarmThresholds(2.0, 90.0), -1.0, window_s=1.0),
        ),
        (
            watch(
                WatchKind.TIMES_USUAL,
                limit=1.5,
                clear=1.2,
                window_s=3600.0,
                exclude_s=60.0,
                for_s=1.0,
            ),
            Condition(
                WatchKind.TIMES_USUAL,
                AlarmThresholds(1.5, 90.0, 1.2, 1.0),
                window_s=3600.0,
                min_spread=1.0,
                exclude_s=60.0,
            ),
        ),
        (
            watch(WatchKind.UNUSUAL, limit=3.0, window_s=3600.0, min_spread=1.8, unit="°F"),
            Condition(
                WatchKind.UNUSUAL, AlarmThresholds(3.0, 90.0), window_s=3600.0, min_spread=1.0
            ),
        ),
        (
            watch(WatchKind.LEVEL, limit=3.0, clear=2.0, for_s=9.0),
            Condition(WatchKind.LEVEL, AlarmThresholds(2.5, 90.0, 1.5, 9.0), limits=FULL),
        ),
        (
            watch(WatchKind.SO, for_s=4.0),
            Condition(WatchKind.SO, AlarmThresholds(0.5, 90.0, None, 4.0)),
        ),
        (
            watch(WatchKind.SILENT, silent_s=1.0),
            Condition(WatchKind.SILENT, AlarmThresholds(0.0, 90.0)),
        ),
    ],
    ids=lambda one: one.sort.value if isinstance(one, Watch) else "",
)
def test_what_a_watch_judges_by(said: Watch, wanted: Condition) -> None:
    told = judge_of(said, TEMPERATURE, FULL, 90.0)
    for name in ("sort", "sign", "low", "high", "window_s", "min_spread", "exclude_s", "limits"):
        found, right = getattr(told, name), getattr(wanted, name)
        assert found == (pytest.approx(right) if isinstance(right, float) else right), name
    for name in ("limit", "max_gap_s", "clear_limit", "on_delay_s", "off_delay_s"):
        found, right = getattr(told.terms, name), getattr(wanted.terms, name)
        assert found == (None if right is None else pytest.approx(right)), name
    assert told.reach_s == pytest.approx(wanted.window_s + wanted.exclude_s)


@pytest.mark.parametrize(
    ("said", "why"),
    [
        (watch(WatchKind.OUTSIDE, low=20.0, limit=20.0), "W: the range from 20 to 20 is empty"),
        (
            watch(WatchKind.RISING, limit=2.0),
            "W: how fast something moves needs a time to look over",
        ),
        (watch(WatchKind.UNUSUAL, limit=2.0), "W: what is usual needs a time to look over"),
        (
            watch(WatchKind.UNUSUAL, limit=2.0, window_s=9.0),
            "W: what is usual needs a least spread, as",
        ),
        (watch(WatchKind.SILENT, silent_s=0.0), "W: silence needs a time after which it counts"),
        (
            watch(WatchKind.SILENT, silent_s=9.0, guards=(Guard(scope=Scope()),)),
            "minds no guards, hours",
        ),
        (
            watch(WatchKind.SILENT, silent_s=9.0, hours=HoursOfDay(begin_min=1, end_min=2)),
            "minds no guards",
        ),
        (watch(WatchKind.SILENT, silent_s=9.0, remark_s=5.0), "minds no guards, hours or remarks"),
        (
            watch(WatchKind.ABOVE, limit=2.0, clear=2.5),
            "W: it would clear beyond the limit at which it",
        ),
        (watch(WatchKind.ABOVE, limit=2.0, unit="hPa"), "W: hPa is no unit of Temperature"),
    ],
)
def test_what_no_watch_can_mean_is_said(said: Watch, why: str) -> None:
    with pytest.raises(UsageError) as error:
        judge_of(said, TEMPERATURE, NO_LIMITS, 90.0)
    assert why in str(error.value)
    assert error.value.remedy in ("change the watch", "give the limit in °C or °F or K")


def test_numbers_of_what_is_usual() -> None:
    times = np.arange(60, dtype=np.int64) * 60 * S + T
    value = np.where(np.arange(60) == 59, 30.0, 10.0 + np.arange(60) % 2)
    readings = readings_from(times, value)
    usual = judge_of(
        watch(WatchKind.TIMES_USUAL, limit=1.5, window_s=1800.0, exclude_s=120.0),
        TEMPERATURE,
        NO_LIMITS,
        90.0,
    )
    assert usual.numbers(readings)[-1] == pytest.approx(30 / 10.5)
    assert math.isnan(usual.numbers(readings)[20])
    zeros = readings_from(times, np.zeros(60))
    assert math.isnan(usual.numbers(zeros)[-1])
    assert math.isnan(usual.newest_number(times, np.zeros(60)))
    unusual = judge_of(
        watch(WatchKind.UNUSUAL, limit=2.0, window_s=1800.0, min_spread=2.0),
        TEMPERATURE,
        NO_LIMITS,
        90.0,
    )
    assert unusual.numbers(readings)[-1] == pytest.approx((30 - 10.5) / 2.0)
    level = judge_of(watch(WatchKind.LEVEL, limit=3.0), TEMPERATURE, FULL, 90.0)
    assert level.numbers(readings_from(at(0, 1), [26.0, 36.0])).tolist() == [2.0, 4.0]
    assert level.numbers(readings).dtype == np.float64
    assert (level.on_axis(2.5), unusual.on_axis(1.0)) == ((), ())
    outside = judge_of(watch(WatchKind.OUTSIDE, low=10.0, limit=20.0), TEMPERATURE, NO_LIMITS, 90.0)
    assert outside.on_axis(3.0) == (7.0, 23.0)
    assert (outside.of_axis(25.0), outside.of_axis(8.0)) == (5.0, 2.0)


def test_a_step_keeps_what_can_still_come_to_something() -> None:
    terms = AlarmThresholds(25.0, 90.0, 18.0, 60.0, 30.0)
    step, turned = advance(DetectorState(), terms, T, 26.0)
    assert (step, turned) == (DetectorState(T, T), None)
    step, turned = advance(step, terms, T + 59 * S, 26.0)
    assert (step, turned) == (DetectorState(T + 59 * S, T), None)
    step, turned = advance(step, terms, T + 60 * S, 26.0)
    assert (step, turned) == (
        DetectorState(T + 60 * S, rang_us=T + 60 * S),
        (Transition.RING, T + 60 * S),
    )
    # Between the limits neither delay runs; at the clearing limit it is calm.
    step, turned = advance(step, terms, T + 70 * S, 20.0)
    assert (step.calm_us, turned) == (None, None)
    step, turned = advance(step, terms, T + 80 * S, 18.0)
    assert (step.calm_us, turned) == (T + 80 * S, None)
    step, turned = advance(step, terms, T + 110 * S, 18.0)
    assert (step, turned) == (DetectorState(T + 110 * S), (Transition.CLEAR, T + 110 * S))
    # A gap throws a running delay away, exactly its length does not; a guard makes calm.
    for pause, beyond in ((90, T), (90.000001, T + round(90.000001 * S))):
        begun, _ = advance(DetectorState(), terms, T, 26.0)
        begun, _ = advance(
            begun, AlarmThresholds(25.0, 90.0, 18.0, 600.0), T + round(pause * S), 26.0
        )
        assert begun.beyond_us == beyond
    begun, _ = advance(DetectorState(T, T), terms, T + S, 26.0, may_ring=False)
    assert (begun.beyond_us, begun.calm_us, begun.is_ringing) == (None, None, False)
    ringing, _ = advance(DetectorState(T, rang_us=T), terms, T + S, 26.0, may_ring=False)
    assert ringing.calm_us == T + S
    back, _ = advance(DetectorState(T, T), terms, T - S, 26.0)
    assert back.beyond_us == T - S
    assert DetectorState(1, 2, 3, 4).is_as_good_as(DetectorState(9, 2, 3, 4))
    assert not any(
        DetectorState(1, 2, 3, 4).is_as_good_as(one)
        for one in (DetectorState(1, 9, 3, 4), DetectorState(1, 2, 9, 4), DetectorState(1, 2, 3, 9))
    )
    at_once, turned = advance(DetectorState(), AlarmThresholds(25.0, 90.0), T, 26.0)
    assert (at_once.rang_us, turned) == (T, (Transition.RING, T))
    # Without a clearing limit of its own it clears at the limit itself.
    assert advance(at_once, AlarmThresholds(25.0, 90.0), T + S, 25.0)[1] == (
        Transition.CLEAR,
        T + S,
    )
    # A ring ahead of the reading that clears it ends no earlier than it began.
    assert advance(DetectorState(T, rang_us=T + 9 * S), AlarmThresholds(25.0, 90.0), T + S, 1.0)[
        1
    ] == (Transition.CLEAR, T + 9 * S)


def test_runs_gaps_and_rows() -> None:
    readings = Readings(
        np.array(at(0, 60, 150, 241, 242)),
        np.array([1.0, 2, 3, 4, np.nan]),
        np.array([0, 0, 0, 0, 0], np.uint8),
    )
    runs = find_runs(readings, max_gap_s=90.0)
    assert [one.tolist() for one in (runs.first_us, runs.last_us, runs.count)] == [
        at(0, 241),
        at(150, 241),
        [3, 1],
    ]
    nothing = find_runs(readings[5:], max_gap_s=90.0)
    assert [
        (len(one), one.dtype) for one in (nothing.first_us, nothing.last_us, nothing.count)
    ] == [(0, np.dtype(np.int64))] * 3
    assert find_gaps(readings, max_gap_s=90.0).tolist() == [at(150, 241)]
    assert find_gaps(
        readings, max_gap_s=90.0, start_us=T - 91 * S, end_us=T + 332 * S
    ).tolist() == [at(-91, 0), at(150, 241), at(241, 332)]
    assert find_gaps(
        readings, max_gap_s=90.0, start_us=T - 90 * S, end_us=T + 331 * S
    ).tolist() == [at(150, 241)]
    none = gaps_of_times(np.array([], dtype=np.int64), max_gap_s=90.0, start_us=T, end_us=T + S)
    assert none.tolist() == [at(0, 1)]
    assert gaps_of_times(np.array([], dtype=np.int64), max_gap_s=90.0, start_us=T).shape == (0, 2)
    assert gaps_of_times(np.array([], dtype=np.int64), max_gap_s=90.0).shape == (0, 2)
    for start, end in ((T, T), (T + 1, T)):
        with pytest.raises(ValueError, match=f"got {start} to {end}"):
            find_gaps(readings, max_gap_s=90.0, start_us=start, end_us=end)
    rows = good_rows(readings)
    assert isinstance(rows, np.ndarray)
    assert rows.tolist() == [0, 1, 2, 3]
    assert good_rows(readings[:4]) == slice(None)
    also = np.array([True, False, True, True])
    assert np.asarray(good_rows(readings[:4], also)).tolist() == [0, 2, 3]
    twice = readings_from(at(5, 0, 5), [1.0, 2.0, 3.0])
    assert np.asarray(good_rows(twice)).tolist() == [1, 2]
    for one, also_one in ((readings, None), (readings[:4], None), (readings[:4], also)):
        known, parted = good_runs(one, 90 * S, also_one)
        times = one.time_us[known]
        assert parted.tolist() == rows_after_gaps(times, 90 * S).tolist()
    assert good_runs(readings[:4], 90 * S)[1].tolist() == [3]
    assert good_runs(readings[:1], 90 * S)[1].tolist() == []
    assert rows_after_gaps(np.array(at(0, 90, 180.5, 100)), 90 * S).tolist() == [2, 3]
    first, last = stretches_of(np.array([True, True, False, False]), np.array([1]))
    assert (first.tolist(), last.tolist()) == ([0, 1, 2], [0, 1, 3])
    first, last = stretches_of(np.array([], np.bool_), np.array([], np.int64))
    assert (len(first), len(last)) == (0, 0)
    assert inside(np.array(at(0, 1, 2)), T + S, T + 2 * S) == slice(1, 2)
    assert inside(np.array(at(0, 1, 2)), None, None) == slice(0, 3)
    assert [max_gap_s(one) for one in (10, 30, 31)] == [90.0, 90.0, 93.0]


def test_statistics_of_a_window_in_the_middle_of_a_series() -> None:
    readings = readings_from(at(0, 60, 120, 180, 400), [0.0, 6.0, 6.0, 0.0, 9.0])
    window = Window(T + 30 * S, T + 150 * S)
    pieces = pieces_of(readings, max_gap_s=90, cadence_s=60, window=window)
    assert pieces.covered_s == covered_s(readings, max_gap_s=90, cadence_s=60, window=window) == 120
    assert mean_of(pieces) == pytest.approx((4.5 * 30 + 6 * 60 + 4.5 * 30) / 120)
    assert exposure_of(pieces) == pytest.approx((4.5 * 30 + 6 * 60 + 4.5 * 30) / 3600)
    over_s, excess = excess_of(pieces, 4.5)
    assert over_s == pytest.approx(90)
    assert excess == pytest.approx(1.5 / 2 * 15 * 2 + 1.5 * 60)
    under_s, _ = excess_of(mirrored(pieces), -4.5)
    assert under_s == pytest.approx(30)
    flat = pieces_of(readings_from(at(0, 60), [5.0, 5.0]), max_gap_s=90, cadence_s=60)
    assert (excess_of(flat, 5.0), excess_of(flat, 4.0)) == ((0.0, 0.0), (60.0, 60.0))
    assert std_of(flat) == 0
    empty = pieces_of(readings[:0], max_gap_s=90, cadence_s=60)
    assert all(math.isnan(one) for one in (mean_of(empty), std_of(empty), exposure_of(empty)))
    assert all(math.isnan(one) for one in excess_of(empty, 1.0))
    lone = pieces_of(readings, max_gap_s=90, cadence_s=60, window=Window(T + 300 * S, T + 401 * S))
    assert (lone.covered_s, mean_of(lone)) == (60.0, 9.0)
    beside = pieces_of(
        readings, max_gap_s=90, cadence_s=60, window=Window(T + 300 * S, T + 400 * S)
    )
    assert beside.covered_s == 0
    top, bottom = highest(readings, window), lowest(readings, window)
    assert (top.value, top.time_us, bottom.value, bottom.time_us) == (
        6.0,
        T + 60 * S,
        6.0,
        T + 60 * S,
    )
    assert percentiles(readings, [0, 50, 100], Window(T + 60 * S, T + 400 * S)).tolist() == [
        0,
        6,
        6,
    ]
    assert np.isnan(percentiles(readings, [5, 6], Window(T + 900 * S, T + 901 * S))).tolist() == [
        True,
        True,
    ]
    for share in (-0.1, 100.1):
        with pytest.raises(ValueError, match="0 to 100"):
            percentiles(readings, [share])
    told = completeness(
        readings, max_gap_s=90, cadence_s=60, start_us=T + 60 * S, end_us=T + 360 * S
    )
    assert (told.heard, told.expected) == (3, 5)
    assert (told.completeness, told.covered_fraction) == (0.6, 120 / 300)
    many = completeness(readings, max_gap_s=90, cadence_s=1000, start_us=T, end_us=T + 200 * S)
    assert (many.expected, many.completeness) == (1, 1.0)


@pytest.mark.parametrize(
    ("averaging", "values", "mean", "square"),
    [
        (Averaging.ARITHMETIC, [2.0, 4.0, 6.0], 4.0, (4 + 16) / 2 / 2 + (16 + 36) / 2 / 2),
        (Averaging.HELD, [2.0, 4.0, 6.0], 3.0, (4 + 16) / 2),
        (Averaging.ENERGETIC, [60.0, 60.0, 80.0], 74.107772, (3600 + (3600 + 6400) / 2) / 2),
        (Averaging.CIRCULAR, [350.0, 10.0, 350.0], 0.0, math.cos(math.radians(10)) ** 2),
    ],
)
def test_a_bucket_by_hand(
    averaging: Averaging, values: list[float], mean: float, square: float
) -> None:
    readings = readings_from(at(0, 60, 120), values)
    for width, count in ((200, 1), (50, 4)):
        told = buckets_of(
            readings,
            start_us=T - 40 * S,
            width_us=width * S,
            count=count,
            max_gap_s=90,
            averaging=averaging,
        )
        whole = merged(told, count, averaging)
        assert (whole.start_us, whole.width_us) == (T - 40 * S, 200 * S)
        assert int(whole.count[0]) == 3
        assert float(whole.covered_s[0]) == pytest.approx(120.0)
        apart = (float(whole.mean[0]) - mean + 180) % 360 - 180
        assert apart == pytest.approx(0, abs=1e-5)
        assert float(whole.mean_square[0]) == pytest.approx(square)
    alone = buckets_of(
        readings[:1], start_us=T, width_us=S, count=2, max_gap_s=90, averaging=averaging
    )
    assert alone.count.tolist() == [1, 0]
    assert alone.mean[0] == pytest.approx(values[0])
    assert np.isnan(alone.mean[1])
    assert np.isnan(alone.mean_square[1])
    assert alone.covered_s.tolist() == [0.0, 0.0]


def test_averages_by_hand() -> None:
    # Yamartino: ε = 0.6 for a mean vector of 0.8.
    assert spread_of_directions(0.8) == pytest.approx(
        math.degrees(math.asin(0.6) * (1 + 0.1547 * 0.216)), rel=1e-12
    )
    assert spread_of_directions(0.0) == pytest.approx(90 * 1.1547)
    assert spread_of_directions(1.5) == 0.0
    assert math.isnan(spread_of_directions(math.nan))
    assert mean_value(Averaging.ARITHMETIC, np.array([1.0, math.nan, 4.0])) == 2.5
    assert mean_value(Averaging.HELD, np.array([0.0, 1.0])) == 0.5
    assert unwound(np.array([10.0])).tolist() == [10.0]
    assert unwound(np.array([])).tolist() == []
    assert unwound(np.array([0.0, 179.0, 358.0, 0.0])).tolist() == [0.0, 179.0, 358.0, 360.0]


def test_columns_gaps_and_ranges_of_an_envelope_far_from_nought() -> None:
    readings = readings_from(at(5, 15, 25, 275, 285), [1, 2, 3, 4, 5])
    told = envelope_of_readings(readings, T, 10 * S, 30, max_gap_s=90)
    assert [part.tolist() for part in told.segments()] == [[0, 1, 2], [27, 28]]
    assert told.gaps is not None
    assert told.gaps.tolist() == [at(25, 275)]
    assert [told.column_at(T + one * S) for one in (-1, 0, 9, 10, 299, 300)] == [
        None,
        0,
        0,
        1,
        29,
        None,
    ]
    edge = Envelope(
        T,
        T + 30 * S,
        *(np.array([1.0, np.nan, 2.0]),) * 3,
        *(np.array([1, 0, 1]),) * 2,
        gaps=np.array([at(-50, 0), at(0, 5), at(20, 900)]),
    )
    assert [part.tolist() for part in edge.segments()] == [[0, 2]]
    cut = Envelope(
        T,
        T + 30 * S,
        *(np.array([1.0, np.nan, 2.0]),) * 3,
        *(np.array([1, 0, 1]),) * 2,
        gaps=np.array([at(9, 21)]),
    )
    assert [part.tolist() for part in cut.segments()] == [[0], [2]]
    assert honest_range(10.0, 11.0, 0.5) == (10.5 - 2.2, 10.5 + 2.2)
    assert honest_range(10.0, 20.0, 0.5) == (9.5, 20.5)


def test_corrections_hold_from_their_very_moment() -> None:
    corrections = [Correction(T, 2.0, 1.0), Correction(T + 10 * S, 1.0, -1.0)]
    told = corrected_values(
        np.array(at(-0.000001, 0, 9.999999, 10)), np.array([1.0, 1.0, 1.0, 1.0]), corrections
    )
    assert told.tolist() == [1.0, 3.0, 3.0, 0.0]
    value = np.array([1.0])
    assert corrected_values(np.array([T]), value, ()) is value
    for gain in (0.0, math.nan, math.inf):
        with pytest.raises(UsageError, match="would lose what was measured"):
            Correction(T, gain, 1.0)


def _raw(averaging: Averaging, value: float) -> tuple[Readings, Envelope]:
    start = T // (60 * S) * 60 * S
    readings = readings_from(start + np.arange(40, dtype=np.int64) * 10 * S, np.full(40, value))
    return readings, envelope_of_readings(
        readings, start, 100 * S, 4, max_gap_s=90, averaging=averaging
    )


@pytest.mark.parametrize("summary_us", [0, 60 * S])
def test_only_columns_that_a_correction_cuts_are_read_again(summary_us: int) -> None:
    """Column 1 is cut by what begins in it; with summaries of a minute, 0 may reach into it."""
    readings, raw = _raw(Averaging.ARITHMETIC, 5.0)
    asked: list[tuple[int, int]] = []

    def readings_of(start: int, end: int) -> Readings:
        asked.append((start - raw.start_us, end - raw.start_us))
        return readings[slice(*np.searchsorted(readings.time_us, [start, end]).tolist())]

    begins = [Correction(raw.start_us + one * S, 1.0, 1.0) for one in (100, 130, 350)]
    told = corrected_envelope(raw, begins[:1], readings_of, summary_us)
    assert told.low.tolist() == [5.0, 6.0, 6.0, 6.0]
    assert asked == ([] if not summary_us else [(0, 120 * S)])
    asked.clear()
    corrected_envelope(raw, begins[1:], readings_of, summary_us)
    wanted = (
        [(100, 200), (300, 400)]
        if not summary_us
        else [(0, 120), (100, 240), (200, 300), (300, 420)]
    )
    # 130 s lie within a minute of the end of column 0, and the summary there may reach so far.
    assert asked == [(first * S, last * S) for first, last in wanted]


def _nothing_between(_start: int, _end: int) -> Readings:
    return readings_from([], [])


def test_levels_and_directions_are_corrected_by_what_is_added() -> None:
    for averaging, value, by, low in (
        (Averaging.ENERGETIC, 50.0, 3.0, 53.0),
        (Averaging.CIRCULAR, 355.0, 10.0, 5.0),
        (Averaging.CIRCULAR, 5.0, -10.0, 355.0),
    ):
        readings, raw = _raw(averaging, value)
        told = corrected_envelope(raw, [Correction(0, 1.0, by)], _nothing_between)
        assert told.low == pytest.approx([low] * 4)
        assert told.high == pytest.approx([low] * 4)
        assert told.mean == pytest.approx([low] * 4)
        asked: list[int] = []

        def all_of_it(
            start: int, end: int, asked: list[int] = asked, readings: Readings = readings
        ) -> Readings:
            asked.append(start)
            part = slice(*np.searchsorted(readings.time_us, [start, end]).tolist())
            return Readings(
                readings.time_us[part], readings.value[part] / 2, readings.quality[part]
            )

        # A gain is no straight line of their means: every column of it is read, and no other.
        gains = [
            Correction(raw.start_us + 100 * S, 0.5, 0.0),
            Correction(raw.start_us + 300 * S, 1, 0),
        ]
        told = corrected_envelope(raw, gains, all_of_it)
        assert asked == [raw.start_us + 100 * S, raw.start_us + 200 * S]
        assert told.mean[1:3] == pytest.approx([value / 2] * 2)


def test_moments_as_numbers_and_texts() -> None:
    for number, wanted in (
        (1.0, S),
        (0.0, 0),
        (3_999_999_999.5, 3_999_999_999_500_000),
        (4e9, 4_000_000_000 * S),
        (99_999_999_999, 99_999_999_999 * S),
        (1e11, 100_000_000 * S),
        (99_999_999_999_999, 99_999_999_999_999_000),
        (1e14, 100_000_000 * S),
        (-1.5, -1_500_000),
        (253_402_214_400, 253_402_214 * S + 400_000),
        (253_402_214_400_000_000, 253_402_214_400 * S),
    ):
        assert time_us_from_epoch(number) == wanted, number
    for wrong in (math.nan, math.inf, 253_402_214_400_000_001.0 * 2):
        with pytest.raises(ValueError, match="is not a time"):
            time_us_from_epoch(wrong)
    assert rfc3339(T + 1) == "2026-11-23T11:10:00.000001Z"
    assert time_us_from_text(" 2026-11-23T11:10:00.000001Z ") == T + 1
    assert time_us_from_text("2026-11-23t11:10:00z") == T
    assert time_us_from_text("2026-11-23T11:10:00") == T
    assert datetime_from_time_us(T).isoformat() == "2026-11-23T11:10:00+00:00"
    with pytest.raises(ValueError, match="'noon' is not a time such as"):
        time_us_from_text("noon")


@pytest.mark.parametrize(
    ("name", "dimension", "value", "base"),
    [
        ("°F", Dimension.TEMPERATURE, 70.0, 21.11111111111111),
        ("K", Dimension.TEMPERATURE, 300.0, 26.85),
        ("Pa", Dimension.PRESSURE, 101325.0, 1013.25),
        ("kPa", Dimension.PRESSURE, 100.0, 1000.0),
        ("inHg", Dimension.PRESSURE, 29.92126, 1013.25),
        ("mmHg", Dimension.PRESSURE, 760.0, 1013.25),
        ("ppb", Dimension.FRACTION, 57.0, 0.057),
        ("mg/m³", Dimension.MASS_CONCENTRATION, 4.0, 4000.0),
        ("/cm³", Dimension.NUMBER_CONCENTRATION, 2.0, 200.0),
        ("kΩ", Dimension.RESISTANCE, 5.0, 5000.0),
        ("m/s²", Dimension.ACCELERATION, 9.80665, 1.0),
        ("in", Dimension.DEPTH, 1.0, 25.4),
        ("cm", Dimension.LENGTH, 57.0, 0.57),
        ("mm", Dimension.LENGTH, 7.0, 0.007),
        ("ft", Dimension.LENGTH, 10.0, 3.048),
        ("km/h", Dimension.SPEED, 36.0, 10.0),
        ("kn", Dimension.SPEED, 10.0, 5.144444),
        ("mph", Dimension.SPEED, 10.0, 4.4704),
        ("mV", Dimension.VOLTAGE, 60.0, 0.06),
        ("mA", Dimension.CURRENT, 5.0, 0.005),
        ("kW", Dimension.POWER, 2.0, 2000.0),
        ("Wh", Dimension.ENERGY, 5.0, 0.005),
        ("mAh", Dimension.CHARGE, 5.0, 0.005),
        ("dBW", Dimension.SIGNAL, -80.0, -50.0),
        ("1", Dimension.SHARE, 0.5, 50.0),
        ("min", Dimension.DURATION, 2.0, 120.0),
        ("h", Dimension.DURATION, 2.0, 7200.0),
        ("d", Dimension.DURATION, 1.0, 86400.0),
    ],
)
def test_units_turn_into_their_base_and_back(
    name: str, dimension: Dimension, value: float, base: float
) -> None:
    unit = unit_named(name, dimension)
    assert unit is not None
    assert float(unit.to_base(value)) == pytest.approx(base, rel=1e-6)
    assert float(unit.from_base(unit.to_base(value))) == pytest.approx(value, rel=1e-12)
    assert (unit.to_base(value), unit.to_base(np.array([value])).tolist()) == (
        unit.to_base(value),
        [unit.to_base(value)],
    )
    folded = unit_named(name.upper(), dimension)
    assert folded is None or folded.dimension is dimension
    assert unit_named("furlong", dimension) is None

"""Summaries held to the readings they are made of: in parts, one reading at a time, corrected."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.alarms.conditions import judge_of
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.quantities.averaging import Averaging, change, lies_on_arc
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.buckets import buckets_of, with_lone_readings
from rook_tally.core.series.corrections import (
    Correction,
    corrected,
    corrected_envelope,
    in_force,
    on_top_of,
)
from rook_tally.core.series.envelope import (
    ColumnSums,
    Envelope,
    empty_envelope,
    envelope_of_readings,
)
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.spans import (
    NOTHING,
    SpanStatistics,
    can_correct,
    corrected_span,
    joined_spans,
    span_of_readings,
)
from rook_tally.core.series.statistics import Window

S = 1_000_000
every_averaging = pytest.mark.parametrize("averaging", list(Averaging))
rows = st.lists(
    st.tuples(st.integers(1, 400), st.floats(0, 359.9), st.sampled_from([0, 0, 0, 0, 1])),
    min_size=1,
    max_size=30,
)


def readings_of(several: list[tuple[int, float, int]]) -> Readings:
    time_us = np.cumsum([step for step, _, _ in several]).astype(np.int64) * S
    return readings_from(
        time_us, [value for _, value, _ in several], [quality for _, _, quality in several]
    )


def span(readings: Readings, averaging: Averaging, start_us: int, end_us: int) -> SpanStatistics:
    return span_of_readings(
        readings, max_gap_s=180, cadence_s=60, window=Window(start_us, end_us), averaging=averaging
    )


def alike(averaging: Averaging, one: float, other: float) -> bool:
    if math.isnan(one) or math.isnan(other):
        return math.isnan(one) and math.isnan(other)
    return change(averaging, one, other) == pytest.approx(0, abs=1e-6)


@every_averaging
@given(several=rows)
def test_a_bucket_with_lone_readings_is_its_span(
    several: list[tuple[int, float, int]], averaging: Averaging
) -> None:
    readings = readings_of(several)
    end_us = int(readings.time_us[-1]) + S
    plain = buckets_of(
        readings, start_us=0, width_us=end_us, count=1, max_gap_s=180, averaging=averaging
    )
    told = with_lone_readings(plain, readings, max_gap_s=180, cadence_s=60, averaging=averaging)
    right = span(readings, averaging, 0, end_us)
    assert (int(told.count[0]), int(told.suspect[0])) == (right.count, right.suspect)
    assert told.covered_s[0] == pytest.approx(right.covered_s)
    if right.covered_s and (averaging is not Averaging.CIRCULAR or right.mean_square > 1e-6):
        assert alike(averaging, float(told.mean[0]), right.mean)
        if averaging is not Averaging.ENERGETIC:
            assert told.mean_square[0] == pytest.approx(right.mean_square)
    # Readings of other buckets stand for nothing in this one.
    beside = with_lone_readings(
        replace(plain, start_us=-10 * end_us),
        readings,
        max_gap_s=180,
        cadence_s=60,
        averaging=averaging,
    )
    assert beside.covered_s.tolist() == plain.covered_s.tolist()


@every_averaging
@given(several=rows, gain=st.sampled_from([1.0, 0.5, -2.0]), offset=st.floats(-30, 30))
def test_a_corrected_span_is_that_of_corrected_readings(
    several: list[tuple[int, float, int]], averaging: Averaging, gain: float, offset: float
) -> None:
    correction = Correction(0, gain, offset)
    assert can_correct(averaging, correction) == (averaging.is_plain or gain == 1.0)
    assume(can_correct(averaging, correction))
    readings = readings_of(several)
    end_us = int(readings.time_us[-1]) + S
    told = corrected_span(span(readings, averaging, 0, end_us), correction)
    right = span(corrected(readings, [correction]), averaging, 0, end_us)
    assert (told.count, told.suspect, told.covered_s) == (
        right.count,
        right.suspect,
        right.covered_s,
    )
    if averaging is Averaging.CIRCULAR and not right.mean_square > 1e-6:
        return
    assert alike(averaging, told.mean, right.mean)
    if right.count:
        assert told.high - told.low == pytest.approx(right.high - right.low, abs=1e-6)
        assert alike(averaging, told.low, right.low)
    if averaging is not Averaging.ENERGETIC:
        assert told.std == pytest.approx(right.std, nan_ok=True, abs=1e-3)
    else:
        assert math.isnan(told.std)


def test_spans_in_which_nothing_was_heard_join_to_nothing() -> None:
    suspect = replace(NOTHING, suspect=2)
    assert joined_spans([suspect, suspect]).suspect == 4
    assert joined_spans([suspect]).count == 0
    lone = SpanStatistics(2, 0, 1.0, 3.0, 2.0, 5.0, 0.0)
    joined = joined_spans([lone, suspect, SpanStatistics(1, 0, 8.0, 8.0, 8.0, 64.0, 0.0)])
    assert (joined.count, joined.suspect, joined.low, joined.high) == (3, 2, 1.0, 8.0)
    assert joined.mean == pytest.approx(4.0)  # where nothing is covered, readings count alike


@every_averaging
@given(several=rows, columns=st.integers(1, 9))
def test_readings_one_at_a_time_make_the_envelope_of_them_all(
    several: list[tuple[int, float, int]], averaging: Averaging, columns: int
) -> None:
    readings = readings_of(several)
    width_us = int(readings.time_us[-1]) // columns + S
    whole = envelope_of_readings(readings, 0, width_us, columns, max_gap_s=180, averaging=averaging)
    grown = replace(empty_envelope(0, width_us * columns, columns), averaging=averaging)
    sums = ColumnSums(0, width_us, columns, width_us * columns, averaging)
    for at in range(len(readings)):
        part = readings[at : at + 1]
        sums.add_readings(part)
        grown = grown.with_reading(
            int(part.time_us[0]), float(part.value[0]), is_good=bool(part.good[0])
        )
    assert grown.with_reading(-1, 5.0, is_good=True) is grown
    assert grown.with_reading(width_us * columns, 5.0, is_good=True) is grown
    for told in (grown, sums.envelope()):
        assert told.count.tolist() == whole.count.tolist()
        assert told.suspect.tolist() == whole.suspect.tolist()
        assert told.averaging is averaging
        for at in np.flatnonzero(whole.count).tolist():
            inside = readings.value[readings.good & (readings.time_us // width_us == at)]
            if averaging is Averaging.CIRCULAR:
                assert all(
                    lies_on_arc(one, told.low[at] - 1e-6, told.high[at] + 1e-6)
                    for one in inside.tolist()
                )
                continue
            assert (told.low[at], told.high[at]) == (inside.min(), inside.max())
            assert alike(averaging, told.mean[at], whole.mean[at])


@given(rows, st.integers(2, 12), st.integers(-3, 14), st.integers(1, 14))
def test_a_cropped_envelope_is_that_of_its_columns(
    several: list[tuple[int, float, int]], columns: int, first: int, count: int
) -> None:
    readings = readings_of(several)
    width_us = int(readings.time_us[-1]) // columns + S
    whole = envelope_of_readings(readings, 0, width_us, columns, max_gap_s=180)
    start_us, end_us = first * width_us, (first + count) * width_us
    told = whole.cropped(start_us, end_us)
    kept = [at for at in range(columns) if first <= at < first + count]
    assume(kept)
    assert (told.start_us, told.end_us) == (kept[0] * width_us, (kept[-1] + 1) * width_us)
    for name in ("low", "mean", "high", "count", "suspect"):
        wanted = getattr(whole, name)[kept[0] : kept[-1] + 1]
        assert np.array_equal(
            getattr(told, name), wanted, equal_nan=name in ("low", "mean", "high")
        )
    assert told.gaps is not None
    assert ((told.gaps >= told.start_us) & (told.gaps <= told.end_us)).all()
    moved = told.shifted(5)
    assert (moved.start_us, moved.end_us) == (told.start_us + 5, told.end_us + 5)
    assert moved.gaps is not None
    assert (moved.gaps - told.gaps == 5).all()
    assert replace(told, gaps=None).shifted(5).gaps is None


def test_an_envelope_begins_with_at_least_one_column() -> None:
    whole = envelope_of_readings(readings_from([5, 15], [1, 2]), 0, 10, 3, max_gap_s=90)
    assert len(whole.cropped(1_000, 2_000)) == 1
    assert len(replace(whole, gaps=None).cropped(0, 10)) == 1
    assert whole.centres_us.tolist() == [5.0, 15.0, 25.0]
    assert (whole.column_at(-1), whole.column_at(0), whole.column_at(29), whole.column_at(30)) == (
        None,
        0,
        2,
        None,
    )
    assert not whole.is_empty
    assert empty_envelope(0, 10, 2).is_empty


def test_a_summary_that_reaches_into_the_first_column_counts_there() -> None:
    def added(step_us: int) -> Envelope:
        sums = ColumnSums(100, 50, 2, 200)
        one = np.array([1.0])
        sums.add(np.array([90]), one, one, one, np.array([3]), np.array([1]), step_us)
        return sums.envelope()

    assert added(0).count.tolist() == added(10).count.tolist() == [0, 0]
    assert (added(11).count.tolist(), added(11).suspect.tolist()) == ([3, 0], [1, 0])


def test_what_begins_at_the_stop_is_left_out() -> None:
    sums = ColumnSums(0, 50, 2, 90)
    sums.add_readings(readings_from([0, 49, 89, 90, 99], [1, 2, 3, 4, 5]))
    assert sums.envelope().count.tolist() == [2, 1]


def test_the_correction_in_force_is_the_last_that_has_begun() -> None:
    first, second = Correction(10, 1.0, 2.0), Correction(20, 2.0, 1.0)
    assert in_force([second, first], 9) is None
    assert in_force([second, first], 10) is first
    assert in_force([second, first], 20) is second
    assert on_top_of(Correction(30, 3.0, 1.0), second) == Correction(30, 6.0, 4.0)
    assert on_top_of(first, None) is first


@given(
    rows,
    st.integers(1, 6),
    st.sampled_from([0, 60 * S]),
    st.lists(
        st.tuples(st.integers(0, 6000), st.sampled_from([1.0, 0.5]), st.floats(-9, 9)),
        max_size=3,
        unique_by=lambda one: one[0],
    ),
    st.sampled_from(list(Averaging)),
)
def test_a_corrected_envelope_holds_the_corrected_readings(
    several: list[tuple[int, float, int]],
    columns: int,
    summary_us: int,
    told: list[tuple[int, float, float]],
    averaging: Averaging,
) -> None:
    readings = readings_of(several)
    width_us = (int(readings.time_us[-1]) // columns // (60 * S) + 1) * 60 * S
    corrections = sorted(
        (Correction(at * S, gain, by) for at, gain, by in told), key=lambda one: one.from_us
    )
    raw = envelope_of_readings(readings, 0, width_us, columns, max_gap_s=180, averaging=averaging)
    after = corrected(readings, corrections)
    found = corrected_envelope(
        raw,
        corrections,
        lambda start, end: after[slice(*np.searchsorted(after.time_us, [start, end]).tolist())],
        summary_us,
    )
    assert found.count.tolist() == raw.count.tolist()
    right = envelope_of_readings(after, 0, width_us, columns, max_gap_s=180, averaging=averaging)
    for at in np.flatnonzero(right.count).tolist():
        if averaging is Averaging.CIRCULAR:
            inside = after.value[after.good & (after.time_us // width_us == at)].tolist()
            assert all(
                lies_on_arc(one, found.low[at] - 1e-6, found.high[at] + 1e-6) for one in inside
            )
            continue
        assert found.low[at] == pytest.approx(right.low[at])
        assert found.high[at] == pytest.approx(right.high[at])
        assert alike(averaging, found.mean[at], right.mean[at])


WATCHES = [
    {"sort": WatchKind.ABOVE, "limit": 25.0},
    {"sort": WatchKind.BELOW, "limit": 25.0},
    {"sort": WatchKind.OUTSIDE, "low": 10.0, "limit": 25.0, "clear": 2.0},
    {"sort": WatchKind.RISING, "limit": 5.0, "window_s": 600.0},
    {"sort": WatchKind.FALLING, "limit": 5.0, "window_s": 600.0, "clear": 1.0},
    {"sort": WatchKind.TIMES_USUAL, "limit": 1.5, "window_s": 3600.0, "exclude_s": 300.0},
    {"sort": WatchKind.UNUSUAL, "limit": 2.0, "window_s": 3600.0, "min_spread": 0.5},
    {"sort": WatchKind.LEVEL, "limit": 3.0, "clear": 2.0},
]


@pytest.mark.parametrize("said", WATCHES, ids=lambda one: one["sort"].value)
@given(values=st.lists(st.floats(0, 50), min_size=1, max_size=60), step=st.integers(30, 90))
def test_the_newest_number_is_the_last_of_all_numbers(
    said: dict[str, float], values: list[float], step: int
) -> None:
    watch = Watch(slug="w", name="W", scope=Scope(), unit="°C", **said)  # type: ignore[arg-type]
    judge = judge_of(watch, QUANTITIES["temperature"], Limits(above=(20, 25, 30, 35)), 180.0)
    readings = readings_from(np.arange(len(values), dtype=np.int64) * step * S, values)
    told = judge.newest_number(readings.time_us, readings.value)
    assert told == pytest.approx(judge.numbers(readings)[-1], nan_ok=True, rel=1e-9, abs=1e-9)
    assert math.isnan(judge.newest_number(readings.time_us[:0], readings.value[:0]))
    if judge.sort.has_limit:
        for side in judge.on_axis(judge.terms.limit):
            assert judge.of_axis(side) == pytest.approx(judge.terms.limit)
    else:
        assert judge.on_axis(1.0) == ()


@pytest.mark.parametrize(("low", "high"), [(15.1, 22.7), (10, 20), (-3.3, 21.9)])
@pytest.mark.parametrize("unit", ["°C", "°F"])
def test_outside_does_not_ring_exactly_at_its_limits(low: float, high: float, unit: str) -> None:
    watch = Watch(
        slug="w", name="W", sort=WatchKind.OUTSIDE, scope=Scope(), unit=unit, low=low, limit=high
    )
    judge = judge_of(watch, QUANTITIES["temperature"], Limits(), 180.0)
    told = QUANTITIES["temperature"].unit(unit)
    assert told is not None
    for at, is_beyond in ((low, False), (high, False), (low - 0.1, True), (high + 0.1, True)):
        assert (judge.of_axis(float(told.to_base(at))) > judge.terms.limit) == is_beyond

"""How quantities average: levels by energy, directions by vectors, states by how long they held.

What is right is reckoned here with plain numbers, reading by reading.
"""

from __future__ import annotations

import cmath
import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.averaging import (
    Averaging,
    arc_of,
    change,
    lies_on_arc,
    mean_value,
    spread_of_directions,
    unwound,
)
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.buckets import buckets_of, merged
from rook_tally.core.series.corrections import Correction, corrected, corrected_envelope
from rook_tally.core.series.envelope import ColumnSums, envelope_of_readings
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.spans import joined_spans, span_of_readings
from rook_tally.core.series.statistics import Window, mean_of, pieces_of, std_of

S = 1_000_000
GAP_S = 180.0
directions = st.floats(0, 359.999)
series = st.lists(st.tuples(st.integers(1, 250), directions), min_size=2, max_size=40)


def readings_of(steps: list[tuple[int, float]]) -> Readings:
    time_us = np.cumsum([step for step, _ in steps]).astype(np.int64) * S
    return readings_from(time_us, [value for _, value in steps])


def pieces_by_hand(readings: Readings) -> list[tuple[float, float, float]]:
    rows = list(zip(readings.time_us.tolist(), readings.value.tolist(), strict=True))
    return [((t2 - t1) / S, a, b) for (t1, a), (t2, b) in pairwise(rows) if (t2 - t1) / S <= GAP_S]


def test_each_quantity_says_how_it_averages_and_whether_it_has_a_zero() -> None:
    told = {slug: one.averaging for slug, one in QUANTITIES.items()}
    assert told["sound_level"] is told["signal_strength"] is Averaging.ENERGETIC
    assert told["wind_direction"] is Averaging.CIRCULAR
    assert told["contact"] is told["switch"] is told["energy"] is Averaging.HELD
    assert told["temperature"] is Averaging.ARITHMETIC
    assert not QUANTITIES["temperature"].true_zero
    assert not QUANTITIES["sound_level"].true_zero
    assert QUANTITIES["pm25"].true_zero


def test_wind_about_north_means_north() -> None:
    time_us = np.arange(1440, dtype=np.int64) * 60 * S
    wind = readings_from(time_us, np.where(np.arange(1440) % 2, 350.0, 10.0))
    pieces = pieces_of(wind, max_gap_s=GAP_S, cadence_s=60, averaging=Averaging.CIRCULAR)
    assert change(Averaging.CIRCULAR, 0.0, mean_of(pieces)) == pytest.approx(0, abs=1e-6)
    # Ten degrees to either side.
    assert std_of(pieces) == pytest.approx(10.0, rel=0.02)


def test_a_pump_that_runs_ten_seconds_in_a_minute_runs_a_sixth_of_the_time() -> None:
    time_us = np.sort(np.concatenate((np.arange(1440) * 60, np.arange(1440) * 60 + 10))) * S
    value = (time_us // S % 60 < 10).astype(float)
    contact = readings_from(time_us, value)
    pieces = pieces_of(
        contact,
        max_gap_s=GAP_S,
        cadence_s=60,
        window=Window(0, 86_000 * S),
        averaging=Averaging.HELD,
    )
    assert mean_of(pieces) == pytest.approx(10 / 60, abs=1e-4)


def test_an_hour_of_60_with_a_minute_of_80_is_louder_than_its_average() -> None:
    """ISO 1996-1: 60 dB for 3540 s and 80 dB for 60 s are 64.23 dB."""
    time_s = np.array([0, 3540, 3540.000001, 3600])
    noise = readings_from((time_s * S).round().astype(np.int64), [60.0, 60.0, 80.0, 80.0])
    told = mean_of(pieces_of(noise, max_gap_s=3600, cadence_s=1, averaging=Averaging.ENERGETIC))
    assert told == pytest.approx(64.2325, abs=1e-4)
    assert mean_value(Averaging.ENERGETIC, np.array([60.0, 80.0])) == pytest.approx(
        77.0329, abs=1e-4
    )


@given(series)
def test_means_are_those_of_the_straight_pieces(steps: list[tuple[int, float]]) -> None:
    readings = readings_of(steps)
    by_hand = pieces_by_hand(readings)
    weight = sum(length for length, _, _ in by_hand)
    for averaging in Averaging:
        pieces = pieces_of(
            readings,
            max_gap_s=GAP_S,
            cadence_s=60,
            averaging=averaging,
            window=Window(int(readings.time_us[0]), int(readings.time_us[-1]) + 1),
        )
        if not weight or len(pieces.length_s) != len(by_hand):
            continue  # a reading alone counts its cadence; its own tests say so
        if averaging is Averaging.HELD:
            wanted = sum(length * a for length, a, _ in by_hand) / weight
        elif averaging is Averaging.ARITHMETIC:
            wanted = sum(length * (a + b) / 2 for length, a, b in by_hand) / weight
        elif averaging is Averaging.ENERGETIC:
            power = sum(d * (10 ** (a / 10) + 10 ** (b / 10)) / 2 for d, a, b in by_hand)
            wanted = 10 * math.log10(power / weight)
        else:
            vector = sum(
                d * (cmath.exp(1j * math.radians(a)) + cmath.exp(1j * math.radians(b))) / 2
                for d, a, b in by_hand
            )
            if abs(vector) / weight < 1e-6:
                continue
            told = change(averaging, math.degrees(cmath.phase(vector)), mean_of(pieces))
            assert told == pytest.approx(0, abs=1e-6)
            continue
        assert mean_of(pieces) == pytest.approx(wanted, rel=1e-9, abs=1e-9)


@given(series, st.sampled_from(list(Averaging)))
def test_buckets_merge_into_what_the_whole_says(
    steps: list[tuple[int, float]], averaging: Averaging
) -> None:
    readings = readings_of(steps)
    end_us = (int(readings.time_us[-1]) // (60 * S) + 1) * 60 * S
    fine = buckets_of(
        readings, start_us=0, width_us=end_us // 12, count=12, max_gap_s=GAP_S, averaging=averaging
    )
    whole = buckets_of(
        readings,
        start_us=0,
        width_us=end_us // 12 * 12,
        count=1,
        max_gap_s=GAP_S,
        averaging=averaging,
    )
    joined = merged(fine, 12, averaging)
    assert joined.count.tolist() == whole.count.tolist()
    assert joined.covered_s == pytest.approx(whole.covered_s)
    vector = 0.0 if averaging is not Averaging.CIRCULAR else float(whole.mean_square[0])
    if whole.covered_s[0] and (averaging is not Averaging.CIRCULAR or vector > 1e-6):
        apart = change(averaging, float(whole.mean[0]), float(joined.mean[0]))
        assert apart == pytest.approx(0, abs=1e-6)
    for value in readings.value[readings.time_us < end_us // 12 * 12].tolist():
        if averaging is Averaging.CIRCULAR:
            assert lies_on_arc(value, joined.low[0] - 1e-9, joined.high[0] + 1e-9)
        else:
            assert joined.low[0] <= value <= joined.high[0]


@given(series, st.sampled_from(list(Averaging)), st.integers(1, 9))
def test_adjoining_spans_join_into_the_whole(
    steps: list[tuple[int, float]], averaging: Averaging, at: int
) -> None:
    readings = readings_of(steps)
    first_us, last_us = int(readings.time_us[0]), int(readings.time_us[-1]) + 1
    cut_us = first_us + (last_us - first_us) * at // 10
    if not first_us < cut_us < last_us:
        return

    def span(start_us: int, end_us: int):  # type: ignore[no-untyped-def]
        return span_of_readings(
            readings,
            max_gap_s=GAP_S,
            cadence_s=60,
            window=Window(start_us, end_us),
            averaging=averaging,
        )

    whole, both = (
        span(first_us, last_us),
        joined_spans([span(first_us, cut_us), span(cut_us, last_us)]),
    )
    assert both.count == whole.count
    assert both.covered_s == pytest.approx(whole.covered_s)
    if whole.covered_s and (averaging is not Averaging.CIRCULAR or whole.mean_square > 1e-6):
        assert change(averaging, whole.mean, both.mean) == pytest.approx(0, abs=1e-6)


@given(st.lists(directions, min_size=1, max_size=8))
def test_an_arc_holds_every_direction_and_leaves_out_the_widest_gap(values: list[float]) -> None:
    low, high = arc_of(np.array(values), np.array(values))
    assert all(lies_on_arc(one, low - 1e-9, high + 1e-9) for one in values)
    around = sorted(one % 360 for one in values)
    gaps = [b - a for a, b in zip(around, [*around[1:], around[0] + 360], strict=True)]
    assert high - low == pytest.approx(360 - max(gaps), abs=1e-9)


def test_the_change_of_a_direction_is_the_shorter_way_round() -> None:
    assert change(Averaging.CIRCULAR, 350, 10) == 20
    assert change(Averaging.CIRCULAR, 10, 350) == -20
    assert change(Averaging.ARITHMETIC, 350, 10) == -340
    assert unwound(np.array([350.0, 10.0, 340.0])).tolist() == [350.0, 370.0, 340.0]


def test_directions_all_alike_have_no_spread_and_opposite_ones_no_mean() -> None:
    assert spread_of_directions(1.0) == 0
    assert math.isnan(mean_value(Averaging.CIRCULAR, np.array([0.0, 180.0])))
    assert math.isnan(mean_value(Averaging.ENERGETIC, np.array([math.nan])))


@pytest.mark.parametrize("averaging", list(Averaging))
@pytest.mark.parametrize(
    "correction", [Correction(40 * S, 1.0, 30.0), Correction(40 * S, 0.5, 3.0)]
)
def test_a_corrected_picture_is_the_picture_of_corrected_readings(
    averaging: Averaging, correction: Correction
) -> None:
    raw = readings_from(np.arange(100, dtype=np.int64) * S, np.arange(100) * 7 % 360 / 4 + 300)
    right = envelope_of_readings(
        corrected(raw, [correction]), 0, 30 * S, 4, max_gap_s=90, averaging=averaging
    )
    sums = ColumnSums(0, 30 * S, 4, 120 * S, averaging)
    sums.add_readings(raw)
    told = corrected_envelope(
        sums.envelope(),
        [correction],
        lambda start, end: corrected(raw, [correction])[
            slice(*np.searchsorted(raw.time_us, [start, end]).tolist())
        ],
    )
    for at in range(4):
        assert change(averaging, right.mean[at], told.mean[at]) == pytest.approx(0, abs=1e-9)
        assert (told.high - told.low)[at] == pytest.approx((right.high - right.low)[at])

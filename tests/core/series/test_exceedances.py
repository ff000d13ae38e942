"""Spells over a threshold, against the line they are said to be of."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.exceedances import Spells, spells
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import HOUR_US, SECOND_US
from tests.core.series.test_baselines import ROWS, _readings

_MAX_GAP_US = 180 * SECOND_US


def _found(readings: Readings, threshold: float, **options: object) -> Spells:
    return spells(readings, threshold=threshold, max_gap_s=180, cadence_s=60, **options)  # type: ignore[arg-type]


@given(ROWS, st.sampled_from([0.5, 1.5, 3.0]))
def test_a_spell_is_where_the_line_is_over_the_threshold(
    rows: list[tuple[int, float, int]], threshold: float
) -> None:
    readings = _readings(rows)
    told = _found(readings, threshold)
    good = readings.good
    times, values = readings.time_us[good], readings.value[good]
    for begin, end, a, b in zip(times[:-1], times[1:], values[:-1], values[1:], strict=True):
        if end - begin > _MAX_GAP_US:
            continue
        for share in (0.25, 0.5, 0.75):
            moment = begin + share * (end - begin)
            line = a + share * (b - a)
            if abs(line - threshold) > 1e-6:
                is_told = ((told.start_us < moment) & (moment < told.end_us)).any()
                assert is_told == (line > threshold)
    for start, end, peak in zip(told.start_us, told.end_us, told.peak, strict=True):
        assert peak == values[(times >= start) & (times <= end)].max()
    assert (told.area_h >= 0).all()


@given(ROWS, st.sampled_from([-1.0, 0.0, 1.0]), st.sampled_from([0, 100, 600]))
def test_its_area_is_that_between_the_line_and_the_baseline(
    rows: list[tuple[int, float, int]], threshold: float, merge_s: int
) -> None:
    # Lowered, so that merged dips go below the baseline: there they count nothing.
    plain = _readings(rows)
    readings = Readings(plain.time_us, plain.value - 2.0, plain.quality)
    told = _found(readings, threshold, merge_s=merge_s)
    good = readings.good
    times, values = readings.time_us[good], readings.value[good]
    for start, end, area, cut_start, cut_end in zip(
        told.start_us, told.end_us, told.area_h, told.cut_start, told.cut_end, strict=True
    ):
        inside = (times >= start) & (times <= end)
        if cut_start and cut_end and inside.sum() == 1:
            assert area == pytest.approx(max(float(values[inside][0]), 0.0) / 60)
            continue
        moments = np.linspace(start, end, 4001)
        line = np.maximum(np.interp(moments, times, values), 0.0)
        assert area == pytest.approx(np.trapezoid(line, moments) / HOUR_US, rel=2e-3, abs=1e-5)


@given(ROWS)
def test_spells_below_are_spells_above_upside_down(rows: list[tuple[int, float, int]]) -> None:
    readings = _readings(rows)
    turned = Readings(readings.time_us, -readings.value, readings.quality)
    above, below = _found(readings, 1.5), _found(turned, 1.5, direction="below")
    assert above.start_us.tolist() == below.start_us.tolist()
    assert above.end_us.tolist() == below.end_us.tolist()
    assert above.area_h == pytest.approx(below.area_h)


def test_near_spells_are_one_and_short_ones_none() -> None:
    times = np.arange(8) * 60 * SECOND_US
    readings = readings_from(times, [0, 4, 4, 0, 4, 4, 0, 0])
    two = _found(readings, 1)
    assert len(two.start_us) == 2
    one = _found(readings, 1, merge_s=60)
    assert one.start_us.tolist() == [two.start_us[0]]
    assert one.end_us.tolist() == [two.end_us[1]]
    assert not len(_found(readings, 1, min_length_s=600).start_us)
    with pytest.raises(ValueError, match="above or below"):
        _found(readings, 1, direction="beside")


def test_equal_peaks_are_told_by_the_first() -> None:
    times = np.arange(5) * 60 * SECOND_US
    told = _found(readings_from(times, [0, 4, 3, 4, 0]), 1)
    assert told.peak_us.tolist() == [60 * SECOND_US]

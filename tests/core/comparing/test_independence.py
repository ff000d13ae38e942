"""What dependent readings are worth: laws, and intervals that hold what was put in."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import lfilter

from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.event_effects import adjusted_for_comparisons, event_effect
from rook_tally.core.comparing.independence import batch_means, effective_n, sure_mean
from rook_tally.core.comparing.moving_together import moving_together, strays
from rook_tally.core.comparing.slope_interval import sen_slope

VALUES = st.lists(st.floats(-1e3, 1e3), min_size=3, max_size=80)


def process(count: int, phi: float, seed: int) -> FloatArray:
    """A first-order process of unit variance."""
    steps = np.random.default_rng(seed).standard_normal(count + 2000) * math.sqrt(1 - phi * phi)
    return np.asarray(lfilter([1.0], [1.0, -phi], steps)[2000:], np.float64)


@given(VALUES, st.floats(-100, 100), st.floats(0.1, 10))
def test_neither_zero_nor_unit_changes_what_readings_are_worth(
    values: list[float], zero: float, unit: float
) -> None:
    told = effective_n(np.array(values))
    other = effective_n(np.array(values) * unit + zero)
    if math.isfinite(told.n_eff) and math.isfinite(other.n_eff):
        assert 1 <= told.n_eff <= told.n
        assert other.n_eff == pytest.approx(told.n_eff, rel=1e-3)


@given(VALUES)
def test_holes_at_the_ends_change_nothing(values: list[float]) -> None:
    told = np.array(values)
    wide = np.concatenate(([np.nan], told, [np.nan, np.nan]))
    assert effective_n(wide) == effective_n(told) or math.isnan(effective_n(told).n_eff)


@given(st.lists(st.floats(-10, 10), min_size=1, max_size=60), st.integers(1, 9))
def test_batches_of_whole_parts_keep_the_mean(values: list[float], size: int) -> None:
    told = np.array(values[: len(values) // size * size])
    if len(told):
        assert batch_means(told, size).mean() == pytest.approx(told.mean(), abs=1e-9)


@pytest.mark.parametrize(("phi", "white"), [(0.0, 0.0), (0.99, 0.0), (0.99, 2.0)])
def test_intervals_hold_the_truth_as_often_as_they_claim(phi: float, white: float) -> None:
    """Over 300 draws; `scripts/intervals` prints it over 2,000."""
    held = known = 0
    for seed in range(300):
        values = process(4000, phi, seed)
        values = values + white * np.random.default_rng(10_000 + seed).standard_normal(4000)
        told = sure_mean(values)
        if math.isfinite(told.within):
            known += 1
            held += abs(told.mean) <= told.within
    assert known > 280
    assert held / known > 0.92


def test_what_is_worth_too_few_has_no_interval() -> None:
    told = sure_mean(np.linspace(0, 1, 5000))
    assert math.isnan(told.within)
    assert told.independent == 0
    assert math.isnan(sure_mean(np.array([np.nan, np.nan])).mean)
    assert math.isnan(sure_mean(np.full(50, 3.0)).within)


@given(st.floats(-5, 5), st.floats(-100, 100), st.integers(5, 40))
def test_a_line_is_found_exactly(slope: float, offset: float, count: int) -> None:
    x = np.arange(count, dtype=np.float64)
    told = sen_slope(x, offset + slope * x, confidence=0.95)
    assert told.slope == pytest.approx(slope, abs=1e-6)
    assert told.low <= told.slope + 1e-9
    assert told.high >= told.slope - 1e-9


@given(st.lists(st.floats(0, 1), min_size=1, max_size=20))
def test_more_comparisons_never_make_anything_surer(chances: list[float]) -> None:
    adjusted = adjusted_for_comparisons(chances)
    assert all(0 <= one <= 1 for one in adjusted)
    assert all(after >= before for before, after in zip(chances, adjusted, strict=True))
    order = np.argsort(chances, kind="stable")
    assert np.all(np.diff(np.array(adjusted)[order]) >= 0)


def test_an_effect_is_told_from_the_course_of_every_day() -> None:
    steps, days = 96, 60
    every = np.arange(steps * days)
    daily = np.tile(5 * np.sin(np.arange(steps) / steps * 2 * np.pi), days)
    at = np.flatnonzero(np.random.default_rng(2).random(days) < 0.5) * steps + 30
    calm = daily + 0.5 * process(len(every), 0.9, 3)
    moved = calm.copy()
    for one in at.tolist():
        moved[one : one + 8] += 1.5
    found = [
        event_effect(value, every % steps, every // steps, at, before=4, after=8)
        for value in (calm, moved)
    ]
    assert found[0].p > 0.05
    assert found[1].p < 1e-6
    assert abs(found[1].excess - 1.5) <= found[1].within


def test_series_in_one_air_are_found_and_series_of_one_sun_are_not() -> None:
    hours = 24 * 30
    sun = np.tile(3 * np.sin(np.arange(24) / 24 * 2 * np.pi), 30)
    air = process(hours, 0.9, 1)
    rows = np.stack(
        [
            sun + air + 0.1 * process(hours, 0.0, 2),
            sun + air + 0.1 * process(hours, 0.0, 3),
            sun + process(hours, 0.9, 4),
            np.full(hours, 7.0),
        ]
    )
    assert [(one.first, one.second) for one in moving_together(rows)] == [(0, 1)]


def test_the_one_that_leaves_its_group_is_named_with_its_day() -> None:
    days = 60
    level = 20 + process(days, 0.8, 1)
    rows = np.stack([level + 0.1 * process(days, 0.0, 2 + at) for at in range(4)])
    assert strays(rows, accuracy=0.5) == []
    rows[2, 45:] += np.linspace(0.2, 3.0, 15)
    (told,) = strays(rows, accuracy=0.5)
    assert told.row == 2
    assert 45 <= told.since_day <= 50
    assert told.now == pytest.approx(2.4, abs=0.5)

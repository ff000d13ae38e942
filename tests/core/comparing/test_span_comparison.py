"""Spans compared: figures by hand, errors that know readings repeat one another, distributions."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.comparing.span_comparison import (
    SpanFigures,
    compared,
    distributions,
    effective_count,
    figures_of_span,
    standard_error,
)
from rook_tally.core.series.readings import readings_from
from rook_tally.core.series.statistics import Window

SECOND = 1_000_000


def test_figures_of_a_span_leave_out_what_lies_beside_it() -> None:
    time_us = np.arange(10, dtype=np.int64) * 10 * SECOND
    value = np.array([1.0, 1, 2, 4, 2, 4, 2, 4, 9, 9])
    told = figures_of_span(
        readings_from(time_us, value),
        max_gap_s=90,
        cadence_s=10,
        window=Window(20 * SECOND, 70 * SECOND + 1),
    )
    assert (told.count, told.peak) == (6, 4.0)
    assert told.mean == pytest.approx(3.0, abs=1e-6)
    assert told.spread == pytest.approx(1.0, abs=1e-6)


def test_an_empty_span_knows_nothing() -> None:
    nothing = readings_from(np.empty(0, dtype=np.int64), np.empty(0))
    told = figures_of_span(nothing, max_gap_s=90, cadence_s=10, window=Window(0, SECOND))
    assert told.count == 0
    assert all(math.isnan(one) for one in (told.mean, told.peak, told.mean_error))
    assert not compared(told, told, accuracy=0.1).is_sure


def test_noise_counts_each_reading_and_a_slow_wave_counts_few() -> None:
    """An AR(1) process with coefficient 0.9 is worth (1-0.9)/(1+0.9) of its readings."""
    chance = np.random.default_rng(7)
    noise = chance.normal(size=20_000)
    assert effective_count(noise) == pytest.approx(20_000, rel=0.03)
    wave = np.empty_like(noise)
    wave[0] = noise[0]
    for at in range(1, len(wave)):
        wave[at] = 0.9 * wave[at - 1] + noise[at]
    assert effective_count(wave) / len(wave) == pytest.approx(0.1 / 1.9, rel=0.15)
    # The scatter of means over many such stretches is what the standard error promises.
    means = wave.reshape(100, 200).mean(axis=1)
    promised = np.median([standard_error(one) for one in wave.reshape(100, 200)])
    assert means.std() == pytest.approx(promised, rel=0.35)


@given(st.floats(-50, 50), st.integers(3, 40))
def test_a_constant_span_has_no_error(value: float, count: int) -> None:
    assert effective_count(np.full(count, value)) == count
    assert standard_error(np.full(count, value)) == pytest.approx(0, abs=1e-9)


def test_difference_and_ratio_with_their_intervals() -> None:
    base = SpanFigures(300, 0.02, 0.002, 0.03, 0.001)
    loud = SpanFigures(300, 0.40, 0.05, 0.6, 0.01)
    told = compared(loud, base, accuracy=0.005)
    assert told.ratio == pytest.approx(20)
    assert told.difference == pytest.approx(0.38)
    assert told.difference_within == pytest.approx(1.96 * math.hypot(0.01, 0.001))
    assert told.ratio_within == pytest.approx(1.96 * 20 * math.hypot(0.025, 0.05))
    assert told.is_sure


def test_a_difference_below_what_the_sensor_can_tell_is_not_sure() -> None:
    one, other = (
        SpanFigures(9000, 21.00, 0.1, 21.4, 0.001),
        SpanFigures(9000, 21.05, 0.1, 21.4, 0.001),
    )
    assert compared(other, one, accuracy=0.02).is_sure
    assert not compared(other, one, accuracy=0.3).is_sure


def test_a_base_of_zero_has_no_ratio() -> None:
    told = compared(SpanFigures(9, 2, 0, 2, 0.1), SpanFigures(9, 0.0, 0, 0, 0.1), accuracy=0)
    assert math.isnan(told.ratio)
    assert told.difference == 2


def test_distributions_share_their_bins_and_add_up() -> None:
    told = distributions([np.array([1.0, 1, 2]), np.empty(0), np.array([5.0])], 4)
    assert (told.low, told.high, told.shares.shape) == (1.0, 5.0, (3, 4))
    assert told.shares.sum(axis=1).tolist() == pytest.approx([1, 0, 1])
    assert told.shares[0].tolist() == pytest.approx([2 / 3, 1 / 3, 0, 0])
    flat = distributions([np.full(3, 7.0)], 5)
    assert flat.low < 7 < flat.high
    assert distributions([np.empty(0)], 3).shares.tolist() == [[0, 0, 0]]

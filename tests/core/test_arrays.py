"""Middles and shares of arrays by partition, and what is no number, against NumPy's own way."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import are_finite, finite_of, median_of, quantiles_of

_NUMBERS = st.lists(st.floats(-1e9, 1e9), min_size=1, max_size=60).map(np.array)
_ANY = st.lists(st.floats(width=64), max_size=30).map(lambda given: np.array(given, np.float64))


@given(_NUMBERS)
def test_the_median_is_the_middle_one_or_the_mean_of_the_middle_two(
    values: np.ndarray[tuple[int], np.dtype[np.float64]],
) -> None:
    expected = float(np.median(values))
    assert median_of(values) == pytest.approx(expected, rel=1e-12, abs=1e-12)


@given(_NUMBERS, st.lists(st.floats(0, 1), min_size=1, max_size=6))
def test_quantiles_come_in_the_order_they_are_asked_for(
    values: np.ndarray[tuple[int], np.dtype[np.float64]], shares: list[float]
) -> None:
    expected = np.quantile(values, shares)
    assert quantiles_of(values, shares) == pytest.approx(expected, rel=1e-9, abs=1e-6)


@given(_ANY)
def test_the_sum_tells_whether_all_are_numbers(
    values: np.ndarray[tuple[int], np.dtype[np.float64]],
) -> None:
    is_finite = bool(np.isfinite(values).all())
    # A sum no double holds may say no where all are numbers; it never says yes where one is not.
    assert not are_finite(values) or is_finite
    if is_finite and math.isfinite(float(np.abs(values / 64).sum()) * 64):
        assert are_finite(values)
    assert np.array_equal(finite_of(values), values[np.isfinite(values)])

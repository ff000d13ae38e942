"""Traces as pixels: what a line and a band cover, how sparse points become columns."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from rook_tally.desk.parts.antialias import band_coverage, line_coverage, spread_over, strength_of

heights = hnp.arrays(np.float64, st.integers(1, 30), elements=st.floats(-5, 25))


def test_a_band_covers_whole_and_partial_pixels() -> None:
    covered = band_coverage(np.array([1.0, 1.5, np.nan]), np.array([3.0, 2.25, np.nan]), 4)
    assert covered.T.tolist() == [[0, 1, 1, 0], [0, 0.5, 0.25, 0], [0, 0, 0, 0]]


@given(heights, st.floats(0, 6))
def test_a_band_inside_the_picture_covers_its_height(top: np.ndarray, tall: float) -> None:
    top = np.clip(top, 0, 10)
    covered = band_coverage(top, top + tall, 20)
    assert covered.sum(axis=0) == pytest.approx(np.full(len(top), tall), abs=1e-3)


def test_a_level_line_is_as_thick_as_asked_and_a_step_is_joined() -> None:
    level = line_coverage(np.full(5, 4.0), 10, 2.0)
    assert level[:, 2].tolist() == [0, 0, 0, 1, 1, 0, 0, 0, 0, 0]
    step = line_coverage(np.array([2.0, 2, 8, 8]), 10, 1.0)
    # Half of the way up in one column, the other half in the next.
    assert (step[2:5, 1] > 0).all()
    assert (step[5:8, 2] > 0).all()
    assert step[7, 1] == 0


def test_a_break_leaves_columns_empty() -> None:
    covered = line_coverage(np.array([3.0, np.nan, 3.0]), 6, 1.0)
    assert covered[:, 1].sum() == 0
    assert covered[:, 0].sum() == pytest.approx(1)
    assert covered[:, 2].sum() == pytest.approx(1)


def test_points_of_one_segment_are_joined_and_segments_are_not() -> None:
    x, value = np.array([0.0, 4.0, 8.0, 10.0]), np.array([0.0, 4.0, 1.0, 1.0])
    (made,) = spread_over(x, (value,), [0, 2], 12)
    assert made[:5].tolist() == [0, 1, 2, 3, 4]
    assert np.isnan(made[5:8]).all()
    assert made[8:11].tolist() == [1, 1, 1]
    assert np.isnan(made[11])


def test_points_beside_the_picture_are_left_out() -> None:
    (made,) = spread_over(np.array([-9.0, -5.0, 20.0]), (np.ones(3),), [0, 2], 10)
    assert np.isnan(made).all()


@given(heights, st.floats(0, 1))
def test_a_line_over_a_band_never_inks_less_than_either(top: np.ndarray, opacity: float) -> None:
    line = line_coverage(top, 20, 1.3)
    band = band_coverage(top - 3, top + 3, 20)
    both = strength_of(line.copy(), band.copy(), opacity).astype(int)
    alone = strength_of(line.copy(), None, opacity).astype(int)
    assert (both >= alone - 1).all()
    assert (both >= (band * opacity * 255).astype(int) - 1).all()

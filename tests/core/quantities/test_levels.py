"""Levels begin exactly at their limits, on both sides."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.levels import NO_LIMITS, Level, Limits

DUST = Limits(above=(15, 25, 50, 75))
DAMP = Limits(above=(60, 70, 80, 90), below=(30, 20, None, 10))


@pytest.mark.parametrize(
    ("value", "level"),
    [
        (14.999, Level.SETTLED),
        (15, Level.NOTICED),
        (25, Level.RAISED),
        (58, Level.HIGH),
        (1e9, Level.SEVERE),
        (-1e9, Level.SETTLED),
        (math.nan, Level.SETTLED),
        (math.inf, Level.SEVERE),
    ],
)
def test_upward(value: float, level: Level) -> None:
    assert DUST.level_of(value) is level


@pytest.mark.parametrize(
    ("value", "level"), [(31, 0), (30, 1), (20, 2), (15, 2), (10, 4), (60, 1), (90, 4), (45, 0)]
)
def test_both_ways_and_with_a_level_left_out(value: float, level: int) -> None:
    assert DAMP.level_of(value) == level


@given(st.lists(st.floats(-200, 200), max_size=30))
def test_many_at_once_agree_with_one_by_one(values: list[float]) -> None:
    together = DAMP.levels_of(np.array(values, dtype=np.float64))
    assert together.tolist() == [int(DAMP.level_of(value)) for value in values]


def test_limits_out_of_order_are_refused() -> None:
    with pytest.raises(ValueError, match="upper limits must rise"):
        Limits(above=(25, 15, 50, 75))
    with pytest.raises(ValueError, match="lower limits must fall"):
        Limits(below=(10, 20, None, None))


def test_nearest_limit() -> None:
    assert DUST.nearest(58) == 25
    assert DAMP.nearest(24) == 20
    assert DAMP.nearest(66) == 70
    assert NO_LIMITS.nearest(5) is None

"""Distances between positions on Earth."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.distances import MEAN_RADIUS_M, distance_m

POSITIONS = st.tuples(st.floats(-90, 90), st.floats(-180, 180))


@pytest.mark.parametrize(
    ("one", "other", "metres"),
    [
        # A degree of latitude, and of longitude at 60°, of a sphere of that radius.
        ((0, 0), (1, 0), MEAN_RADIUS_M * 3.141592653589793 / 180),
        ((60, 0), (60, 1), 55_597.5),
        # Halfway round, over the pole.
        ((0, 0), (0, 180), MEAN_RADIUS_M * 3.141592653589793),
        # Big Ben to the Eiffel Tower: 340.6 km by the ellipsoid.
        ((51.5007, -0.1246), (48.8584, 2.2945), 340_560),
    ],
)
def test_known_distances(
    one: tuple[float, float], other: tuple[float, float], metres: float
) -> None:
    assert distance_m(one, other) == pytest.approx(metres, rel=2e-3)


@given(POSITIONS, POSITIONS)
def test_it_is_as_far_back_and_never_more_than_halfway_round(
    one: tuple[float, float], other: tuple[float, float]
) -> None:
    there = distance_m(one, other)
    assert there == pytest.approx(distance_m(other, one), abs=1e-6)
    assert 0 <= there <= MEAN_RADIUS_M * 3.1415927
    assert distance_m(one, one) == 0

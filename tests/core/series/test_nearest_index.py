"""Where moments stand among times: guessed, and looked up where the guess is wrong."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.nearest_index import nearest_of, positions_in

_STEPS = st.lists(st.sampled_from([1, 1, 1, 2, 7, 500]), max_size=300)
_LATER = st.lists(st.sampled_from([0, 1, 1, 2, 40]), max_size=300)


@given(_STEPS, _LATER, st.integers(-20, 400))
def test_moments_stand_where_a_search_finds_them(
    steps: list[int], later: list[int], first: int
) -> None:
    time_us = np.cumsum(np.array(steps, dtype=np.int64))
    moments = first + np.cumsum(np.array(later, dtype=np.int64))
    assert positions_in(time_us, moments).tolist() == np.searchsorted(time_us, moments).tolist()


@given(_STEPS.filter(bool), _LATER, st.integers(-20, 400))
def test_the_nearest_is_the_earlier_of_two_as_near(
    steps: list[int], later: list[int], first: int
) -> None:
    time_us = np.cumsum(np.array(steps, dtype=np.int64))
    moments = first + np.cumsum(np.array(later, dtype=np.int64))
    apart = np.abs(time_us[None, :] - moments[:, None])
    assert nearest_of(time_us, moments).tolist() == apart.argmin(axis=1).tolist()

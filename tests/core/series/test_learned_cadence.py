"""A cadence nobody told is learned from when messages came."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.learned_cadence import LOOKED_AT, learned_cadence
from rook_tally.core.timestamps import SECOND_US
from tests.builders import NOON_US


def times(*steps_s: float) -> np.ndarray:
    return NOON_US + np.cumsum([0, *(round(one * SECOND_US) for one in steps_s)])


def test_nothing_is_learned_from_one_message() -> None:
    assert learned_cadence(times(), 60.0) is None


def test_a_second_message_says_that_it_may_take_longer() -> None:
    told = learned_cadence(times(601.3), 60.0)
    assert told is not None
    assert (told.cadence_s, told.is_settled) == (600.0, False)
    # A quick one after it may be a chance: nothing is made shorter by two.
    assert learned_cadence(times(3.0), 60.0) is None


@pytest.mark.parametrize(("step_s", "cadence_s"), [(0.5, 0.5), (9.98, 10.0), (301, 300.0)])
def test_the_usual_step_is_taken_and_settles(step_s: float, cadence_s: float) -> None:
    told = learned_cadence(times(*[step_s] * (LOOKED_AT - 1)), 60.0)
    assert told is not None
    assert (told.cadence_s, told.is_settled) == (cadence_s, True)


def test_what_was_expected_is_settled_as_it_is() -> None:
    told = learned_cadence(times(*[58.0, 63.0, 60.5] * 4), 60.0)
    assert told is not None
    assert (told.cadence_s, told.is_settled) == (60.0, True)


def test_an_outage_does_not_make_it_slow() -> None:
    told = learned_cadence(times(60, 60, 60, 4000, 60, 60, 60, 60), 60.0)
    assert told is not None
    assert (told.cadence_s, told.is_settled) == (60.0, True)


@given(
    st.floats(1, 5000),
    st.lists(st.floats(-0.1, 0.1), min_size=LOOKED_AT - 1, max_size=LOOKED_AT - 1),
    st.floats(1, 5000),
)
def test_it_is_found_through_jitter(step_s: float, jitter: list[float], known_s: float) -> None:
    told = learned_cadence(times(*(step_s * (1 + one) for one in jitter)), known_s)
    assert told is not None
    assert told.is_settled
    assert told.cadence_s == pytest.approx(step_s, rel=0.5)

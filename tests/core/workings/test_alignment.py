"""What is held on, until when; moments of several series together."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.readings import readings_from
from rook_tally.core.workings import alignment
from rook_tally.core.workings.alignment import Input, Inputs, InputSamples, heard_of, held_us

TIMES = st.lists(st.integers(0, 200), unique=True, max_size=30).map(sorted)


@pytest.fixture(params=["few looked up", "many repeated"], autouse=True)
def way(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Both ways of holding on give the same."""
    if request.param.startswith("many"):
        monkeypatch.setattr(alignment, "_FEW", 0)


@given(TIMES, TIMES, st.integers(1, 60))
def test_a_reading_is_held_until_the_next_or_until_it_is_too_old(
    told: list[int], asked: list[int], longest: int
) -> None:
    times = np.array(told, dtype=np.int64)
    inputs = Inputs({7: InputSamples(times, 10.0 * times.astype(np.float64))})
    moments = np.array(asked, dtype=np.int64)
    found = inputs.held(Input(7, 1.0, longest, 0), moments)
    for at, value in zip(asked, found.tolist(), strict=True):
        before = [one for one in told if one <= at]
        if before and at - before[-1] <= longest:
            assert value == before[-1] * 10.0
        else:
            assert np.isnan(value)


@given(st.lists(TIMES, max_size=4))
def test_moments_of_several_stand_in_order_once_each(several: list[list[int]]) -> None:
    inputs = Inputs(
        {
            at: InputSamples(np.array(one, dtype=np.int64), np.zeros(len(one)))
            for at, one in enumerate(several)
        }
    )
    found = inputs.moments(range(len(several)))
    assert found.tolist() == sorted({one for told in several for one in told})
    between = inputs.moments(range(len(several)), 50, 150)
    assert between.tolist() == [one for one in found.tolist() if 50 <= one < 150]
    assert inputs.moments(range(len(several)), 50, 150) is between


def test_suspect_readings_are_not_heard() -> None:
    heard = heard_of(readings_from([0, 1, 2], [1.0, 2.0, np.nan], [0, 1, 0]), 100.0)
    assert heard.time_us.tolist() == [0]
    assert heard.value.tolist() == [100.0]


def test_three_cadences_unless_said_otherwise() -> None:
    assert held_us(10.0, None) == 30_000_000
    assert held_us(10.0, 600.0) == 600_000_000

"""How far a value is from its limit."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.display_unit import base_shown
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_text import limit_sentence
from rook_tally.core.quantities.registry import QUANTITIES
from tests.core.quantities.test_display_unit import shown_in

PM = base_shown(QUANTITIES["pm25"])
MOISTURE = base_shown(QUANTITIES["substrate_moisture"])
DUST = Limits(above=(15.0, 25.0, 50.0, 75.0))
DRY = Limits(below=(33.0, 31.0, 28.0, 24.0))


@pytest.mark.parametrize(
    ("value", "sentence"),
    [
        (58.0, "33 over the limit of 25"),
        (25.0, "just at the limit of 25"),
        (25.3, "just at the limit of 25"),
        (7.0, "18 below the limit of 25"),
    ],
)
def test_above(value: float, sentence: str) -> None:
    assert limit_sentence(PM, DUST, value) == sentence


@pytest.mark.parametrize(
    ("value", "sentence"),
    [
        (22.0, "9 under the lower limit of 31"),
        (31.0, "just at the limit of 31"),
        (35.0, "4 above the lower limit of 31, fine"),
    ],
)
def test_below(value: float, sentence: str) -> None:
    assert limit_sentence(MOISTURE, DRY, value) == sentence


def test_the_nearer_of_two_limits_is_the_one_told() -> None:
    room = Limits(above=(None, 26.0, None, None), below=(None, 16.0, None, None))
    warmth = base_shown(QUANTITIES["temperature"])
    assert limit_sentence(warmth, room, 17.0) == "1.0 above the lower limit of 16, fine"
    assert limit_sentence(warmth, room, 25.0) == "1.0 below the limit of 26"


def test_a_distance_is_told_in_the_unit_shown() -> None:
    hot = Limits(above=(None, 30.0, None, None))
    assert limit_sentence(shown_in("temperature", "°F"), hot, 35.0) == "9.0 over the limit of 86"


def test_without_a_limit_nothing_is_said() -> None:
    assert limit_sentence(PM, Limits(), 58.0) == ""


@given(st.floats(0, 1000))
def test_over_is_said_just_where_the_level_is_raised_or_more(value: float) -> None:
    sentence = limit_sentence(PM, DUST, value)
    if "just at" not in sentence:
        assert (" over " in sentence) == (DUST.level_of(value) >= Level.RAISED)

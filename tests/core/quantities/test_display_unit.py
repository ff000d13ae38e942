"""Values in the unit a person picked: figures, differences, limits, decimals."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.display_unit import DisplayUnit, base_shown
from rook_tally.core.quantities.registry import QUANTITIES

TEMPERATURE, PRESSURE = QUANTITIES["temperature"], QUANTITIES["pressure"]


def shown_in(slug: str, symbol: str) -> DisplayUnit:
    quantity = QUANTITIES[slug]
    return DisplayUnit(quantity, next(one for one in quantity.units if one.symbol == symbol))


def test_a_value_and_a_difference_in_another_unit() -> None:
    fahrenheit = shown_in("temperature", "°F")
    assert fahrenheit.text(20.0) == "68.0"
    assert fahrenheit.difference_figure(10.0) == "18.0"
    assert fahrenheit.limit_text(30.0) == "86"
    assert base_shown(TEMPERATURE).text(20.04) == "20.0"


@pytest.mark.parametrize(
    ("symbol", "text"), [("hPa", "1\u2009013.2"), ("kPa", "101.32"), ("inHg", "29.92")]
)
def test_decimals_follow_the_size_of_the_unit(symbol: str, text: str) -> None:
    assert shown_in("pressure", symbol).text(1013.21) == text


def test_a_state_is_on_or_off() -> None:
    switch = base_shown(QUANTITIES["switch"])
    assert (switch.text(1.0), switch.text(0.0), switch.text(float("nan"))) == ("on", "off", "–")


@given(st.floats(-200, 200), st.floats(-200, 200))
def test_a_difference_of_values_is_the_difference_shown(one: float, other: float) -> None:
    fahrenheit = shown_in("temperature", "°F")
    told = fahrenheit.value(one) - fahrenheit.value(other)
    assert fahrenheit.difference(one - other) == pytest.approx(told, abs=1e-9)

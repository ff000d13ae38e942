"""Kinds of numbers and units: what they multiply to, how they are named and shown."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Dimension
from rook_tally.core.workings.dimensions import (
    NUMBER,
    SCALES,
    TEMPERATURE,
    TIME,
    TRUTH,
    coherent_factor,
    measure_of,
    scale_named,
    shown_in,
    wording_of,
)


@pytest.mark.parametrize(
    ("text", "factor", "like"),
    [
        ("mV", 1e-3, "V"),
        ("V/A", 1.0, "Ω"),
        ("V·A", 1.0, "W"),
        ("kW·h", 3.6e6, "kWh"),
        ("A·h", 3600.0, "Ah"),
        ("µg/m³", 1e-9, "mg/m³"),
        ("°C/h", 1 / 3600, "K/s"),
        ("hPa/h", 100 / 3600, "kPa/min"),
        ("1/h", 1 / 3600, "Hz"),
        ("m/s", 1.0, "km/h"),
        ("L/min", 1e-3 / 60, "m³/s"),
        ("m^2", 1.0, "m·m"),
        ("m²/s", 1.0, "m·m/s"),
        ("week", 604_800.0, "d"),
        ("days", 86_400.0, "h"),
        ("inch", 0.0254, "mm"),
    ],
)
def test_a_unit_is_what_it_is_composed_of(text: str, factor: float, like: str) -> None:
    scale, other = scale_named(text), scale_named(like)
    assert scale is not None
    assert other is not None
    assert scale.factor == pytest.approx(factor)
    assert scale.measure == other.measure


@pytest.mark.parametrize("text", ["furlong", "m/", "/s", "mV/furlong", "", "in", "1/"])
def test_what_is_no_unit_is_none(text: str) -> None:
    assert scale_named(text) is None


def test_a_kelvin_is_a_step_and_a_degree_a_temperature() -> None:
    kelvin, degree = SCALES["K"], SCALES["°C"]
    assert kelvin.measure == TEMPERATURE.step
    assert degree.measure == TEMPERATURE
    assert SCALES["°F"].measure == TEMPERATURE
    assert SCALES["°F"].factor * 50 + SCALES["°F"].offset == pytest.approx(10)


@given(
    st.lists(st.sampled_from(["V", "A", "s", "m", "kg", "%", "ppm"]), max_size=5),
    st.lists(st.sampled_from(["V", "A", "s", "m", "kg", "%", "ppm"]), max_size=5),
)
def test_what_is_multiplied_and_divided_again_is_the_same(up: list[str], down: list[str]) -> None:
    measure = NUMBER
    for name in up:
        measure = measure * SCALES[name].measure
    for name in down:
        measure = measure / SCALES[name].measure
    for name in down:
        measure = measure * SCALES[name].measure
    for name in up:
        measure = measure / SCALES[name].measure
    assert measure == NUMBER
    assert (SCALES["V"].measure.raised(Fraction(1, 2)).raised(Fraction(2))) == SCALES["V"].measure


@pytest.mark.parametrize("slug", QUANTITIES)
def test_every_quantity_has_a_measure_and_a_unit_to_be_told_in(slug: str) -> None:
    quantity = QUANTITIES[slug]
    dimension = quantity.base.dimension
    measure = measure_of(dimension)
    assert coherent_factor(dimension) > 0
    shown = shown_in(measure, None)
    assert shown.factor > 0
    assert wording_of(measure)
    if dimension not in (
        Dimension.DEPTH,
        Dimension.INDEX,
        Dimension.NUMBER_CONCENTRATION,
        Dimension.ROTATION,
        Dimension.FREQUENCY,
    ):
        assert shown.preferred == quantity.base


@pytest.mark.parametrize(
    ("numerator", "divided", "symbol"),
    [
        (TEMPERATURE.step, True, "K/h"),
        (measure_of(Dimension.PRESSURE), True, "hPa/h"),
        (measure_of(Dimension.FRACTION), False, "ppm·h"),
        (measure_of(Dimension.CURRENT), False, "Ah"),
        (NUMBER, True, "1/h"),
    ],
)
def test_a_result_is_told_by_the_hour_where_it_has_no_unit_of_its_own(
    numerator: object, divided: bool, symbol: str
) -> None:
    measure = numerator / TIME if divided else numerator * TIME  # type: ignore[operator]
    assert shown_in(measure, None).preferred.symbol == symbol


def test_a_unit_asked_for_is_the_one_it_is_shown_in() -> None:
    shown = shown_in(TEMPERATURE, SCALES["°F"])
    assert (shown.units[0].symbol, shown.preferred.symbol) == ("°C", "°F")
    odd = shown_in(measure_of(Dimension.CHARGE), scale_named("A·s"))
    assert (odd.preferred.symbol, odd.factor) == ("A·s", 1.0)
    assert shown_in(TRUTH, None).preferred.symbol == ""


@pytest.mark.parametrize(
    ("measure", "words"),
    [
        (TRUTH, "a yes or no"),
        (NUMBER, "a plain number"),
        (TEMPERATURE, "a temperature"),
        (TEMPERATURE.step, "a step of temperature"),
        (measure_of(Dimension.ILLUMINANCE), "an illuminance"),
        (measure_of(Dimension.SHARE), "a share"),
        (measure_of(Dimension.VOLTAGE) * TIME, "a number in V·h"),
    ],
)
def test_kinds_of_numbers_have_words(measure: object, words: str) -> None:
    assert wording_of(measure) == words  # type: ignore[arg-type]

"""Units convert exactly, are found by every spelling, and go there and back."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities import unit as units
from rook_tally.core.quantities.unit import UNITS, Dimension, Unit, unit_named


@pytest.mark.parametrize(
    ("unit", "value", "base"),
    [
        (units.FAHRENHEIT, 212.0, 100.0),
        (units.FAHRENHEIT, -40.0, -40.0),
        (units.KELVIN, 273.15, 0.0),
        (units.PASCAL, 101325.0, 1013.25),
        (units.INCH_MERCURY, 29.92, 1013.207),
        (units.KNOT, 10.0, 5.14444),
        (units.MILLIVOLT, 60.0, 0.06),
        (units.RATIO, 0.55, 55.0),
        (units.METRE_S2, 9.80665, 1.0),
        (units.DBW, -60.0, -30.0),
    ],
)
def test_known_conversions(unit: Unit, value: float, base: float) -> None:
    assert unit.to_base(value) == pytest.approx(base, rel=1e-5, abs=1e-9)


@given(st.sampled_from(UNITS), st.floats(-1e6, 1e6))
def test_there_and_back_again(unit: Unit, value: float) -> None:
    assert math.isclose(unit.from_base(unit.to_base(value)), value, rel_tol=1e-9, abs_tol=1e-6)


@pytest.mark.parametrize(
    ("name", "dimension", "found"),
    [
        ("Cel", Dimension.TEMPERATURE, units.CELSIUS),
        ("°F", Dimension.TEMPERATURE, units.FAHRENHEIT),
        ("degf", Dimension.TEMPERATURE, units.FAHRENHEIT),
        ("%RH", Dimension.SHARE, units.PERCENT),
        ("ug/m3", Dimension.MASS_CONCENTRATION, units.MICROGRAM_M3),
        ("mm", Dimension.DEPTH, units.MILLIMETRE),
        ("mm", Dimension.LENGTH, units.MILLIMETRE_LENGTH),
        ("V", Dimension.TEMPERATURE, None),
        ("furlong", Dimension.LENGTH, None),
    ],
)
def test_names(name: str, dimension: Dimension, found: Unit | None) -> None:
    assert unit_named(name, dimension) is found


def test_each_dimension_has_one_base_unit() -> None:
    """Exactly one unit a dimension converts into itself."""
    for dimension in set(Dimension) - {Dimension.WORKED_OUT}:
        bases = [
            unit
            for unit in UNITS
            if unit.dimension is dimension and unit.factor == 1 and unit.offset == 0
        ]
        assert len(bases) == 1, dimension

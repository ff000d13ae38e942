"""Every row of the quantity registry is whole and consistent."""

from __future__ import annotations

import re

import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import KINDS, Kind, kind_named
from rook_tally.core.quantities.levels import NO_LIMITS
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES, quantity_named

every_quantity = pytest.mark.parametrize("quantity", QUANTITIES.values(), ids=list(QUANTITIES))


def test_holds_what_people_measure() -> None:
    """At least thirty, under the slugs others build on."""
    named = (
        "temperature surface_temperature humidity pressure co2 co pm03_count pm1 pm25 pm10 "
        "voc_index nox_index tvoc gas_resistance illuminance sound_level vibration_x vibration_y "
        "vibration_z substrate_moisture water_level rain wind_speed voltage voltage_drop current "
        "power charge battery signal_strength presence switch fan_speed"
    )
    assert set(named.split()) <= set(QUANTITIES)


@every_quantity
def test_row_is_whole(quantity: Quantity) -> None:
    low, high = quantity.believable
    assert re.fullmatch(r"[a-z][a-z0-9_]*", quantity.slug)
    assert low < high
    assert quantity.accuracy >= 0
    assert (quantity.accuracy == 0) == (quantity.scale is QuantityScale.STATE)
    assert all(unit.dimension is quantity.base.dimension for unit in quantity.units)
    assert (quantity.base.factor, quantity.base.offset) == (1, 0)


@every_quantity
def test_limits_have_a_source_and_are_believable(quantity: Quantity) -> None:
    assert (quantity.limits != NO_LIMITS) == bool(quantity.limits_source)
    for limit in (*quantity.limits.above, *quantity.limits.below):
        assert limit is None or quantity.is_believable(limit)


@every_quantity
def test_zero_is_impossible_only_where_it_can_be_told(quantity: Quantity) -> None:
    """What is below its range at zero cannot be zero."""
    if not quantity.is_believable(0.0):
        assert not quantity.zero_possible


def test_comfort_limits_hold_indoors_only() -> None:
    temperature = QUANTITIES["temperature"]
    assert temperature.default_limits(indoors=True) == temperature.limits
    assert temperature.default_limits(indoors=False) == NO_LIMITS
    assert QUANTITIES["pm25"].default_limits(indoors=False) != NO_LIMITS


@pytest.mark.parametrize("kind", KINDS.values(), ids=list(KINDS))
def test_kinds_measure_known_quantities_in_their_units(kind: Kind) -> None:
    for field in kind.fields:
        assert QUANTITIES[field.quantity].unit(field.unit) is not None, field
    assert len({field.name for field in kind.fields}) == len(kind.fields)


def test_unknown_names_are_refused_with_a_suggestion() -> None:
    with pytest.raises(UsageError, match="no quantity 'tempreture'; did you mean temperature"):
        quantity_named("tempreture")
    with pytest.raises(UsageError, match="no kind 'toaster'; known kinds: plain, room-air"):
        kind_named("toaster")

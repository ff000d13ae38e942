"""Units by system: what a person in one country expects of every quantity at once."""

from __future__ import annotations

import enum

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.unit import Unit


class UnitSystem(enum.Enum):
    """A system of units, as people name it."""

    SI = "si"
    US = "us"
    UK = "uk"


# Of each system the symbols it prefers; a quantity without one of them keeps its base unit.
_PREFERRED: dict[UnitSystem, frozenset[str]] = {
    UnitSystem.SI: frozenset(),
    UnitSystem.US: frozenset({"°F", "inHg", "mph", "ft", "in"}),
    # Weather is told in degrees Celsius and millimetres of rain, roads and wind in miles.
    UnitSystem.UK: frozenset({"mph"}),
}


def unit_in(system: UnitSystem, quantity: Quantity) -> Unit:
    """The unit of a quantity in a system."""
    wanted = _PREFERRED[system]
    return next((one for one in quantity.units if one.symbol in wanted), quantity.base)

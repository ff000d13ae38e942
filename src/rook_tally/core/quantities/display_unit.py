"""The unit and decimals in which values of a quantity are shown."""

from __future__ import annotations

import math

import msgspec

from rook_tally.core.quantities.number_format import figure
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.unit import Number, Unit


class DisplayUnit(msgspec.Struct, frozen=True):
    """A quantity in the unit a person picked. Everything is kept and reckoned in the base unit."""

    quantity: Quantity
    unit: Unit

    @property
    def symbol(self) -> str:
        """The unit's symbol."""
        return self.unit.symbol

    @property
    def decimals(self) -> int:
        """Fewer for a smaller unit, more for a larger one: the same is told in each."""
        told = math.trunc(math.log10(abs(self.unit.factor)))
        return max(0, self.quantity.decimals + told)

    def value(self, base: Number) -> Number:
        """Values in the base unit, expressed in this one."""
        return self.unit.from_base(base)

    def difference(self, base: float) -> float:
        """A difference in the base unit, expressed in this one: zeroes of scales do not matter."""
        return base / self.unit.factor

    def text(self, base: float) -> str:
        """A value as shown: a figure, or on and off for a state."""
        if self.quantity.scale is QuantityScale.STATE and math.isfinite(base):
            return "on" if base >= 0.5 else "off"
        return figure(self.value(base), self.decimals)

    def figure(self, base: float, *, more: int = 0) -> str:
        """A figure, with so many more decimals than usual."""
        return figure(self.value(base), self.decimals + more)

    def difference_figure(self, base: float, *, more: int = 0) -> str:
        """The figure of a difference."""
        return figure(self.difference(base), self.decimals + more)

    def limit_text(self, base: float) -> str:
        """A limit, without decimals that say nothing."""
        value = round(self.value(base), 6)
        return figure(value, 0 if float(value).is_integer() else max(self.decimals, 1))


def base_shown(quantity: Quantity) -> DisplayUnit:
    """A quantity in its base unit."""
    return DisplayUnit(quantity, quantity.base)

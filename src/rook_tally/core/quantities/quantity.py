"""Quantities: what can be measured, and what is known about each before any sensor is seen.

The table itself is in `registry`; this module says what a row holds and finds rows.
"""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.levels import NO_LIMITS, Limits
from rook_tally.core.quantities.unit import Unit, unit_named


class QuantityScale(enum.Enum):
    """The sort of a quantity's values: a number on a scale, or one of two states (0 and 1)."""

    NUMBER = "number"
    STATE = "state"


class Where(enum.Enum):
    """Where a quantity's default limits mean something."""

    INDOORS = "indoors"
    ANYWHERE = "anywhere"


class Quantity(msgspec.Struct, frozen=True):
    """One row of the registry. All numbers are in the base unit, `units[0]`.

    Attributes
    ----------
    slug : str
        Lower-case name in files, commands and messages.
    name : str
        As shown.
    units : tuple of Unit
        Base unit first, then the others it may be shown in.
    accuracy : float
        What an ordinary sensor of it can tell, ±.
    believable : (float, float)
        Readings outside are kept as suspect.
    decimals : int
        Shown in the base unit.
    zero_possible : bool
        Whether an exact zero can be a true reading.
    limits : Limits
        Where levels 1–4 begin unless somebody says otherwise.
    limits_source : str
        Whose limits these are; empty without limits.
    limits_hold : Where
    scale : Scale
    short : str
        As shown over a column, when the name is too long for one.
    is_slow : bool
        Cannot jump and be back within one reading: such a jump is a fault.
    never_still : bool
        Always moves a little: the same value for hours is a fault.
    averaging : Averaging
        How its readings average, over time and over places.
    true_zero : bool
        Zero means that there is none of it; only then has a ratio of two values a meaning.
    """

    slug: str
    name: str
    units: tuple[Unit, ...]
    accuracy: float
    believable: tuple[float, float]
    decimals: int
    zero_possible: bool = True
    limits: Limits = NO_LIMITS
    limits_source: str = ""
    limits_hold: Where = Where.ANYWHERE
    scale: QuantityScale = QuantityScale.NUMBER
    short: str = ""
    is_slow: bool = False
    never_still: bool = False
    averaging: Averaging = Averaging.ARITHMETIC
    true_zero: bool = True

    @property
    def heading(self) -> str:
        """The name where there is little room."""
        return self.short or self.name

    @property
    def base(self) -> Unit:
        """The unit its values are stored in."""
        return self.units[0]

    def unit(self, name: str) -> Unit | None:
        """The unit of this quantity that goes by a name; None when it has none such."""
        return unit_named(name, self.base.dimension)

    def is_believable(self, value: float) -> bool:
        """True if a value in the base unit lies in the believable range, ends included."""
        low, high = self.believable
        return low <= value <= high

    def default_limits(self, *, indoors: bool) -> Limits:
        """The limits that hold at such a place unless somebody set others."""
        return self.limits if self.holds_at(indoors=indoors) else NO_LIMITS

    def holds_at(self, *, indoors: bool) -> bool:
        """True if its limits mean anything at such a place."""
        return indoors or self.limits_hold is not Where.INDOORS

"""The definition of a working: its formula or score, where it is made, its limits."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.unit import Dimension, Unit


class Placement(enum.Enum):
    """Where a working is made."""

    ONCE = "once"
    EACH_PLACE = "each place"


class Aggregation(enum.Enum):
    """A way to combine a score's inputs."""

    WEIGHTED = "weighted"
    WORST = "worst of"


class ScoreInput(msgspec.Struct, frozen=True, kw_only=True):
    """One input of a score.

    `points` are (reading, score) pairs that rise, the reading in the unit its formula is kept in.
    """

    name: str
    formula: str
    points: tuple[tuple[float, float], ...]
    weight: float


class Score(msgspec.Struct, frozen=True, kw_only=True):
    """A 0–100 score out of several inputs; with less than `least` of the weight nothing is said.

    `variant_of` names the score that this is another way of.
    """

    inputs: tuple[ScoreInput, ...]
    way: Aggregation = Aggregation.WEIGHTED
    least: float = 0.5
    variant_of: str = ""


class Working(msgspec.Struct, frozen=True, kw_only=True):
    """A working: `formula` or `score`, one of them.

    Attributes
    ----------
    slug : str
        What other formulas call it.
    made : Made
    place : str
        Made once: where its series stands; empty for the place of its first series.
    group : str
        Made for each place: of which group; empty for all.
    limits : Limits or None
    decimals : int or None
        None for what its unit usually has.
    """

    slug: str
    name: str
    formula: str = ""
    score: Score | None = None
    made: Placement = Placement.ONCE
    place: str = ""
    group: str = ""
    limits: Limits | None = None
    decimals: int | None = None


class KeptUnit(msgspec.Struct, frozen=True):
    """A unit as it is written down with a result."""

    symbol: str
    dimension: Dimension
    factor: float
    offset: float


class Result(msgspec.Struct, frozen=True, kw_only=True):
    """The result of a working, as it is saved with its series.

    The first unit is the one it is kept in; `preferred` is the symbol of the one it is shown in.
    """

    slug: str
    name: str
    units: tuple[KeptUnit, ...]
    preferred: str
    accuracy: float
    decimals: int
    is_state: bool = False
    limits: Limits | None = None

    @property
    def quantity(self) -> Quantity:
        """The quantity its series tells."""
        units = tuple(Unit(one.symbol, one.dimension, one.factor, one.offset) for one in self.units)
        return Quantity(
            self.slug,
            self.name,
            units,
            self.accuracy,
            (float("-inf"), float("inf")),
            self.decimals,
            limits=self.limits or Limits(),
            scale=QuantityScale.STATE if self.is_state else QuantityScale.NUMBER,
        )

    @property
    def unit_shown(self) -> Unit | None:
        """The unit it is shown in unless somebody picks another; None for the one it is kept in."""
        return next((one for one in self.quantity.units[1:] if one.symbol == self.preferred), None)

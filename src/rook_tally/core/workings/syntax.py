"""The parts a formula is made of. Each says where it stands and how deep it goes."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from rook_tally.core.workings.diagnostics import Place


class Operator(enum.Enum):
    """What stands between two parts."""

    PLUS = "+"
    MINUS = "-"
    TIMES = "*"
    OVER = "/"
    POWER = "^"
    LESS = "<"
    AT_MOST = "<="
    MORE = ">"
    AT_LEAST = ">="
    SAME = "="
    OTHER = "!="
    AND = "and"
    OR = "or"


COMPARISONS = frozenset(
    {
        Operator.LESS,
        Operator.AT_MOST,
        Operator.MORE,
        Operator.AT_LEAST,
        Operator.SAME,
        Operator.OTHER,
    }
)
LOGIC = frozenset({Operator.AND, Operator.OR})


@dataclass(frozen=True, slots=True)
class Number:
    """A number with its unit, which may be missing."""

    at: Place
    value: float
    unit: str


@dataclass(frozen=True, slots=True)
class Word:
    """A name by itself: an option of a formula, such as `ice`."""

    at: Place
    text: str


@dataclass(frozen=True, slots=True)
class Reference:
    """`quantity@place`, `quantity@place/station`, `…/station/field`, or `quantity@group/*`.

    `within_s` is how old its newest reading may be; None for three cadences.
    """

    at: Place
    quantity: str
    place: str
    station: str = ""
    field: str = ""
    is_group: bool = False
    within_s: float | None = None


@dataclass(frozen=True, slots=True)
class Negative:
    """− in front of a part."""

    at: Place
    part: Part


@dataclass(frozen=True, slots=True)
class Not:
    """`not` in front of a condition."""

    at: Place
    part: Part


@dataclass(frozen=True, slots=True)
class Pair:
    """Two parts with an operator between them."""

    at: Place
    operator: Operator
    left: Part
    right: Part


@dataclass(frozen=True, slots=True)
class Choice:
    """`if condition then part else part`."""

    at: Place
    condition: Part
    then: Part
    otherwise: Part


@dataclass(frozen=True, slots=True)
class Over:
    """A part over the last while, as a formula's argument: `x over 1 h`."""

    at: Place
    part: Part
    window: Number


@dataclass(frozen=True, slots=True)
class Ago:
    """What a part was a while before: `x 24 h ago`."""

    at: Place
    part: Part
    ago: Number


@dataclass(frozen=True, slots=True)
class Converted:
    """A part in a unit: `x in kPa`."""

    at: Place
    part: Part
    unit: str
    unit_at: Place


@dataclass(frozen=True, slots=True)
class Call:
    """A formula by name with its arguments."""

    at: Place
    name: str
    name_at: Place
    arguments: tuple[Part, ...]


Part = Number | Word | Reference | Negative | Not | Pair | Choice | Over | Ago | Converted | Call


def parts_of(part: Part) -> tuple[Part, ...]:
    """The parts right inside a part."""
    match part:
        case Negative() | Not() | Converted():
            return (part.part,)
        case Over():
            return (part.part, part.window)
        case Ago():
            return (part.part, part.ago)
        case Pair():
            return (part.left, part.right)
        case Choice():
            return (part.condition, part.then, part.otherwise)
        case Call():
            return part.arguments
        case _:
            return ()

"""The parts a formula is made of. Each says where it stands and how deep it goes."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from rook_tally.core.workings.diagnostics import TextRange


class Operator(enum.Enum):
    """An operator between two parts."""

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

    at: TextRange
    value: float
    unit: str


@dataclass(frozen=True, slots=True)
class OptionWord:
    """A name by itself: an option of a formula, such as `ice`."""

    at: TextRange
    text: str


@dataclass(frozen=True, slots=True)
class Reference:
    """`quantity@place`, `quantity@place/station`, `…/station/field`, or `quantity@group/*`.

    `within_s` is how old its newest reading may be; None for three cadences.
    """

    at: TextRange
    quantity: str
    place: str
    station: str = ""
    field: str = ""
    is_group: bool = False
    within_s: float | None = None


@dataclass(frozen=True, slots=True)
class Negative:
    """− in front of a part."""

    at: TextRange
    part: Part


@dataclass(frozen=True, slots=True)
class Not:
    """`not` in front of a condition."""

    at: TextRange
    part: Part


@dataclass(frozen=True, slots=True)
class BinaryPart:
    """Two parts with an operator between them."""

    at: TextRange
    operator: Operator
    left: Part
    right: Part


@dataclass(frozen=True, slots=True)
class ConditionalPart:
    """`if condition then part else part`."""

    at: TextRange
    condition: Part
    then: Part
    otherwise: Part


@dataclass(frozen=True, slots=True)
class WindowedPart:
    """A part over the last while, as a formula's argument: `x over 1 h`."""

    at: TextRange
    part: Part
    window: Number


@dataclass(frozen=True, slots=True)
class LaggedPart:
    """The value of a part a while before: `x 24 h ago`."""

    at: TextRange
    part: Part
    ago: Number


@dataclass(frozen=True, slots=True)
class Converted:
    """A part in a unit: `x in kPa`."""

    at: TextRange
    part: Part
    unit: str
    unit_at: TextRange


@dataclass(frozen=True, slots=True)
class Call:
    """A formula by name with its arguments."""

    at: TextRange
    name: str
    name_at: TextRange
    arguments: tuple[Part, ...]


Part = (
    Number
    | OptionWord
    | Reference
    | Negative
    | Not
    | BinaryPart
    | ConditionalPart
    | WindowedPart
    | LaggedPart
    | Converted
    | Call
)


def parts_of(part: Part) -> tuple[Part, ...]:
    """The parts right inside a part."""
    match part:
        case Negative() | Not() | Converted():
            return (part.part,)
        case WindowedPart():
            return (part.part, part.window)
        case LaggedPart():
            return (part.part, part.ago)
        case BinaryPart():
            return (part.left, part.right)
        case ConditionalPart():
            return (part.condition, part.then, part.otherwise)
        case Call():
            return part.arguments
        case _:
            return ()

"""Formulas over the numbers of one message: what a layout of bytes works out afterwards.

The language is that of workings, its bare names being the fields of the message; units are not
looked at, since these are the numbers as they are sent.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.layout_reading import LayoutError, LayoutReader, LayoutValue
from rook_tally.core.workings.diagnostics import FormulaError, wrong
from rook_tally.core.workings.parsing import parsed
from rook_tally.core.workings.syntax import (
    BinaryPart,
    Call,
    ConditionalPart,
    Negative,
    Not,
    Number,
    Operator,
    OptionWord,
    Part,
    parts_of,
)

HIDDEN = "_"
"""Fields whose names begin so are there for formulas alone."""
_FUNCTIONS: Mapping[str, Callable[[float], float]] = {
    "sqrt": math.sqrt,
    "abs": abs,
    "ln": math.log,
    "log10": math.log10,
    "exp": math.exp,
    "round": lambda value: math.floor(value + 0.5),
}
_OPERATORS: Mapping[Operator, Callable[[float, float], float]] = {
    Operator.PLUS: lambda a, b: a + b,
    Operator.MINUS: lambda a, b: a - b,
    Operator.TIMES: lambda a, b: a * b,
    Operator.OVER: lambda a, b: a / b,
    Operator.POWER: lambda a, b: float(a**b),
    Operator.LESS: lambda a, b: float(a < b),
    Operator.AT_MOST: lambda a, b: float(a <= b),
    Operator.MORE: lambda a, b: float(a > b),
    Operator.AT_LEAST: lambda a, b: float(a >= b),
    Operator.SAME: lambda a, b: float(a == b),
    Operator.OTHER: lambda a, b: float(a != b),
    Operator.AND: lambda a, b: float(bool(a) and bool(b)),
    Operator.OR: lambda a, b: float(bool(a) or bool(b)),
}


class MessageReader(LayoutReader):
    """Reads messages of one layout, and works out what its formulas say."""

    def __init__(self, layout: ByteLayout) -> None:
        super().__init__(layout)
        self._formulas: list[tuple[str, Part]] = []
        self._fault = ""
        try:
            self._formulas = formulas_of(layout)
        except UsageError as error:
            # Written by a program with other rules: its messages say why they are not read.
            self._fault = error.what

    def one(self, body: bytes) -> list[LayoutValue]:
        """The values of a message and of its formulas; those that have none are left out.

        Raises
        ------
        LayoutError
            As `LayoutReader.one`, and when a formula of the layout cannot be meant.
        """
        found = super().one(body)
        if self._fault:
            raise LayoutError(self._fault)
        if self._formulas:
            # Fields that are there several times are worked out with those of their own moment.
            for back_s in dict.fromkeys(one.back_s for one in found):
                values = {one.name: one.value for one in found if one.back_s == back_s}
                for name, part in self._formulas:
                    value = value_of(part, values)
                    if math.isfinite(value):
                        values[name] = value
                        found.append(LayoutValue(name, value, back_s))
        return [one for one in found if not one.name.startswith(HIDDEN)]


def formulas_of(layout: ByteLayout) -> list[tuple[str, Part]]:
    """The formulas of a layout, in their order.

    Raises
    ------
    UsageError
        When one cannot be meant: it names the formula and says where and why.
    """
    names = {one.name for one in layout.field}
    found: list[tuple[str, Part]] = []
    for one in layout.formula:
        try:
            part = parsed(one.text)
            _check(part, names)
        except FormulaError as error:
            place = one.text[error.mistake.at.start : error.mistake.at.end] or "its end"
            raise UsageError(
                f"layout: formula {one.name}: at {place}: {error.what}",
                kept="nothing was changed",
                remedy=error.mistake.suggestion or "see docs/layouts.md",
            ) from None
        found.append((one.name, part))
        names.add(one.name)
    return found


def _check(part: Part, names: set[str]) -> None:
    match part:
        case Number(unit=unit) if unit:
            raise wrong(part.at, "units are not looked at here", "write the number alone")
        case OptionWord(text=name) if name not in names:
            known = ", ".join(sorted(names))
            raise wrong(part.at, f"no field before it is called {name}", f"there are {known}")
        case Call(name=name) if name not in _FUNCTIONS or len(part.arguments) != 1:
            raise wrong(
                part.at, f"{name} is not for one number", "there are " + ", ".join(_FUNCTIONS)
            )
        case (
            Number() | OptionWord() | Call() | Negative() | Not() | BinaryPart() | ConditionalPart()
        ):
            pass
        case _:
            raise wrong(part.at, "only the numbers of the message stand here")
    for inner in parts_of(part):
        _check(inner, names)


def value_of(part: Part, values: Mapping[str, float]) -> float:
    """A formula over the numbers of a message; NaN where one is missing or nothing is reckoned."""
    try:
        return _value(part, values)
    except (ZeroDivisionError, ValueError, OverflowError, TypeError):
        # The logarithm of a negative, a power without a real value.
        return math.nan


def _value(part: Part, values: Mapping[str, float]) -> float:
    match part:
        case Number():
            return part.value
        case OptionWord():
            return values.get(part.text, math.nan)
        case Negative():
            return -_value(part.part, values)
        case Not():
            told = _value(part.part, values)
            return math.nan if math.isnan(told) else float(not told)
        case BinaryPart():
            left, right = _value(part.left, values), _value(part.right, values)
            known = not (math.isnan(left) or math.isnan(right))
            return _OPERATORS[part.operator](left, right) if known else math.nan
        case ConditionalPart():
            told = _value(part.condition, values)
            if math.isnan(told):
                return math.nan
            return _value(part.then if told else part.otherwise, values)
        case Call():
            return _FUNCTIONS[part.name](_value(part.arguments[0], values))
        case _:
            return math.nan

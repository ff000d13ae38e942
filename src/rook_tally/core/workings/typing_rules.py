"""Rules of units: what may be added, multiplied and compared, and what comes of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.workings import dimensions as measures
from rook_tally.core.workings import syntax as tree
from rook_tally.core.workings.diagnostics import wrong
from rook_tally.core.workings.dimensions import NUMBER, TIME, Measure, wording_of
from rook_tally.core.workings.evaluator import Node
from rook_tally.core.workings.function_catalogue import Parameter
from rook_tally.core.workings.syntax import Operator, Part


@dataclass(frozen=True, slots=True)
class TypedNode:
    """A part with what kind of number it is; `literal` its value when it is written out."""

    node: Node
    measure: Measure
    literal: float | None = None


def word_of(told: Part, want: Parameter) -> str:
    """The word given for an option; FormulaError for any other."""
    if isinstance(told, tree.OptionWord) and told.text in want.words:
        return told.text
    if isinstance(told, tree.Number) and f"{told.value:g}{told.unit}" in want.words:
        return f"{told.value:g}{told.unit}"
    raise wrong(told.at, f"{want.name} is one of {', '.join(want.words)}")


def given_by(gives: str, value: Measure) -> Measure:
    """The measure of a result: a unit's, or made of the value's own."""
    match gives:
        case "same":
            return value
        case "step":
            return value.step
        case "same/s":
            return value.step / TIME
        case "same·s" | "step·s":
            return value.step * TIME
        case "":
            return NUMBER
    scale = measures.scale_named(gives)
    assert scale is not None
    return scale.measure


def _in_scale(value: FloatArray, scale: measures.MeasureScale | None) -> FloatArray:
    """A coherent value in a unit; long arrays are passed through as seldom as can be."""
    if scale is None:
        return value
    value = value if scale.offset == 0.0 else value - scale.offset
    return value if scale.factor == 1.0 else value / scale.factor


def in_units(
    function: Callable[..., FloatArray],
    scales: Sequence[measures.MeasureScale | None],
    gives: measures.MeasureScale | None,
    words: dict[str, str],
) -> Callable[..., FloatArray]:
    """A formula of ours, taking and giving coherent units."""
    plain = (gives is None or (gives.factor == 1.0 and gives.offset == 0.0)) and all(
        one is None or (one.factor == 1.0 and one.offset == 0.0) for one in scales
    )
    if plain and not words:
        return function

    def called(*values: FloatArray) -> FloatArray:
        told = [_in_scale(value, scale) for value, scale in zip(values, scales, strict=True)]
        result = function(*told, **words)
        if gives is None:
            return result
        result = result if gives.factor == 1.0 else result * gives.factor
        return result if gives.offset == 0.0 else result + gives.offset

    return called


def unit_suggestion(part: Part, wanted: Measure | None, measure: Measure) -> str:
    """The unit to write where a number lacks its own."""
    if not isinstance(part, tree.Number) or part.unit:
        if wanted is not None and measure == wanted.step and wanted.is_point:
            return "a temperature is told in °C or °F, K is a step"
        return ""
    if wanted is None:
        return f"{part.value:g} has no unit"
    symbol = measures.shown_in(wanted, None).preferred.symbol
    return f"write {part.value:g} {symbol}" if symbol else ""


def _sum_measure(part: tree.BinaryPart, left: TypedNode, right: TypedNode) -> Measure:
    a, b = left.measure, right.measure
    if a.step != b.step:
        raise wrong(
            part.right.at,
            f"{wording_of(b)} cannot be added to {wording_of(a)}"
            if part.operator is Operator.PLUS
            else f"{wording_of(b)} cannot be taken from {wording_of(a)}",
            unit_suggestion(part.right, a, b) or unit_suggestion(part.left, b, a),
        )
    if part.operator is Operator.MINUS:
        if b.is_point:
            if not a.is_point:
                raise wrong(part.at, f"{wording_of(b)} cannot be taken from a step")
            return a.step
        return a
    if a.is_point and b.is_point:
        raise wrong(
            part.at,
            f"{wording_of(a)} and {wording_of(b)} have no sum",
            "mean(a, b) is the middle of both; a step of temperature is in K"
            if a == measures.TEMPERATURE
            else "mean(a, b) is the middle of both",
        )
    return a if a.is_point else b


def _product_measure(part: tree.BinaryPart, left: TypedNode, right: TypedNode) -> Measure:
    for typed, inner in ((left, part.left), (right, part.right)):
        if typed.measure.is_point:
            raise wrong(
                inner.at,
                f"{wording_of(typed.measure)} cannot be multiplied or divided",
                "take a difference first, or write in °F to convert"
                if typed.measure == measures.TEMPERATURE
                else "take a difference first",
            )
    if part.operator is Operator.TIMES:
        return left.measure * right.measure
    return left.measure / right.measure


def _power_measure(part: tree.BinaryPart, left: TypedNode, right: TypedNode) -> Measure:
    if not right.measure.is_number:
        raise wrong(part.right.at, "a power is a plain number")
    if left.measure.is_number:
        return NUMBER
    if left.measure.is_point:
        raise wrong(
            part.left.at, f"{wording_of(left.measure)} has no powers", "take a difference first"
        )
    power = right.literal
    if power is None or abs(power) > 8 or power != int(power):
        raise wrong(part.right.at, "a power of something with a unit is a small whole number")
    return left.measure.raised(Fraction(int(power)))


def chosen(condition: FloatArray, then: FloatArray, otherwise: FloatArray) -> FloatArray:
    """One or the other of two values by a condition; a gap where that is unknown."""
    return np.where(np.isnan(condition), np.nan, np.where(condition > 0.5, then, otherwise))


def _compared(function: Callable[..., FloatArray]) -> Callable[..., FloatArray]:
    def compared(a: FloatArray, b: FloatArray) -> FloatArray:
        gap = np.isnan(a) | np.isnan(b)
        return np.where(gap, np.nan, function(a, b).astype(np.float64))

    return compared


COMPARING: dict[Operator, Callable[..., FloatArray]] = {
    Operator.LESS: _compared(np.less),
    Operator.AT_MOST: _compared(np.less_equal),
    Operator.MORE: _compared(np.greater),
    Operator.AT_LEAST: _compared(np.greater_equal),
    Operator.SAME: _compared(np.equal),
    Operator.OTHER: _compared(np.not_equal),
}
RECKONING: dict[Operator, Callable[..., FloatArray]] = {
    Operator.PLUS: np.add,
    Operator.MINUS: np.subtract,
    Operator.TIMES: np.multiply,
    Operator.OVER: np.divide,
}
COMBINED: dict[Operator, Callable[[tree.BinaryPart, TypedNode, TypedNode], Measure]] = {
    Operator.PLUS: _sum_measure,
    Operator.MINUS: _sum_measure,
    Operator.TIMES: _product_measure,
    Operator.OVER: _product_measure,
    Operator.POWER: _power_measure,
}

"""Checking a formula: its series found, its units made sure of, before anything runs."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.unit import Dimension
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.workings import dimensions as measures
from rook_tally.core.workings import function_catalogue as forms
from rook_tally.core.workings import syntax as tree
from rook_tally.core.workings.alignment import Input, held_us
from rook_tally.core.workings.call_checker import Calls
from rook_tally.core.workings.diagnostics import Diagnostic, wrong
from rook_tally.core.workings.dimensions import NUMBER, TRUTH, Measure, wording_of
from rook_tally.core.workings.evaluator import (
    Constant,
    FunctionNode,
    LaggedNode,
    LatestValue,
    MissingSeries,
    Program,
)
from rook_tally.core.workings.parsing import parsed, seconds_of
from rook_tally.core.workings.symbols import SymbolTable, did_you_mean
from rook_tally.core.workings.syntax import Operator, Part
from rook_tally.core.workings.typing_rules import (
    COMBINED,
    COMPARING,
    RECKONING,
    TypedNode,
    chosen,
    unit_suggestion,
)


@dataclass(frozen=True, slots=True)
class Checked:
    """A formula that can be worked out.

    Attributes
    ----------
    program : Program
    measure : Measure
    shown : Shown
        The units its results are kept and shown in.
    series : tuple of NamedSeries
        Those it refers to, in the order it names them.
    references : the references it is made of
    notes : tuple of Mistake
        What does not stop it: references that match nothing yet.
    cadence_s : float
        How often its fastest input reports.
    """

    program: Program
    measure: Measure
    shown: measures.DisplayMeasure
    series: tuple[NamedSeries, ...]
    references: tuple[tree.Reference, ...]
    notes: tuple[Diagnostic, ...]
    cadence_s: float


def checked(text: str, names: SymbolTable) -> Checked:
    """A formula ready to be worked out.

    Raises
    ------
    FormulaError
        With the place of the mistake, what is wrong, and a suggestion.
    """
    return checked_part(parsed(text), names)


def checked_part(part: Part, names: SymbolTable) -> Checked:
    """As `checked`, for a formula that has been read."""
    checker = Checker(names)
    asked = _unit_asked(part)
    typed = checker.part(part)
    shown = measures.shown_in(typed.measure, asked)
    cadence_s = min((one.cadence_s for one in checker.series), default=60.0)
    program = Program(
        typed.node, tuple(dict.fromkeys(checker.alone)), tuple(checker.together), shown.factor
    )
    return Checked(
        program,
        typed.measure,
        shown,
        tuple(dict.fromkeys(checker.series)),
        tuple(checker.references),
        tuple(checker.notes),
        cadence_s,
    )


def _unit_asked(part: Part) -> measures.MeasureScale | None:
    """The unit a whole formula is told in: as it says, else that of the formula it calls."""
    if isinstance(part, tree.Converted):
        return measures.scale_named(part.unit)
    if isinstance(part, tree.Call):
        form = forms.MOMENTARY.get(part.name) or forms.WINDOWS.get(part.name)
        return measures.scale_named(form.gives) if form is not None and form.gives else None
    return None


@dataclass
class Checker:
    """Goes through the parts of a formula and remembers what they use."""

    names: SymbolTable
    series: list[NamedSeries] = field(default_factory=list)
    references: list[tree.Reference] = field(default_factory=list)
    notes: list[Diagnostic] = field(default_factory=list)
    alone: list[Input] = field(default_factory=list)
    together: list[tuple[Input, ...]] = field(default_factory=list)

    def part(self, part: Part) -> TypedNode:
        """A part, whatever it is."""
        match part:
            case tree.Number():
                return self._number(part)
            case tree.Reference():
                return self._reference(part)
            case tree.Negative():
                return self._negative(part)
            case tree.Not():
                typed = self._truth(part.part, "not")
                return TypedNode(FunctionNode(lambda value: 1.0 - value, (typed.node,)), TRUTH)
            case tree.BinaryPart():
                return self._pair(part)
            case tree.ConditionalPart():
                return self._choice(part)
            case tree.Converted():
                return self._converted(part)
            case tree.LaggedPart():
                inner = self.part(part.part)
                ago_us = microseconds(seconds_of(part.ago))
                return TypedNode(LaggedNode(inner.node, ago_us), inner.measure)
            case tree.Call():
                return Calls(self).called(part)
            case tree.WindowedPart():
                raise wrong(
                    part.at, "a stretch of time says nothing by itself", "as in mean(x over 1 h)"
                )
            case tree.OptionWord():
                known = [*forms.MOMENTARY, *forms.WINDOWS, *forms.TOGETHER, *forms.MATHEMATICS]
                if part.text in known:
                    raise wrong(part.at, f"{part.text} wants arguments", f"{part.text}(…)")
                if part.text in self.names.quantities:
                    raise wrong(part.at, f"{part.text} of which place?", f"{part.text}@place")
                raise wrong(
                    part.at,
                    f"nothing is called {part.text}",
                    did_you_mean(part.text, [*known, *self.names.quantities]),
                )

    def _number(self, part: tree.Number) -> TypedNode:
        if not np.isfinite(part.value):
            raise wrong(part.at, "this number is too large")
        if not part.unit:
            return TypedNode(Constant(part.value), NUMBER, part.value)
        scale = measures.scale_named(part.unit)
        if scale is None:
            raise wrong(part.at, f"no unit is called {part.unit}")
        value = scale.coherent(part.value)
        return TypedNode(Constant(value), scale.measure, value)

    def _negative(self, part: tree.Negative) -> TypedNode:
        # −5 °C is a temperature by itself, not one turned round.
        if isinstance(part.part, tree.Number):
            number = part.part
            return self._number(tree.Number(part.at, -number.value, number.unit))
        inner = self.part(part.part)
        if inner.measure.is_point or inner.measure.is_truth:
            raise wrong(part.at, f"{wording_of(inner.measure)} has no opposite")
        return TypedNode(FunctionNode(np.negative, (inner.node,)), inner.measure)

    def input(self, one: NamedSeries, reference: tree.Reference) -> Input:
        """A series as an input, remembered as one that is used."""
        self.series.append(one)
        return Input(
            one.id,
            measures.coherent_factor(one.quantity.base.dimension)
            if one.quantity.base.dimension is not Dimension.WORKED_OUT
            else self._worked_out(one.quantity, reference)[1],
            held_us(one.cadence_s, reference.within_s),
            microseconds(max_gap_s(one.cadence_s)),
        )

    def _worked_out(self, quantity: Quantity, reference: tree.Reference) -> tuple[Measure, float]:
        """Measure and factor of a quantity that is a working's result in a unit of its own."""
        scale = measures.scale_named(quantity.base.symbol)
        if scale is None:
            raise wrong(reference.at, f"{quantity.name} has a unit that cannot be reckoned with")
        return scale.measure, scale.factor

    def measure(self, reference: tree.Reference) -> Measure:
        """The measure of a reference."""
        quantity = self.names.quantity(reference)
        if quantity.scale is QuantityScale.STATE:
            return TRUTH
        if quantity.base.dimension is Dimension.WORKED_OUT:
            return self._worked_out(quantity, reference)[0]
        return measures.measure_of(quantity.base.dimension)

    def _reference(self, part: tree.Reference) -> TypedNode:
        if part.is_group:
            raise wrong(
                part.at, "a group has many values", f"as in mean({part.quantity}@{part.place}/*)"
            )
        fact = self.names.site_fact(part)
        if fact is not None:
            return self._number(tree.Number(part.at, *fact))
        self.references.append(part)
        measure = self.measure(part)
        one = self.names.one(part)
        if one is None:
            where = f"{part.place}/{part.station}" if part.station else part.place
            self.notes.append(
                Diagnostic(
                    part.at,
                    f"nothing tells {part.quantity} at {where} yet",
                    "there is a gap until something does",
                )
            )
            return TypedNode(MissingSeries(), measure)
        given = self.input(one, part)
        self.alone.append(given)
        return TypedNode(LatestValue(given, measure.is_truth), measure)

    def _truth(self, part: Part, for_what: str) -> TypedNode:
        typed = self.part(part)
        if not typed.measure.is_truth:
            raise wrong(
                part.at,
                f"{for_what} wants a yes or no, this is {wording_of(typed.measure)}",
                "compare it, as in x > 5",
            )
        return typed

    def _pair(self, part: tree.BinaryPart) -> TypedNode:
        operator = part.operator
        if operator in tree.LOGIC:
            left, right = (self._truth(one, operator.value) for one in (part.left, part.right))
            function = np.minimum if operator is Operator.AND else np.maximum
            return TypedNode(FunctionNode(function, (left.node, right.node)), TRUTH)
        left, right = self.part(part.left), self.part(part.right)
        if operator in tree.COMPARISONS:
            self._alike(part, left, right, "compared with")
            return TypedNode(FunctionNode(COMPARING[operator], (left.node, right.node)), TRUTH)
        for side, inner in ((left, part.left), (right, part.right)):
            if side.measure.is_truth:
                raise wrong(inner.at, "a yes or no is no number", "if … then … else … makes it one")
        measure = COMBINED[operator](part, left, right)
        if operator is Operator.POWER:
            return TypedNode(FunctionNode(np.power, (left.node, right.node)), measure)
        literal = None
        if left.literal is not None and right.literal is not None:
            with np.errstate(all="ignore"):
                literal = float(RECKONING[operator](np.float64(left.literal), right.literal))
        return TypedNode(
            FunctionNode(RECKONING[operator], (left.node, right.node)), measure, literal
        )

    def _alike(self, part: tree.BinaryPart, left: TypedNode, right: TypedNode, how: str) -> None:
        if left.measure == right.measure:
            return
        raise wrong(
            part.right.at,
            f"{wording_of(left.measure)} cannot be {how} {wording_of(right.measure)}",
            unit_suggestion(part.right, left.measure, right.measure)
            or unit_suggestion(part.left, right.measure, left.measure),
        )

    def _choice(self, part: tree.ConditionalPart) -> TypedNode:
        condition = self._truth(part.condition, "if")
        then, otherwise = self.part(part.then), self.part(part.otherwise)
        if then.measure != otherwise.measure:
            raise wrong(
                part.otherwise.at,
                f"after then stands {wording_of(then.measure)}, after else "
                f"{wording_of(otherwise.measure)}",
                unit_suggestion(part.otherwise, then.measure, otherwise.measure)
                or "both must be of one kind",
            )
        return TypedNode(
            FunctionNode(chosen, (condition.node, then.node, otherwise.node)), then.measure
        )

    def _converted(self, part: tree.Converted) -> TypedNode:
        inner = self.part(part.part)
        scale = measures.scale_named(part.unit)
        if scale is None:
            raise wrong(part.unit_at, f"no unit is called {part.unit}")
        if scale.measure == inner.measure or (
            scale.measure.is_point is False and inner.measure == scale.measure
        ):
            return inner
        if inner.measure.is_number and scale.symbol == "%":
            return TypedNode(
                FunctionNode(lambda value: 100.0 * value, (inner.node,)), scale.measure
            )
        suggestion = ""
        if inner.measure == scale.measure.step:
            suggestion = "a difference of temperatures is in K" if scale.symbol[0] == "°" else ""
        raise wrong(
            part.unit_at, f"{wording_of(inner.measure)} cannot be told in {part.unit}", suggestion
        )

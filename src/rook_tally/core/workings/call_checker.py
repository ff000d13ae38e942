"""Formulas called by name: of the moment, of the last while, of several series together."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Protocol

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.workings import dimensions as measures
from rook_tally.core.workings import function_catalogue as forms
from rook_tally.core.workings import syntax as tree
from rook_tally.core.workings.alignment import Input
from rook_tally.core.workings.diagnostics import Diagnostic, wrong
from rook_tally.core.workings.dimensions import NUMBER, Measure, wording_of
from rook_tally.core.workings.evaluator import AggregateNode, FunctionNode, Node, WindowNode
from rook_tally.core.workings.function_catalogue import FormulaSpec, Parameter, WindowForm
from rook_tally.core.workings.parsing import seconds_of
from rook_tally.core.workings.symbols import SymbolTable, did_you_mean
from rook_tally.core.workings.syntax import Part
from rook_tally.core.workings.typing_rules import (
    TypedNode,
    given_by,
    in_units,
    unit_suggestion,
    word_of,
)

_LONGEST_GAP_US = microseconds(max_gap_s(1.0))
_ORDINALS = ("first", "second", "third", "fourth")


class PartChecker(Protocol):
    """Checks the parts of a formula and collects the series they use."""

    names: SymbolTable
    series: list[NamedSeries]
    references: list[tree.Reference]
    notes: list[Diagnostic]
    together: list[tuple[Input, ...]]

    def part(self, part: Part) -> TypedNode:
        """A part, whatever it is."""

    def input(self, one: NamedSeries, reference: tree.Reference) -> Input:
        """A series as an input."""

    def measure(self, reference: tree.Reference) -> Measure:
        """The measure of a reference."""


class Calls:
    """Checks calls for a checker of parts."""

    def __init__(self, checker: PartChecker) -> None:
        self._checker = checker

    def called(self, part: tree.Call) -> TypedNode:
        """A formula called by name."""
        name = part.name
        if part.arguments and isinstance(part.arguments[0], tree.WindowedPart):
            return self._window(part, part.arguments[0])
        window = forms.WINDOWS.get(name)
        if window is not None and window.fixed_window_us:
            return self._windowed(part, window, window.fixed_window_us, part.arguments)
        if name in forms.TOGETHER:
            return self._together(part)
        if name == "sqrt":
            (inner,) = self._counted(part, 1)
            root = inner.measure.raised(Fraction(1, 2))
            self._no_point(part.arguments[0], inner, "has no square root")
            return TypedNode(FunctionNode(np.sqrt, (inner.node,)), root)
        if name == "abs":
            (inner,) = self._counted(part, 1)
            self._no_point(part.arguments[0], inner, "has no size; take a difference")
            return TypedNode(FunctionNode(np.abs, (inner.node,)), inner.measure)
        if name == "piecewise_score":
            return self._curve(part)
        form = forms.MOMENTARY.get(name) or forms.MATHEMATICS.get(name)
        if form is not None:
            return self._momentary(part, form)
        if window is not None:
            raise wrong(part.at, f"{name} wants a stretch of time", f"{name}(x over 1 h)")
        if name == "convert_unit":
            raise wrong(part.at, "a unit is told behind the value", "as in x in kPa")
        if name in forms.ANSWERS_ELSEWHERE:
            raise wrong(
                part.name_at,
                f"{name} gives more than one number",
                "a working is one number at a time",
            )
        known = [*forms.MOMENTARY, *forms.WINDOWS, *forms.TOGETHER, *forms.MATHEMATICS, "sqrt"]
        raise wrong(part.name_at, f"no formula is called {name}", did_you_mean(name, known))

    def _no_point(self, part: Part, typed: TypedNode, what: str) -> None:
        if typed.measure.is_point or typed.measure.is_truth:
            raise wrong(part.at, f"{wording_of(typed.measure)} {what}")

    def _counted(self, part: tree.Call, count: int) -> list[TypedNode]:
        if len(part.arguments) != count:
            raise wrong(part.at, f"{part.name} wants {count} argument{'s' * (count != 1)}")
        return [self._checker.part(one) for one in part.arguments]

    def _curve(self, part: tree.Call) -> TypedNode:
        from rook_tally.core.formulas.scoring import checked_curve, piecewise_score

        if len(part.arguments) < 5 or len(part.arguments) % 2 == 0:
            raise wrong(
                part.at,
                "piecewise_score wants a value and points on its curve",
                "as in piecewise_score(x, 400 ppm, 100, 2000 ppm, 0)",
            )
        value, *points = (self._checker.part(one) for one in part.arguments)
        for at, (point, told) in enumerate(zip(points, part.arguments[1:], strict=True)):
            wanted = value.measure if at % 2 == 0 else NUMBER
            if point.literal is None or point.measure != wanted:
                raise wrong(told.at, f"this should be {wording_of(wanted)}, written out")
        x = [point.literal or 0.0 for point in points[0::2]]
        scores = [point.literal or 0.0 for point in points[1::2]]
        try:
            checked_curve(x, scores)
        except ValueError as error:
            raise wrong(part.at, str(error)) from error
        return TypedNode(
            FunctionNode(lambda v: piecewise_score(v, x, scores), (value.node,)), NUMBER
        )

    def _momentary(self, part: tree.Call, form: FormulaSpec) -> TypedNode:
        fewest = sum(not one.is_optional for one in form.wants)
        if not fewest <= len(part.arguments) <= len(form.wants):
            names = ", ".join(one.name for one in form.wants)
            raise wrong(part.at, f"{form.name} wants {names}")
        nodes: list[Node] = []
        scales: list[measures.MeasureScale | None] = []
        words: dict[str, str] = {}
        shared: Measure | None = None
        keywords = forms.keywords_of(form.name) or ()
        for at, (want, told) in enumerate(zip(form.wants, part.arguments, strict=False)):
            if want.words:
                words[keywords[at]] = word_of(told, want)
                continue
            typed = self._checker.part(told)
            if want.unit == "same":
                shared = typed.measure if shared is None else shared
                if typed.measure != shared or shared.is_point or shared.is_truth:
                    raise self._unfit(part, at, told, typed, wording_of(shared))
                scales.append(None)
            else:
                scale = measures.scale_named(want.unit) if want.unit else None
                wanted = scale.measure if scale else NUMBER
                if typed.measure != wanted:
                    raise self._unfit(part, at, told, typed, wording_of(wanted))
                scales.append(scale)
            nodes.append(typed.node)
        gives = measures.scale_named(form.gives) if form.gives not in ("", "same") else None
        measure = (shared or NUMBER) if form.gives == "same" else gives.measure if gives else NUMBER
        function = in_units(form.function, scales, gives, words)
        return TypedNode(FunctionNode(function, tuple(nodes)), measure)

    def _unfit(
        self, part: tree.Call, at: int, told: Part, typed: TypedNode, wanted: str
    ) -> Exception:
        name = told.quantity if isinstance(told, tree.Reference) else "this"
        place = _ORDINALS[at] if at < len(_ORDINALS) else f"{at + 1}th"
        return wrong(
            told.at,
            f"{name} is {wording_of(typed.measure)}, {part.name} wants {wanted} {place}",
            unit_suggestion(told, None, typed.measure),
        )

    def _window(self, part: tree.Call, over: tree.WindowedPart) -> TypedNode:
        form = forms.WINDOWS.get(part.name)
        if form is None:
            raise wrong(
                part.name_at,
                f"{part.name} takes no stretch of time",
                did_you_mean(part.name, list(forms.WINDOWS)),
            )
        window_us = microseconds(seconds_of(over.window))
        return self._windowed(part, form, window_us, (over.part, *part.arguments[1:]))

    def _windowed(
        self, part: tree.Call, form: WindowForm, window_us: int, arguments: Sequence[Part]
    ) -> TypedNode:
        fewest = 1 + sum(not one.is_optional for one in form.wants)
        if not fewest <= len(arguments) <= 1 + len(form.wants):
            further = "".join(f", {one.name}" for one in form.wants)
            over = "" if form.fixed_window_us else " over 1 h"
            raise wrong(part.at, f"{part.name} wants x{over}{further}")
        before = len(self._checker.series)
        value = self._checker.part(arguments[0])
        gaps = [microseconds(max_gap_s(one.cadence_s)) for one in self._checker.series[before:]]
        averaging = value.measure.averaging
        if isinstance(arguments[0], tree.Reference):
            averaging = self._checker.names.quantity(arguments[0]).averaging
        if value.measure.is_truth:
            # How long something was so: yes counts 1.
            value = TypedNode(value.node, NUMBER)
        if form.value_unit:
            scale = measures.scale_named(form.value_unit)
            assert scale is not None
            if value.measure != scale.measure:
                raise self._unfit(part, 0, arguments[0], value, wording_of(scale.measure))
        constants: list[float | str] = []
        for at, (want, told) in enumerate(zip(form.wants, arguments[1:], strict=False), start=1):
            constants.append(self._constant(part, at, want, told, value.measure))
        measure = given_by(form.gives, value.measure)
        function = form.function
        return TypedNode(
            WindowNode(
                value.node,
                window_us,
                max(gaps, default=_LONGEST_GAP_US),
                (lambda windows: function(windows, *constants)),
                form.further_us,
                averaging,
            ),
            measure,
        )

    def _constant(
        self, part: tree.Call, at: int, want: Parameter, told: Part, value: Measure
    ) -> float | str:
        if want.words:
            return word_of(told, want)
        typed = self._checker.part(told)
        scale = measures.scale_named(want.unit) if want.unit not in ("", "same", "step") else None
        wanted = {"same": value, "step": value.step}.get(
            want.unit, scale.measure if scale else NUMBER
        )
        if typed.measure != wanted:
            raise self._unfit(part, at, told, typed, wording_of(wanted))
        if typed.literal is None:
            raise wrong(told.at, f"{want.name} must be written out as a number")
        if want.range is not None and not want.range[0] <= typed.literal <= want.range[1]:
            low, high = (f"{one:g} {want.unit}".rstrip() for one in want.range)
            raise wrong(told.at, f"{want.name} lies between {low} and {high}")
        return typed.literal

    def _together(self, part: tree.Call) -> TypedNode:
        arguments = part.arguments
        if len(arguments) == 1 and isinstance(arguments[0], tree.Reference):
            group = arguments[0]
            if group.is_group:
                return self._group(group, part.name)
        if part.name in ("newest", "count") or len(arguments) < 2:
            more = "" if part.name in ("newest", "count") else f" or {part.name}(x over 1 h)"
            raise wrong(
                part.at, f"{part.name} wants a group", f"as in {part.name}(co2@indoors/*){more}"
            )
        typed = [self._checker.part(one) for one in arguments]
        for one, told in zip(typed[1:], arguments[1:], strict=True):
            if one.measure != typed[0].measure or one.measure.is_truth:
                raise wrong(
                    told.at,
                    f"{wording_of(one.measure)} among {wording_of(typed[0].measure)}",
                    "all must be of one kind",
                )

        gives, function = forms.of_several(part.name, typed[0].measure.averaging)

        def of_columns(*columns: FloatArray) -> FloatArray:
            values = np.stack(np.broadcast_arrays(*columns)).reshape(len(columns), -1)
            gap = ~np.isfinite(values).all(axis=0)
            result = function(np.where(gap, 0.0, values), np.zeros(values.shape, np.int64))
            return np.where(gap, np.nan, result)

        return TypedNode(
            FunctionNode(of_columns, tuple(one.node for one in typed)),
            given_by(gives, typed[0].measure),
        )

    def _group(self, group: tree.Reference, name: str) -> TypedNode:
        self._checker.references.append(group)
        measure = self._checker.measure(group)
        averaging = self._checker.names.quantity(group).averaging
        gives, function = forms.of_several(name, averaging)
        several = self._checker.names.several(group)
        if not several:
            self._checker.notes.append(
                Diagnostic(
                    group.at,
                    f"nothing tells {group.quantity} at {group.place} yet",
                    "there is a gap until something does",
                )
            )
        members = tuple(self._checker.input(one, group) for one in several)
        if members:
            self._checker.together.append(members)
        return TypedNode(AggregateNode(members, function), given_by(gives, measure))

"""Laws of the language: units promised are units given, and a piece of history is as the whole."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rook_tally.core.alarms.conditions import judge_of
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.core.workings.checking import checked
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.dimensions import (
    NUMBER,
    Measure,
    coherent_factor,
    measure_of,
    scale_named,
)
from rook_tally.core.workings.symbols import SymbolTable
from tests.core.workings.formulas import FORMULAS, MEASURED
from tests.core.workings.sites import USUAL, pottery
from tests.examples import examples

NAMES = pottery()
SECONDS = 10_000_000


@st.composite
def arrivals(draw: st.DrawFn) -> Inputs:
    """Readings of every series at odd moments of three hours, with gaps."""
    found = {}
    for one in NAMES.series:
        steps = draw(st.lists(st.sampled_from([1, 3, 6, 7, 12, 30, 200]), max_size=40))
        at = np.cumsum(np.array([0, *steps], dtype=np.int64)) * SECONDS
        swing = draw(st.floats(0, 0.3))
        value = USUAL[one.quantity.slug] * (1 + swing * np.sin(np.arange(len(at)) + one.id))
        if one.quantity.slug == "presence":
            value = (np.arange(len(at)) // 3 % 2).astype(np.float64)
        found[one.id] = InputSamples(at, value * coherent_factor(one.quantity.base.dimension))
    return Inputs(found)


@settings(max_examples=examples(30), deadline=None)
@given(FORMULAS, arrivals())
def test_any_stretch_is_worked_out_as_the_whole_is(formula: str, inputs: Inputs) -> None:
    """What live work rests on: with readings from `reach_us` before it, a stretch comes out the
    same as from all of them."""
    program = checked(formula, NAMES).program
    times, value = program.worked_out(inputs)
    for start in times[:: max(1, len(times) // 5)].tolist():
        end = start + 10 * MINUTE_US
        part = Inputs(
            {
                series_id: InputSamples(
                    one.time_us[
                        (keep := (one.time_us >= start - program.reach_us) & (one.time_us < end))
                    ],
                    one.value[keep],
                )
                for series_id, one in inputs.heard.items()
            }
        )
        some_times, some = program.worked_out(part, start, end)
        inside = (times >= start) & (times < end)
        assert np.array_equal(some_times, times[inside])
        assert some == pytest.approx(value[inside], rel=1e-6, abs=1e-9, nan_ok=True)


@settings(max_examples=examples(30), deadline=None)
@given(st.lists(FORMULAS, min_size=2, max_size=5), arrivals())
def test_formulas_that_share_their_inputs_come_out_as_each_alone(
    formulas: list[str], inputs: Inputs
) -> None:
    """What live work rests on: one lot of inputs for every working that a reading moves."""
    programs = [checked(formula, NAMES).program for formula in formulas]
    newest = max(one.time_us[-1] for one in inputs.heard.values())
    shared = Inputs(inputs.heard)
    for start in (int(newest), int(newest) - 10 * MINUTE_US, 0):
        for program in programs:
            times, value = program.worked_out(shared, start)
            alone_times, alone = program.worked_out(Inputs(inputs.heard), start)
            assert np.array_equal(times, alone_times)
            assert np.array_equal(value, alone, equal_nan=True)


@settings(max_examples=examples(30), deadline=None)
@given(FORMULAS, arrivals())
def test_a_value_never_rests_on_what_came_after_it(formula: str, inputs: Inputs) -> None:
    program = checked(formula, NAMES).program
    times, value = program.worked_out(inputs)
    for now in times[:: max(1, len(times) // 4)].tolist():
        until_now = Inputs(
            {
                series_id: InputSamples(
                    one.time_us[one.time_us <= now], one.value[one.time_us <= now]
                )
                for series_id, one in inputs.heard.items()
            }
        )
        _, then = program.worked_out(until_now)
        assert then == pytest.approx(value[times <= now], rel=1e-6, abs=1e-9, nan_ok=True)


@settings(max_examples=examples(40), deadline=None)
@given(MEASURED, st.floats(1.05, 3.0))
def test_what_checks_evaluates_with_the_unit_promised(told: tuple[str, str], scale: float) -> None:
    """Were every unit of length, mass, time and current another one, a result would change by just
    what its measure says: the test of dimensional analysis (Bridgman 1922)."""
    formula, quantity_unit = told
    check = checked(formula, NAMES)
    scale_told = scale_named(quantity_unit)
    assert check.measure == (NUMBER if scale_told is None else scale_told.measure)
    # Of kelvin, second, metre, kilogram, ampere, and what has no other unit.
    sizes = (1.0, 1.0, scale, scale**2, scale**0.5, 1, 1, 1, 1, 1, 1)

    def grown(measure: Measure) -> float:
        powers = zip(sizes, measure.powers, strict=True)
        return float(np.prod([size ** float(power) for size, power in powers]))

    def readings(*, is_grown: bool) -> Inputs:
        at = np.arange(30) * MINUTE_US
        found = {}
        for one in NAMES.series:
            value = USUAL[one.quantity.slug] * (1 + 0.1 * np.sin(np.arange(30) + one.id))
            factor = coherent_factor(one.quantity.base.dimension)
            measure = measure_of(one.quantity.base.dimension)
            found[one.id] = InputSamples(at, value * factor * (grown(measure) if is_grown else 1.0))
        return Inputs(found)

    _, plain = check.program.worked_out(readings(is_grown=False))
    _, other = check.program.worked_out(readings(is_grown=True))
    assert other == pytest.approx(plain * grown(check.measure), rel=1e-6, nan_ok=True)


@settings(max_examples=examples(120), deadline=None)
@given(
    st.text(
        alphabet="temperatureco2humidity@yardkilnmean()+-*/^<>=., 0123456789°C%ppmhin\"'",
        max_size=60,
    )
    | st.lists(
        st.sampled_from(
            [
                "temperature@yard",
                "co2@shop",
                "mean(",
                ")",
                "+",
                "-",
                "*",
                "/",
                "over",
                "1 h",
                "3",
                "if",
                "then",
                "else",
                "in",
                "°F",
                "ago",
                "not",
                "and",
                ",",
                "humidity@here",
                "co2@indoors/*",
                "dew_point(",
                "@",
                "^",
                "<",
                "within",
                "pm25",
                "state_of_charge(",
                "%",
                "e",
            ]
        ),
        max_size=14,
    ).map(" ".join)
)
def test_any_text_is_a_formula_or_a_mistake_with_a_place(text: str) -> None:
    try:
        check = checked(text, NAMES)
    except FormulaError as error:
        mistake = error.mistake
        assert mistake.what
        assert 0 <= mistake.at.start <= mistake.at.end <= len(text) + 1
        return
    times = np.arange(5) * MINUTE_US
    _, value = check.program.worked_out(
        Inputs({one.id: InputSamples(times, np.full(5, 1.0)) for one in NAMES.series})
    )
    assert np.isfinite(value[~np.isnan(value)]).all()


@settings(max_examples=examples(30), deadline=None)
@given(FORMULAS, arrivals(), st.floats(0, 1))
def test_what_comes_later_never_changes_what_was_said(
    formula: str, inputs: Inputs, share: float
) -> None:
    program = checked(formula, NAMES).program
    times, value = program.worked_out(inputs)
    at = int(times[int(share * (len(times) - 1))])
    known = Inputs(
        {
            series_id: InputSamples(one.time_us[one.time_us <= at], one.value[one.time_us <= at])
            for series_id, one in inputs.heard.items()
        }
    )
    then_times, then = program.worked_out(known)
    before = times <= at
    assert np.array_equal(then_times, times[before])
    assert then == pytest.approx(value[before], rel=1e-9, abs=1e-12, nan_ok=True)


_EVERY_UNIT = [
    (quantity, unit)
    for quantity in QUANTITIES.values()
    for unit in quantity.units
    if scale_named(unit.symbol) is not None
    and unit.symbol not in ("1", "K", "m", "mm", "in")
    and scale_named(unit.symbol).measure == measure_of(quantity.base.dimension)
]


@given(st.sampled_from(_EVERY_UNIT), st.integers(-400, 4000), st.sampled_from([1, 10, 100]))
def test_a_unit_never_changes_a_decision(
    told: tuple[Quantity, Unit], number: int, parts: int
) -> None:
    """What reads just a limit, in whatever unit either is told, is not above it."""
    quantity, unit = told
    value = number / parts
    kept = float(unit.to_base(value))
    series = NamedSeries(1, quantity, "p", True, "s", quantity.slug, 60)
    names = SymbolTable([series], dict(QUANTITIES), (), None, ("p",))
    heard = Inputs(
        {
            1: InputSamples(
                np.array([0]), np.array([kept * coherent_factor(quantity.base.dimension)])
            )
        }
    )
    for sign, wanted in ((">", 0.0), (">=", 1.0), ("<", 0.0), ("<=", 1.0)):
        formula = f"{quantity.slug}@p {sign} {value!r} {unit.symbol}"
        program = checked(formula, names).program
        assert program.worked_out(heard)[1].tolist() == [wanted], formula
    if quantity.scale is QuantityScale.NUMBER:
        for sort in (WatchKind.ABOVE, WatchKind.BELOW):
            watch = Watch(
                slug="w", name="W", sort=sort, scope=Scope(), unit=unit.symbol, limit=value
            )
            judge = judge_of(watch, quantity, Limits(), 90.0)
            assert judge.of_axis(kept) == judge.terms.limit

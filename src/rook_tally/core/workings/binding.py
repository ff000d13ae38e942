"""Binding: a working to the series of a site, once or for each place that has what it wants."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.named_series import HERE, slug_of
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Dimension, Unit
from rook_tally.core.workings.checking import Checked, checked_part
from rook_tally.core.workings.definitions import KeptUnit, Placement, Result, Score, Working
from rook_tally.core.workings.dependencies import formulas_of, references_of
from rook_tally.core.workings.diagnostics import Diagnostic, FormulaError, TextRange, wrong
from rook_tally.core.workings.dimensions import NUMBER, shown_in
from rook_tally.core.workings.evaluator import Program
from rook_tally.core.workings.parsing import parsed
from rook_tally.core.workings.scores import ScoreProgram
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.core.workings.syntax import Part

WHOLE_SITE = "Whole site"
"""Where a working stands that belongs to no one place."""
SCORE_LIMITS = Limits(below=(70, 50, 30, 15))
"""Where a score's levels begin (ours)."""
_SCORE_ACCURACY = 1.0
# Differences of what is told with a decimal.
_STEP_DECIMALS = {"K": 1, "dB": 1}


@dataclass(frozen=True, slots=True)
class Bound:
    """A working at a place, ready to be worked out."""

    working: Working
    place: str
    program: Program | ScoreProgram
    result: Result
    cadence_s: float
    notes: tuple[Diagnostic, ...] = ()


def bound(working: Working, names: SymbolTable) -> list[Bound]:
    """A working bound to all places it can be made for.

    Raises
    ------
    FormulaError
        When it cannot be worked out anywhere, with the place of the mistake.
    """
    if working.made is Placement.ONCE:
        return [_bound_at(working, names, working.place)]
    for part in _parts(working):
        for reference in references_of(part):
            # A place without such a sensor is left out; what nothing measures is a mistake.
            names.quantity(reference)
    places = _places(working, names)
    found: list[Bound] = []
    for place in places:
        local = replace(names, here=place)
        if _has_what_it_wants(working, local):
            found.append(_bound_at(working, local, place))
    if not found:
        # Said as of any place: a mistake in it is more than a place without such a sensor.
        local = replace(names, here=places[0] if places else "")
        _bound_at(working, local, places[0] if places else "")
        where = f" of {working.group}" if working.group else ""
        raise wrong(TextRange(0, 1), f"no place{where} has what this wants")
    return found


def _places(working: Working, names: SymbolTable) -> list[str]:
    places = list(dict.fromkeys([*names.places, *(one.place for one in names.series)]))
    if not working.group:
        return places
    slug = working.group.casefold()
    for group in names.groups:
        if slug_of(group.name) == slug_of(working.group):
            theirs = {one.place for one in names.series if one.id in group.series}
            return [place for place in places if place in group.places or place in theirs]
    indoors = {one.place for one in names.series if one.indoors}
    if slug in ("indoors", "outdoors"):
        return [place for place in places if (place in indoors) == (slug == "indoors")]
    return places


def _parts(working: Working) -> list[Part]:
    return [parsed(formula) for formula in formulas_of(working)]


def _is_there(part: Part, names: SymbolTable) -> bool:
    for one in references_of(part):
        if one.place != HERE:
            continue
        try:
            there = names.several(one) if one.is_group else names.one(one)
        except FormulaError:
            return False
        if not there:
            return False
    return True


def _has_what_it_wants(working: Working, names: SymbolTable) -> bool:
    there = [_is_there(part, names) for part in _parts(working)]
    if working.score is None:
        return all(there)
    weight = sum(one.weight for one in working.score.inputs)
    heard = sum(
        one.weight for one, is_there in zip(working.score.inputs, there, strict=True) if is_there
    )
    return weight > 0 and heard / weight >= working.score.least


def _bound_at(working: Working, names: SymbolTable, place: str) -> Bound:
    if working.score is not None:
        return _bound_score(working, working.score, names, place)
    check = checked_part(parsed(working.formula), names)
    return Bound(
        working,
        place or _place_of(check),
        check.program,
        result_of(working, check),
        check.cadence_s,
        check.notes,
    )


def _place_of(check: Checked) -> str:
    for reference in check.references:
        if not reference.is_group and check.series:
            return check.series[0].place
    return WHOLE_SITE


def _bound_score(working: Working, score: Score, names: SymbolTable, place: str) -> Bound:
    if not score.inputs:
        raise wrong(TextRange(0, 1), "a score wants one input or more")
    programs: list[Program | None] = []
    cadences: list[float] = []
    places: list[str] = []
    notes: list[Diagnostic] = []
    for one in score.inputs:
        part = parsed(one.formula)
        if names.here is not None and not _is_there(part, names):
            programs.append(None)
            continue
        check = checked_part(part, names)
        programs.append(check.program)
        cadences.append(check.cadence_s)
        places += [told.place for told in check.series]
        notes += check.notes
    shown = shown_in(NUMBER, None)
    result = Result(
        slug=working.slug,
        name=working.name,
        units=_kept(shown.units),
        preferred="",
        accuracy=_SCORE_ACCURACY,
        decimals=working.decimals or 0,
        limits=working.limits or SCORE_LIMITS,
    )
    where = place or (places[0] if len(set(places)) == 1 else WHOLE_SITE)
    return Bound(
        working,
        where,
        ScoreProgram(score, tuple(programs)),
        result,
        min(cadences, default=60.0),
        tuple(notes),
    )


def _kept(units: Sequence[Unit]) -> tuple[KeptUnit, ...]:
    return tuple(KeptUnit(one.symbol, one.dimension, one.factor, one.offset) for one in units)


def result_of(working: Working, check: Checked) -> Result:
    """The series definition of a formula's result."""
    base = check.shown.units[0]
    alike = [one for one in QUANTITIES.values() if one.base.dimension is base.dimension]
    inputs = [one.quantity for one in check.series if one.quantity.base.dimension is base.dimension]
    is_known = base.dimension not in (Dimension.WORKED_OUT, Dimension.NUMBER)
    decimals = _STEP_DECIMALS.get(base.symbol, 2)
    if is_known:
        decimals = min((one.decimals for one in inputs or alike[:1]), default=2)
    accuracy = max((one.accuracy for one in inputs), default=0.0)
    if not accuracy:
        accuracy = alike[0].accuracy if is_known and alike else 10.0**-decimals
    return Result(
        slug=working.slug,
        name=working.name,
        units=_kept(check.shown.units),
        preferred=check.shown.preferred.symbol,
        accuracy=accuracy,
        decimals=decimals if working.decimals is None else working.decimals,
        is_state=check.measure.is_truth,
        limits=working.limits,
    )

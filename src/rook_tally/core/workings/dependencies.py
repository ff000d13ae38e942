"""The order in which workings can be worked out: each after those it rests on."""

from __future__ import annotations

from collections.abc import Sequence
from graphlib import CycleError, TopologicalSorter

from rook_tally.core.workings.definitions import Working
from rook_tally.core.workings.diagnostics import FormulaError, TextRange, wrong
from rook_tally.core.workings.parsing import parsed
from rook_tally.core.workings.syntax import Part, Reference, parts_of


def references_of(part: Part) -> list[Reference]:
    """The references in a formula, in the order it names them."""
    if isinstance(part, Reference):
        return [part]
    return [one for inner in parts_of(part) for one in references_of(inner)]


def formulas_of(working: Working) -> list[str]:
    """The formula of a working, or those of a score's inputs."""
    if working.score is None:
        return [working.formula]
    return [one.formula for one in working.score.inputs]


def _rests_on(working: Working) -> dict[str, Reference]:
    """The quantities a working refers to; a formula that cannot be read refers to none."""
    found: dict[str, Reference] = {}
    for formula in formulas_of(working):
        try:
            part = parsed(formula)
        except FormulaError:
            continue
        for one in references_of(part):
            found.setdefault(one.quantity, one)
    return found


def in_order(workings: Sequence[Working]) -> list[Working]:
    """Workings so that each comes after those it rests on; rings are left out."""
    by_slug = {one.slug: one for one in workings}
    graph = {
        slug: [other for other in _rests_on(one) if other in by_slug]
        for slug, one in by_slug.items()
    }
    while True:
        try:
            return [by_slug[slug] for slug in TopologicalSorter(graph).static_order()]
        except CycleError as error:
            ring = set(error.args[1])
            graph = {
                slug: [one for one in others if one not in ring]
                for slug, others in graph.items()
                if slug not in ring
            }


def checked_order(workings: Sequence[Working]) -> None:
    """Make sure that no working rests on itself.

    Raises
    ------
    FormulaError
        Naming the ring, at the reference that closes it in the last of the workings.
    """
    by_slug = {one.slug: one for one in workings}
    graph = {
        slug: [other for other in _rests_on(one) if other in by_slug]
        for slug, one in by_slug.items()
    }
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        ring = list(reversed(error.args[1]))
        last = workings[-1]
        told = " rests on ".join(by_slug[slug].name for slug in ring)
        at = TextRange(0, 1)
        for slug, reference in _rests_on(last).items():
            if slug in ring:
                at = reference.at
        raise wrong(at, f"this goes round in a ring: {told}", "take one of them out") from error

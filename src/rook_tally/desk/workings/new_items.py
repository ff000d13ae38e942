"""New formulas, scores, groups and variants; without Qt."""

from __future__ import annotations

import re
from collections.abc import Collection

import msgspec

from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, Working
from rook_tally.core.workings.templates import AIR_SCORE
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.desk.workings.texts import tr


def slug_for(name: str) -> str:
    """The slug of a working of this name."""
    slug = re.sub(r"\W+", "_", slug_of(name)).strip("_")
    return slug if slug[:1].isalpha() else f"working_{slug}".rstrip("_")


def new_group(taken: Collection[str]) -> Group:
    """A group of nothing yet, under a name that is free."""
    return Group(_free_name(tr("New group"), taken))


def new_working(sort: WorkingKind, taken: Collection[str]) -> Working:
    """A formula without a word yet, or a score of the air, under a name that is free."""
    if sort is WorkingKind.FORMULA:
        name = _free_name(tr("New working"), taken)
        return Working(slug=slug_for(name), name=name)
    name = _free_name(tr("New score"), taken)
    return Working(
        slug=slug_for(name), name=name, made=Placement.EACH_PLACE, group="indoors", score=AIR_SCORE
    )


def variant_of(base: Working, score: Score, taken: Collection[str]) -> Working:
    """The same score added up in the other way."""
    other = Aggregation.WORST if score.way is Aggregation.WEIGHTED else Aggregation.WEIGHTED
    name = _free_name(f"{base.name}, {other.value}", taken)
    return msgspec.structs.replace(
        base,
        name=name,
        slug=slug_for(name),
        score=msgspec.structs.replace(score, way=other, variant_of=score.variant_of or base.slug),
    )


def _free_name(name: str, taken: Collection[str]) -> str:
    number = 2
    free = name
    while free in taken:
        free = f"{name} {number}"
        number += 1
    return free

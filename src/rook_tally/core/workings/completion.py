"""Completion: what could stand where somebody is writing a formula."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, HERE, slug_of
from rook_tally.core.workings import function_catalogue as forms
from rook_tally.core.workings.symbols import SymbolTable

_MOST = 40


@dataclass(frozen=True, slots=True)
class Completion:
    """A text to put in place of [start, cursor), with what it stands for."""

    start: int
    text: str
    what: str


def completions(text: str, cursor: int, names: SymbolTable) -> list[Completion]:
    """Completions at the cursor, those that begin with what is written there first.

    After `@` places and groups, after a place's `/` its stations; else quantities (where told) and
    formulas.
    """
    written = re.search(r"[\w@/.:\"-]*$", text[:cursor])
    told = written[0] if written else ""
    start = cursor - len(told)
    if not told:
        return []
    if "@" in told:
        quantity, _, where = told.partition("@")
        found = list(_of_where(quantity, where, names))
        begin = start + len(quantity) + 1
        sought = where
    else:
        found, begin, sought = list(_of_names(names)), start, told
    sought = sought.casefold()
    first = [one for one in found if one[0].casefold().startswith(sought)]
    rest = [one for one in found if sought in one[0].casefold() and one not in first]
    return [
        Completion(begin, told, what)
        for told, what in [*first, *rest][:_MOST]
        if told.casefold() != sought
    ]


def _of_names(names: SymbolTable) -> Iterator[tuple[str, str]]:
    told = dict.fromkeys(one.quantity.slug for one in names.series)
    for slug in told:
        yield f"{slug}@", names.quantities[slug].name
    for name, window in forms.WINDOWS.items():
        over = "" if window.fixed_window_us else " over 1 h"
        yield f"{name}(", f"{window.what} – {name}(x{over})"
    for name, form in {**forms.MOMENTARY, **forms.MATHEMATICS}.items():
        wants = ", ".join(one.name for one in form.wants)
        yield f"{name}(", f"{form.what} – {name}({wants})"
    for name in forms.TOGETHER:
        yield f"{name}(", f"of a group – {name}(x@group/*)"
    yield "if ", "if … then … else …"


def _of_where(quantity: str, where: str, names: SymbolTable) -> Iterator[tuple[str, str]]:
    telling = [one for one in names.series if one.quantity.slug == quantity]
    place, slash, _ = where.partition("/")
    if slash:
        there = [one for one in telling if slug_of(one.place) == slug_of(place)]
        for station in dict.fromkeys(one.station for one in there):
            yield f"{place}/{station}", "station"
        yield f"{place}/*", "all of them, as in mean(…)"
        return
    if names.here is not None:
        yield HERE, "the place it is made for"
    for name in dict.fromkeys(one.place for one in telling):
        yield slug_of(name), name
    for name in (*(slug_of(group.name) for group in names.groups), *BUILT_IN_GROUPS):
        yield f"{name}/*", "group, as in mean(…)"

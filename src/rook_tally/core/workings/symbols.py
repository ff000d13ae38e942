"""Which series a reference means: names of places, stations and groups as formulas write them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from rook_tally.core.quantities.named_series import (
    BUILT_IN_GROUPS,
    EVERYWHERE,
    HERE,
    INDOORS,
    Group,
    NamedSeries,
    slug_of,
)
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.workings.diagnostics import wrong

if TYPE_CHECKING:
    from rook_tally.core.workings.syntax import Reference


SITE = "site"
SITE_FACTS = ("height", "latitude", "longitude")
"""Names a formula may use with `@site`; no quantity has one of them."""


class _Index:
    """Series by their quantity and place: a formula made for each of 300 places looks up thousands
    of names."""

    def __init__(self, series: Sequence[NamedSeries], places: Sequence[str]) -> None:
        self.series, self.places = series, places
        self.of_quantity: dict[str, list[NamedSeries]] = {}
        self.of_quantity_at: dict[tuple[str, str], list[NamedSeries]] = {}
        self.told_by: Counter[str] = Counter(one.station for one in series)
        self.place_slugs = {slug_of(one) for one in places}
        for one in series:
            slug, place = one.quantity.slug, slug_of(one.place)
            self.place_slugs.add(place)
            self.of_quantity.setdefault(slug, []).append(one)
            self.of_quantity_at.setdefault((slug, place), []).append(one)


@dataclass(frozen=True, slots=True)
class SymbolTable:
    """Everything a reference may name, in display order.

    `here` is the place a working is being made for; None for one made for the whole site.
    `site_facts` are numbers about the site itself with their units, by name, as far as somebody
    said them: `height@site`.
    """

    series: Sequence[NamedSeries]
    quantities: Mapping[str, Quantity]
    groups: Sequence[Group] = ()
    here: str | None = None
    places: Sequence[str] = field(default=())
    site_facts: Mapping[str, tuple[float, str]] = field(default_factory=dict)
    # The same for every place: `replace` hands it on.
    _index: _Index | None = field(default=None, compare=False, repr=False)

    def __post_init__(self) -> None:
        index = self._index
        if index is None or index.series is not self.series or index.places is not self.places:
            object.__setattr__(self, "_index", _Index(self.series, self.places))

    @property
    def index(self) -> _Index:
        """The series by what references say of them."""
        assert self._index is not None
        return self._index

    def site_fact(self, reference: Reference) -> tuple[float, str] | None:
        """The number about the site that a reference names; None when it names a series.

        Raises
        ------
        FormulaError
            When nobody has said it yet.
        """
        if reference.place != SITE or reference.quantity not in SITE_FACTS:
            return None
        known = self.site_facts.get(reference.quantity)
        if known is None:
            raise wrong(
                reference.at,
                f"the {reference.quantity} of the site is not known",
                "say it in the site's settings",
            )
        return known

    def quantity(self, reference: Reference) -> Quantity:
        """The quantity of a reference.

        Raises
        ------
        FormulaError
            When there is no such quantity.
        """
        known = self.quantities.get(reference.quantity)
        if known is not None:
            return known
        raise wrong(
            reference.at,
            f"nothing measures {reference.quantity}",
            _did_you_mean(reference.quantity, list(self.quantities)),
        )

    def one(self, reference: Reference) -> NamedSeries | None:
        """The series a reference names; None when there is none of it (yet).

        Raises
        ------
        FormulaError
            When there is no such place, or several series it could be.
        """
        place = self._place(reference)
        there = self.index.of_quantity_at.get((reference.quantity, place), [])
        if reference.station:
            there = [one for one in there if one.station == reference.station]
        if reference.field:
            there = [one for one in there if one.field == reference.field]
        if len(there) <= 1:
            return there[0] if there else None
        if reference.place == HERE:
            return self._of_best_station(there)
        told = dict.fromkeys(
            one.station if not reference.station else f"{one.station}/{one.field}" for one in there
        )
        if len(told) == 1:
            told = dict.fromkeys(f"{one.station}/{one.field}" for one in there)
        where = f"{reference.quantity}@{_written(reference.place)}"
        raise wrong(
            reference.at,
            f"several tell this at {there[0].place}",
            " or ".join(f"{where}/{one}" for one in list(told)[:3]),
        )

    def _of_best_station(self, there: Sequence[NamedSeries]) -> NamedSeries:
        """Of several at a place, the one whose station tells most there."""
        return max(there, key=lambda one: self.index.told_by[one.station])

    def several(self, reference: Reference) -> list[NamedSeries]:
        """The series of one quantity that a group, or a place, holds.

        Raises
        ------
        FormulaError
            When there is no such group or place.
        """
        wanted = reference.place
        if wanted == HERE or wanted.casefold() not in self._group_names():
            place = self._place(reference)
            return list(self.index.of_quantity_at.get((reference.quantity, place), []))
        told = self.index.of_quantity.get(reference.quantity, [])
        slug = wanted.casefold()
        for group in self.groups:
            if slug_of(group.name) == slug:
                places = {slug_of(place) for place in group.places}
                return [
                    one for one in told if one.id in group.series or slug_of(one.place) in places
                ]
        return [one for one in told if slug == EVERYWHERE or one.indoors == (slug == INDOORS)]

    def _group_names(self) -> list[str]:
        return [*BUILT_IN_GROUPS, *(slug_of(group.name) for group in self.groups)]

    def _place(self, reference: Reference) -> str:
        if reference.place == HERE:
            if self.here is None:
                raise wrong(
                    reference.at,
                    "there is no here: this is made for the whole site",
                    "name a place, or make it for each place",
                )
            return slug_of(self.here)
        slug = slug_of(reference.place)
        known = self.index.place_slugs
        if slug in known:
            return slug
        if slug in self._group_names():
            raise wrong(
                reference.at,
                f"{reference.place} is a group",
                f"as in mean({reference.quantity}@{_written(reference.place)}/*)",
            )
        raise wrong(
            reference.at,
            f"there is no place {reference.place}",
            _did_you_mean(slug, [*sorted(known), *self._group_names()]),
        )


def _did_you_mean(name: str, known: list[str]) -> str:
    # Late: every start of a window loads this module, and hardly one makes a mistake.
    import difflib

    alike = difflib.get_close_matches(name, known, n=3, cutoff=0.5)
    alike += [one for one in known if name and name in one and one not in alike][:2]
    return f"did you mean {' or '.join(alike)}" if alike else ""


def _written(place: str) -> str:
    return place if re.fullmatch(r"[^\W_][\w.:-]*", place) else f'"{place}"'


def did_you_mean(name: str, known: Sequence[str]) -> str:
    """Names like one that is not known, as a question; empty without any."""
    return _did_you_mean(name, list(known))

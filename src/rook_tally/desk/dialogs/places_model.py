"""The lines of the dialog of places, and what can be done to each; without Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rook_tally.desk.dialogs.texts import tr
from rook_tally.store.site import Place, Site
from rook_tally.store.site.places import as_tree

_MOST_TOLD = 6


@dataclass(frozen=True, slots=True)
class PlaceLine:
    """A place: how deep it is nested, where it is, and what stands there."""

    place: Place
    depth: int
    where: str
    stations: str


def place_lines(site: Site) -> list[PlaceLine]:
    """All places, those in a place behind it."""
    keys: dict[int, list[str]] = {}
    for one in site.stations:
        keys.setdefault(one.place.id, []).append(one.key)
    return [
        PlaceLine(
            one,
            depth,
            tr("indoors") if one.indoors else tr("outdoors"),
            _told(keys.get(one.id, [])),
        )
        for one, depth in as_tree(site.places)
    ]


def _told(keys: Sequence[str]) -> str:
    more = len(keys) - _MOST_TOLD
    told = ", ".join(keys[:_MOST_TOLD])
    return tr("{0} and {1} more", told, more) if more > 0 else told


def names_for_merging(site: Site, name: str) -> list[str]:
    """The places that a place can become part of."""
    return [one.name for one in site.places if one.name != name]


def names_around(site: Site, name: str) -> list[str]:
    """The places that a place can be put into: none of those in it."""
    by_id = {one.id: one for one in site.places}

    def is_inside(one: Place | None) -> bool:
        while one is not None:
            if one.name == name:
                return True
            one = None if one.parent_id is None else by_id.get(one.parent_id)
        return False

    return [one.name for one in site.places if not is_inside(one)]


def moved_order(site: Site, name: str, by: int) -> tuple[str, ...] | None:
    """The order of all places once one changed place with its neighbour within the same place; None
    when there is none on that side."""
    place = next((one for one in site.places if one.name == name), None)
    if place is None:
        return None
    beside = [one.name for one in site.places if one.parent_id == place.parent_id]
    to = beside.index(name) + by
    if not 0 <= to < len(beside):
        return None
    names = [one.name for one in site.places]
    here, there = names.index(name), names.index(beside[to])
    names[here], names[there] = names[there], names[here]
    return tuple(names)

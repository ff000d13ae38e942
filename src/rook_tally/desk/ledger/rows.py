"""The rows of the Ledger, and which of them stand together."""

from __future__ import annotations

import enum
from collections.abc import Mapping

import msgspec

from rook_tally.store.site import Place, Series, Site, Station


class Summary(enum.Enum):
    """A line over a group of places."""

    LOWEST = "lowest"
    MEAN = "mean"
    MEDIAN = "median"
    HIGHEST = "highest"


class GroupRow(msgspec.Struct, frozen=True):
    """A band that names a group of places; `floor` is the place they are in, if it is one."""

    title: str
    floor: str = ""


class PlaceRow(msgspec.Struct, frozen=True):
    """A place with its series by quantity slug, several when several stations tell it.

    A folded one is a floor that speaks for all its rooms: each of its cells shows the worst of
    them.
    """

    place: Place
    series: dict[str, tuple[Series, ...]]
    is_folded: bool = False


class SummaryRow(msgspec.Struct, frozen=True):
    """A line over a group: `title` stands on its first line only."""

    title: str
    summary: Summary
    places: tuple[PlaceRow, ...]


Row = GroupRow | PlaceRow | SummaryRow


class PlaceGroup(msgspec.Struct, frozen=True):
    """Rows that stand together; `floor` is the place that they are in, None for the others."""

    title: str
    rows: list[PlaceRow]
    floor: Place | None = None

    def folded(self) -> PlaceRow:
        """One row for all of them."""
        assert self.floor is not None
        series: dict[str, tuple[Series, ...]] = {}
        for row in self.rows:
            for slug, several in row.series.items():
                series[slug] = (*series.get(slug, ()), *several)
        return PlaceRow(self.floor, series, is_folded=True)


def groups_of(rows: list[PlaceRow], places: Mapping[int, Place]) -> list[PlaceGroup]:
    """Rows under the outermost place that theirs is in, as a floor or a house; those that are in
    none under indoors and outdoors."""
    floors: dict[str, list[PlaceRow]] = {}
    by_name = {one.name: one for one in places.values()}
    loose: dict[bool, list[PlaceRow]] = {True: [], False: []}
    for row in rows:
        around = row.place
        for _ in places:
            around = around if around.parent_id is None else places.get(around.parent_id, around)
        if around is row.place:
            loose[row.place.indoors].append(row)
        else:
            floors.setdefault(around.name, []).append(row)
    # What stands at the floor itself belongs to it.
    for one in (*loose[True], *loose[False]):
        if one.place.name in floors:
            floors[one.place.name].insert(0, one)
            loose[one.place.indoors].remove(one)
    return [
        *(PlaceGroup(name, several, by_name[name]) for name, several in floors.items()),
        PlaceGroup("Indoors", loose[True]),
        PlaceGroup("Outdoors", loose[False]),
    ]


def series_by_place(site: Site) -> dict[int, dict[str, list[Series]]]:
    """Series by their place's id and their quantity."""
    found: dict[int, dict[str, list[Series]]] = {}
    for one in site.series_shown:
        of_place = found.setdefault(one.station.place.id, {})
        of_place.setdefault(one.quantity.slug, []).append(one)
    return found


def stations_by_place(site: Site) -> dict[int, list[Station]]:
    """Stations by their place's id; where none stands, what is worked out speaks for the place."""
    found: dict[int, list[Station]] = {}
    for one in site.stations:
        found.setdefault(one.place.id, []).append(one)
    worked: dict[int, dict[int, Station]] = {}
    for series in site.series_shown:
        place_id = series.station.place.id
        if place_id not in found:
            worked.setdefault(place_id, {})[series.station.id] = series.station
    return found | {place_id: list(stations.values()) for place_id, stations in worked.items()}

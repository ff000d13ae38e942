"""Lays a site out as the rows and columns of the Ledger; without Qt."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

import msgspec

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import ORDER
from rook_tally.desk.data.settings import LedgerArrangement, LedgerOrder
from rook_tally.desk.ledger.ordering import cell_name, in_given_order
from rook_tally.desk.ledger.rows import (
    GroupRow,
    PlaceGroup,
    PlaceRow,
    Row,
    Summary,
    SummaryRow,
    groups_of,
    series_by_place,
    stations_by_place,
)
from rook_tally.store.site import Place, Series, Site, Station

MOST_COLUMNS, BESIDE_ALSO = 8, 6
"""So many quantities are columns; of more the first six are, and the rest stand in the last cell
of their rows."""


class LedgerLayout(msgspec.Struct, frozen=True):
    """Rows and columns of a site.

    `also` are the quantities that few places tell: they are named in the last cell of their rows,
    so that nothing is out of sight. `stations` are those that the head of a place speaks for, by
    the place's id; `where` has row and column of every series that is shown, by its id.
    """

    rows: list[Row] = []
    columns: list[Quantity] = []
    also: list[Quantity] = []
    stations: dict[int, list[Station]] = {}
    where: dict[int, tuple[int, int]] = {}


def lay_out(
    site: Site,
    arrangement: LedgerArrangement,
    groups: Sequence[Group],
    worst_of: Callable[[PlaceRow], Level],
) -> LedgerLayout:
    """Lay a site out as a person arranged it; `worst_of` says what a place is ordered by when the
    worst stand first."""
    columns, also = _columns(site, arrangement)
    stations = stations_by_place(site)
    places = _place_rows(site, arrangement, stations)
    rows: list[Row] = []
    for group in _groups(site, arrangement, places, worst_of):
        if group.floor is not None and group.floor.name in arrangement.folded:
            rows.append(group.folded())
            # Its head speaks for all its stations.
            stations[group.floor.id] = [
                station for row in group.rows for station in stations.get(row.place.id, [])
            ]
        elif group.rows:
            rows.append(GroupRow(group.title, group.floor.name if group.floor else ""))
            rows.extend(group.rows)
    rows.extend(_summary_rows(arrangement, groups, places))
    return LedgerLayout(rows, columns, also, stations, _positions(rows, columns, also))


def _columns(site: Site, arrangement: LedgerArrangement) -> tuple[list[Quantity], list[Quantity]]:
    """The quantities that are columns, and those of the last cells."""
    told_by = Counter(
        slug for _, slug in {(one.station.place.id, one.quantity.slug) for one in site.series_shown}
    )
    quantities = {one.quantity.slug: one.quantity for one in site.series_shown}
    # What many places share stands first, so that rows can be compared.
    # What is worked out follows what is measured; on and off say enough beside a name.
    ranked = sorted(
        quantities.values(),
        key=lambda one: (
            one.slug not in ORDER,
            one.scale is QuantityScale.STATE,
            -told_by[one.slug],
            ORDER.get(one.slug, len(ORDER)),
        ),
    )
    shown = [
        one
        for one in in_given_order(ranked, [one.slug for one in ranked], arrangement.quantities)
        if one.slug not in arrangement.hidden_quantities
    ]
    if len(shown) > MOST_COLUMNS:
        return shown[:BESIDE_ALSO], shown[BESIDE_ALSO:]
    return shown, []


def _place_rows(
    site: Site, arrangement: LedgerArrangement, stations: dict[int, list[Station]]
) -> list[PlaceRow]:
    """The rows of the places that are not hidden, in a person's order."""
    known = in_given_order(site.places, [one.name for one in site.places], arrangement.places)
    by_place = series_by_place(site)
    return [
        _place_row(one, by_place.get(one.id, {}), arrangement)
        for one in known
        # A floor stands over its rooms; where nothing is there is nothing to be seen.
        if one.name not in arrangement.hidden_places and one.id in stations
    ]


def _place_row(
    place: Place, found: dict[str, list[Series]], arrangement: LedgerArrangement
) -> PlaceRow:
    """A place's row; in each cell the series of the station that a person picked stands first, the
    others after it."""
    series = {}
    for slug, several in found.items():
        picked = arrangement.stations.get(cell_name(place.name, slug))
        at = next((at for at, one in enumerate(several) if one.station.key == picked), 0)
        series[slug] = (*several[at:], *several[:at])
    return PlaceRow(place, series)


def _groups(
    site: Site,
    arrangement: LedgerArrangement,
    places: list[PlaceRow],
    worst_of: Callable[[PlaceRow], Level],
) -> list[PlaceGroup]:
    if arrangement.order is LedgerOrder.WORST_FIRST:
        # Places of one level keep their order.
        return [PlaceGroup("Worst first", sorted(places, key=worst_of, reverse=True))]
    return groups_of(places, {one.id: one for one in site.places})


def _summary_rows(
    arrangement: LedgerArrangement, groups: Sequence[Group], places: list[PlaceRow]
) -> list[SummaryRow]:
    """The lines over the group that was picked, else over all that is indoors."""
    picked = next((one for one in groups if one.name == arrangement.group), None)
    if picked is None:
        title, members = "All indoors", [row for row in places if row.place.indoors]
    else:
        title = picked.name
        members = [row for row in places if row.place.name in picked.places]
    if len(members) < 2:
        return []
    return [
        SummaryRow(title if at == 0 else "", summary, tuple(members))
        for at, summary in enumerate(Summary)
    ]


def _positions(
    rows: list[Row], columns: list[Quantity], also: list[Quantity]
) -> dict[int, tuple[int, int]]:
    positions = {one.slug: at for at, one in enumerate(columns)}
    positions |= {one.slug: len(columns) for one in also}
    return {
        series.id: (at, positions[slug])
        for at, row in enumerate(rows)
        if isinstance(row, PlaceRow)
        for slug, several in row.series.items()
        if slug in positions
        for series in several
    }

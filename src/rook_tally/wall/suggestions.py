"""Sheets and panes that fit a site by themselves: what matters now, and how to show a series."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import WHOLE, Area, tiled
from rook_tally.core.workings.definitions import Working
from rook_tally.store.readings import Latest
from rook_tally.store.site import Series, Site
from rook_tally.wall.pane_resolver import reference_to
from rook_tally.wall.texts import tr

# Where each pane stands when all six are there: the worst large, what runs and what rings below.
_PLACES = {
    PaneKind.SCORE: Area(0, 0, 8, 8),
    PaneKind.RIBBON: Area(8, 0, 16, 5),
    PaneKind.COLUMNS: Area(8, 5, 16, 3),
    PaneKind.DIAL: Area(0, 8, 8, 4),
    PaneKind.LAMPS: Area(8, 8, 9, 4),
    PaneKind.STANDING: Area(17, 8, 7, 4),
}
_MOST_COLUMNS, _MOST_LAMPS = 8, 6


def score_slugs(several: Sequence[Working]) -> frozenset[str]:
    """Slugs of the quantities of scores; another way of adding the same up is none."""
    return frozenset(
        one.slug for one in several if one.score is not None and not one.score.variant_of
    )


def what_matters_now(
    site: Site, latest: dict[int, Latest], scores: Collection[str], *, name: str, slug: str
) -> WallSheet:
    """A sheet of what is worst, what is shared by most places, what runs and what stands."""
    panes = tuple(_panes(site, latest, scores))
    if {one.kind for one in panes} == set(_PLACES):
        areas = tuple(_PLACES[one.kind] for one in panes)
    else:
        areas = tiled([float(_PLACES[one.kind].size) for one in panes])
    return WallSheet(slug=slug, name=name, panes=panes).with_areas(areas)


def _panes(site: Site, latest: dict[int, Latest], scores: Collection[str]) -> Iterator[Pane]:
    """The panes in the order they are laid out, each at no place yet."""

    def level(one: Series) -> Level:
        reading = latest.get(one.id)
        is_good = reading is not None and reading.quality == 0
        return (
            one.limits.at(reading.time_us).level_of(reading.value)
            if reading and is_good
            else Level.SETTLED
        )

    def pane(kind: PaneKind, *several: Series) -> Pane:
        shows = tuple(reference_to(one, site) for one in several)
        return Pane(kind=kind, at=WHOLE[:2], size=WHOLE[2:], shows=shows)

    heard = [one for one in site.series if one.id in latest]
    scored = [one for one in heard if one.quantity.slug in scores]
    if scored:
        yield pane(PaneKind.SCORE, min(scored, key=lambda one: latest[one.id].value))
    measured = [
        one
        for one in heard
        if not one.station.is_worked_out and one.quantity.scale is QuantityScale.NUMBER
    ]
    ranked = sorted(measured, key=lambda one: -level(one))
    if ranked:
        outside = [
            one
            for one in measured
            if one.quantity.slug == ranked[0].quantity.slug
            and not one.station.place.indoors
            and one is not ranked[0]
        ]
        yield pane(PaneKind.RIBBON, ranked[0], *outside[:1])
    shared = _most_shared(measured)
    if len(shared) > 2:
        yield pane(PaneKind.COLUMNS, *shared[:_MOST_COLUMNS])
    dialled = [
        one
        for one in ranked[1:]
        if one.limits.nearest(0.0) is not None
        and one.station.place.id != ranked[0].station.place.id
    ]
    if dialled:
        yield pane(PaneKind.DIAL, dialled[0])
    switches = [one for one in heard if one.quantity.scale is QuantityScale.STATE]
    if switches:
        yield pane(PaneKind.LAMPS, *switches[:_MOST_LAMPS])
    yield pane(PaneKind.STANDING)


def _most_shared(measured: Sequence[Series]) -> list[Series]:
    """The quantity most places tell, one series a place."""
    told = {(one.quantity.slug, one.station.place.id): one for one in reversed(measured)}
    counts = Counter(slug for slug, _ in told)
    if not counts:
        return []
    most = max(counts, key=lambda slug: counts[slug])
    mine = {one.id for (slug, _), one in told.items() if slug == most}
    return [one for one in measured if one.id in mine]


def kinds_for(one: Series, site: Site, scores: Collection[str]) -> tuple[PaneKind, ...]:
    """Kinds of panes that can show a series, the fitting one first."""
    rest = [
        PaneKind.FIGURE,
        PaneKind.RIBBON,
        PaneKind.DIAL,
        PaneKind.DAY,
        PaneKind.COLUMNS,
        PaneKind.TABLE,
        PaneKind.LAMPS,
    ]
    if one.quantity.slug in scores:
        first = [PaneKind.SCORE]
    elif one.quantity.scale is QuantityScale.STATE:
        first = [PaneKind.LAMPS, PaneKind.RIBBON]
        rest = [PaneKind.TABLE]
    elif one.quantity.base.symbol == "%" and one.limits.nearest(0.0) is not None:
        first = [PaneKind.DIAL]
    else:
        first = [PaneKind.FIGURE]
    return tuple(dict.fromkeys([*first, *rest]))


def pane_title(kind: PaneKind) -> str:
    """Name of a kind of pane where one is picked."""
    return tr(kind.value.capitalize())

"""The list of the Workings view: what each is called, where it is made, what it comes to."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.workings.queries import WorkingsListing
from rook_tally.desk.workings.texts import tr

_MOST_PLACES, _MOST_VALUES = 3, 3


class WorkingKind(enum.Enum):
    """A kind of row in the list."""

    SCORE = "Scores"
    FORMULA = "Formulas"
    GROUP = "Groups"


class WorkingRow(msgspec.Struct, frozen=True):
    """A line of the list: `key` is a working's slug or a group's name."""

    sort: WorkingKind
    key: str
    title: str
    where: str
    value: str


def rows_of(listing: WorkingsListing, state: SiteState) -> list[WorkingRow]:
    """Scores first, then formulas, then groups."""
    found = []
    for sort in (WorkingKind.SCORE, WorkingKind.FORMULA):
        for one in listing.workings:
            if (one.score is not None) == (sort is WorkingKind.SCORE):
                found.append(WorkingRow(sort, one.slug, one.name, *_told_of(one, listing, state)))
    for group in listing.groups:
        count = len(group.places) + len(group.series)
        where = ", ".join(group.places[:_MOST_PLACES]) or tr("{0} series", len(group.series))
        found.append(WorkingRow(WorkingKind.GROUP, group.name, group.name, where, str(count)))
    return found


def _told_of(working: Working, listing: WorkingsListing, state: SiteState) -> tuple[str, str]:
    """Where a working is made, and what it comes to now."""
    given = listing.series.get(working.slug, ())
    by_id = {one.id: one for one in state.site.series}
    latest = state.latest
    values = [
        by_id[series_id].shown.text(latest[series_id].value)
        for _, series_id in given
        if series_id in latest and series_id in by_id
    ]
    progress = listing.progress.get(working.slug)
    if progress is not None:
        where = tr("worked out again, {0:.0f} %", 100 * progress)
    elif working.made is Placement.EACH_PLACE:
        where = (
            tr("each place {0}: {1}", working.group, len(given))
            if working.group
            else tr("wherever it can be: {0}", len(given))
        )
    else:
        where = given[0][0] if given else tr("nowhere yet")
    if len(values) == 1 and given and given[0][1] in by_id:
        return where, f"{values[0]} {by_id[given[0][1]].shown.symbol}".strip()
    more = " …" if len(values) > _MOST_VALUES else ""
    return where, " · ".join(values[:_MOST_VALUES]) + more


def uses_in_words(listing: WorkingsListing, working: Working) -> str:
    """Where a working is used."""
    told = list(listing.uses.get(working.slug, ()))
    places = [place for place, _ in listing.series.get(working.slug, ())]
    parts = []
    if places:
        parts.append(tr("on the Ledger at {0}", ", ".join(places)))
    if told:
        parts.append(tr("in {0}", ", ".join(told)))
    return tr("Used {0}.", "; ".join(parts)) if parts else tr("Not used anywhere yet.")

"""The lines of the Bench's list; without Qt."""

from __future__ import annotations

import msgspec

from rook_tally.bench.events import EventKind, source_from
from rook_tally.bench.find import FoundAnswer
from rook_tally.bench.wording import short_names
from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import figure
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.data.site_state import SiteState
from rook_tally.store.site import Series


class BenchRow(msgspec.Struct, frozen=True):
    """A line of the list: under which heading, its two lines, its figure; None for what found."""

    heading: str
    title: str
    where: str
    figure: str
    item: BenchItem | None
    is_kept: bool = True


def heading_of(item: BenchItem) -> str:
    """Under which heading an item stands."""
    match item:
        case PairItem():
            return tr("Side by side")
        case SensorItem():
            return tr("Reference points")
        case EventItem():
            return tr("What happens when")
        case UsualItem():
            return tr("Usual and not")
        case AirItem():
            return tr("Air")


def found_row(told: FoundAnswer | None) -> BenchRow:
    """The line of what moves together; None while nobody looked."""
    words = tr("of all series, and strays")
    told_figure = tr("Look")
    if told is not None:
        told_figure = figure(len(told.pairs) + len(told.strays), 0)
    return BenchRow(tr("Side by side"), tr("What moves together"), words, told_figure, None)


def row_of(
    item: BenchItem, several: tuple[Series, ...], told: str, state: SiteState, *, is_kept: bool
) -> BenchRow:
    """The line of an item that is about several series; `told` is its figure."""
    heading = heading_of(item)
    match item:
        case PairItem():
            one = several[0]
            title = f"{one.station.place.name} {one.quantity.name}"
            return BenchRow(heading, title, ", ".join(short_names(several)), told, item, is_kept)
        case EventItem():
            return BenchRow(heading, *event_words(item.source, state), told, item, is_kept)
        case AirItem():
            # A rate is long: beside it the line would lose what it is the rate of.
            one = several[0]
            words = f"{one.quantity.name} · {one.station.key}"
            return BenchRow(heading, one.station.place.name, words, told, item, is_kept)
        case SensorItem() | UsualItem():
            one = several[0]
            title = f"{one.station.place.name} {one.quantity.name}"
            return BenchRow(heading, title, one.station.key, told, item, is_kept)


def event_words(text: str, state: SiteState) -> tuple[str, str]:
    """Title and second line of an event, as commands say it."""
    try:
        source = source_from(text)
    except UsageError:
        return text, ""
    if source.kind in (EventKind.PIN, EventKind.SPAN):
        return source.name, tr("pinned") if source.kind is EventKind.PIN else tr("span")
    if source.kind is EventKind.ALARM:
        return source.name, tr("alarm")
    slug, _, where = source.name.partition("@")
    place, _, station = where.partition("/")
    series = next(
        (
            one
            for one in state.site.series
            if one.quantity.slug == slug and station in ("", one.station.key)
        ),
        None,
    )
    name = f"{series.station.place.name} {series.quantity.name}" if series else source.name
    word = {
        EventKind.ON: tr("goes on"),
        EventKind.OFF: tr("goes off"),
        EventKind.ABOVE: tr("above {0}", f"{source.level:g}" if source.level is not None else ""),
        EventKind.BELOW: tr("below {0}", f"{source.level:g}" if source.level is not None else ""),
    }[source.kind]
    return name, f"{word} · {station or place}"

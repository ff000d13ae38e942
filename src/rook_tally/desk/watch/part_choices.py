"""The choices for a part of a watch's sentence, each with the watch it would make."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from msgspec.structs import replace

from rook_tally.core.alarms.definitions import Guard, RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.edits import in_unit
from rook_tally.core.alarms.sentences import Part, guard_words, run_words, scope_words, span_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.desk.watch.queries import WatchListing
from rook_tally.desk.watch.texts import tr

KIND_WORDS = {
    WatchKind.ABOVE: "stays above a limit",
    WatchKind.BELOW: "stays below a limit",
    WatchKind.OUTSIDE: "is outside a range",
    WatchKind.RISING: "rises faster than",
    WatchKind.FALLING: "falls faster than",
    WatchKind.TIMES_USUAL: "is so many times its usual level",
    WatchKind.UNUSUAL: "is so many spreads from its usual level",
    WatchKind.LEVEL: "reaches a level",
    WatchKind.SO: "is so",
    WatchKind.SILENT: "says nothing",
    WatchKind.DUE: "is due for calibration",
}
_WINDOW_S = 3600.0


@dataclass(frozen=True, slots=True)
class PartChoice:
    """Words, the watch that choosing them makes, and whether it is so already."""

    words: str
    watch: Watch
    is_chosen: bool = False


def choices_of(watch: Watch, part: Part, listing: WatchListing) -> list[PartChoice]:
    """The choices of a part; none for one that is typed."""
    by_part = {
        Part.QUANTITY: _quantities,
        Part.SCOPE: _scopes,
        Part.SORT: _sorts,
        Part.GUARD: _guards,
        Part.LEVEL: _levels,
        Part.TELL: _tells,
        Part.CONTROL: _controls,
        Part.ESCALATE_TO: _others,
        Part.REMARKS: _remarks,
    }
    if part is Part.LIMIT and watch.sort is WatchKind.LEVEL:
        return [
            PartChoice(tr(level.wording), replace(watch, limit=float(level)), watch.limit == level)
            for level in list(Level)[1:]
        ]
    made = by_part.get(part)
    return [] if made is None else list(made(watch, listing))


def quantity_of(watch: Watch, listing: WatchListing) -> Quantity | None:
    """The quantity of a watch; None for what is not there."""
    return next(
        (one.quantity for one in listing.series if one.quantity.slug == watch.scope.quantity), None
    )


def _quantities(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    seen: dict[str, Quantity] = {}
    for one in listing.series:
        seen.setdefault(one.quantity.slug, one.quantity)
    for slug, quantity in sorted(seen.items(), key=lambda pair: pair[1].name):
        is_chosen = slug == watch.scope.quantity
        yield PartChoice(
            tr(quantity.name), watch if is_chosen else _about(watch, quantity, listing), is_chosen
        )


def _about(watch: Watch, quantity: Quantity, listing: WatchListing) -> Watch:
    """The watch about another quantity: at its place if that tells it, with limits that fit."""
    places = [
        one.station.place.name for one in listing.series if one.quantity.slug == quantity.slug
    ]
    place = watch.scope.place if watch.scope.place in places else places[0]
    scope = Scope(
        quantity=quantity.slug, place="" if watch.scope.group else place, group=watch.scope.group
    )
    is_state = quantity.scale is QuantityScale.STATE
    sort = (
        WatchKind.SO if is_state else WatchKind.ABOVE if watch.sort is WatchKind.SO else watch.sort
    )
    shown = next(one.shown for one in listing.series if one.quantity.slug == quantity.slug)
    about = replace(
        watch,
        scope=scope,
        sort=sort,
        unit=quantity.base.symbol,
        clear=None,
        limit=first_limit(quantity),
        low=0.0,
    )
    return in_unit(about, quantity, shown.symbol)


def first_limit(quantity: Quantity) -> float:
    """A limit to begin with: where it is raised, else the middle of what is believable."""
    raised = quantity.limits.above[1]
    if raised is not None:
        return raised
    low, high = quantity.believable
    return round((low + high) / 2, quantity.decimals) if abs(low) + abs(high) < 1e12 else 0.0


def _scopes(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    if watch.sort is WatchKind.SILENT:
        for key in dict.fromkeys(
            one.station.key for one in listing.series if not one.station.is_worked_out
        ):
            yield PartChoice(
                key, replace(watch, scope=Scope(station=key)), watch.scope.station == key
            )
        return
    quantity = watch.scope.quantity
    mine = [one for one in listing.series if one.quantity.slug == quantity]
    for name in dict.fromkeys(one.station.place.name for one in mine):
        there = [one for one in mine if one.station.place.name == name]
        scopes = [Scope(quantity=quantity, place=name)]
        if len(there) > 1:
            scopes += [
                Scope(quantity=quantity, place=name, station=one.station.key) for one in there
            ]
        for scope in scopes:
            yield PartChoice(scope_words(scope), replace(watch, scope=scope), watch.scope == scope)
    for group in ("indoors", "outdoors", "everywhere", *(one.name for one in listing.groups)):
        scope = Scope(quantity=quantity, group=group)
        yield PartChoice(scope_words(scope), replace(watch, scope=scope), watch.scope == scope)


def _sorts(watch: Watch, _listing: WatchListing) -> Iterator[PartChoice]:
    for sort, words in KIND_WORDS.items():
        made = replace(watch, sort=sort)
        if sort.looks_back and not watch.window_s:
            made = replace(made, window_s=_WINDOW_S)
        if sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
            made = replace(made, limit=3.0, clear=None)
        if sort is WatchKind.UNUSUAL:
            made = replace(made, min_spread=made.min_spread or 1.0)
        if sort is WatchKind.LEVEL:
            made = replace(made, limit=float(Level.HIGH), clear=None)
        if sort is WatchKind.SILENT:
            made = replace(
                made, silent_s=watch.silent_s or 1800.0, guards=(), hours=None, remark_s=None
            )
        if sort is WatchKind.DUE:
            made = replace(made, clear=None, guards=(), hours=None, remark_s=None)
        if sort is WatchKind.OUTSIDE:
            made = replace(made, low=min(watch.low, watch.limit - 1), clear=None)
        if sort is WatchKind.BELOW or (
            sort is WatchKind.ABOVE and watch.sort is not WatchKind.ABOVE
        ):
            made = replace(made, clear=None)
        yield PartChoice(tr(words), made, sort is watch.sort)


def _guards(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    yield PartChoice(tr("no other condition"), replace(watch, guards=()), not watch.guards)
    for one in listing.series:
        if one.quantity.scale is not QuantityScale.STATE:
            continue
        for is_below in (False, True):
            scope = Scope(quantity=one.quantity.slug, place=one.station.place.name)
            guard = Guard(scope=scope, is_below=is_below)
            yield PartChoice(
                guard_words(guard, one.quantity.name),
                replace(watch, guards=(guard,)),
                watch.guards == (guard,),
            )


def _levels(watch: Watch, _listing: WatchListing) -> Iterator[PartChoice]:
    for level in Level:
        words = tr(level.wording) if level else tr("from its limits")
        yield PartChoice(words, replace(watch, level=level), level is watch.level)


def _tells(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    for name in [one.name for one in listing.ways]:
        is_told = name in watch.tell
        tell = tuple(one for one in watch.tell if one != name) if is_told else (*watch.tell, name)
        yield PartChoice(name, replace(watch, tell=tell), is_told)


def _others(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    for name in [one.name for one in listing.ways]:
        known = watch.escalate_to
        others = tuple(one for one in known if one != name) if name in known else (*known, name)
        yield PartChoice(name, replace(watch, escalate_to=others), name in known)


def _remarks(watch: Watch, _listing: WatchListing) -> Iterator[PartChoice]:
    yield PartChoice(
        tr("whatever is remarked"), replace(watch, remark_s=None), watch.remark_s is None
    )
    for length_s in (600.0, 1800.0, 3600.0, 4 * 3600.0):
        words = tr("not within {0} of a remark", span_words(length_s))
        yield PartChoice(words, replace(watch, remark_s=length_s), watch.remark_s == length_s)


def _controls(watch: Watch, listing: WatchListing) -> Iterator[PartChoice]:
    yield PartChoice(tr("nothing"), replace(watch, run=None), watch.run is None)
    for station, control, _title in listing.controls:
        kept = watch.run
        is_chosen = kept is not None and (kept.station, kept.control) == (station, control)
        run = kept if is_chosen else RunControl(station=station, control=control)
        assert run is not None
        yield PartChoice(run_words(run), replace(watch, run=run), is_chosen)

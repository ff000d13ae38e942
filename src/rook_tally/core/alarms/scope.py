"""Which series a watch is about, and which of them guard it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import msgspec
from msgspec.structs import replace

from rook_tally.core.alarms.conditions import Condition, judge_of
from rook_tally.core.alarms.definitions import Guard, Scope, Watch, WatchKind
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, Group, NamedSeries, slug_of
from rook_tally.core.series.gaps import max_gap_s


@dataclass(frozen=True, slots=True)
class BoundGuard:
    """A guard with the series it looks at: on while `sign`·value is over `sign`·limit."""

    series: NamedSeries
    limit: float
    is_below: bool
    settle_s: float
    max_age_s: float


class WatchedSeries(msgspec.Struct, frozen=True):
    """A watch at one series, ready to judge it."""

    watch: Watch
    series: NamedSeries
    limits: Limits
    judge: Condition
    guards: tuple[BoundGuard, ...]

    def is_in_force(self, now_us: int) -> bool:
        """True unless its watch is off, or its station is under maintenance."""
        return self.watch.is_on and not self._is_maintained(now_us)

    def _is_maintained(self, now_us: int) -> bool:
        span = self.series.maintenance_us
        return span is not None and span[0] <= now_us < span[1]

    @property
    def gap_s(self) -> float:
        """The longest distance between two readings without a gap, s."""
        return self.judge.terms.max_gap_s


def series_in(
    scope: Scope, series: Iterable[NamedSeries], groups: Sequence[Group]
) -> list[NamedSeries]:
    """The series a scope means; UsageError for a group that is not there."""
    found = [
        one
        for one in series
        if scope.quantity in ("", one.quantity.slug)
        and scope.station in ("", one.station)
        and scope.field in ("", one.field)
        and (not scope.place or slug_of(one.place) == slug_of(scope.place))
    ]
    if not scope.group:
        return found
    slug = slug_of(scope.group)
    for group in groups:
        if slug_of(group.name) == slug:
            places = {slug_of(place) for place in group.places}
            return [one for one in found if one.id in group.series or slug_of(one.place) in places]
    if slug not in BUILT_IN_GROUPS:
        raise UsageError(
            f"there is no group {scope.group}",
            remedy=f"name one of {', '.join([*(one.name for one in groups), *BUILT_IN_GROUPS])}",
        )
    return [one for one in found if slug == "everywhere" or one.indoors == (slug == "indoors")]


def targets_of(
    watch: Watch,
    series: Sequence[NamedSeries],
    groups: Sequence[Group],
    limits: dict[int, Limits] | None = None,
) -> list[WatchedSeries]:
    """A watch at every series it is about; none when nothing (or nothing any more) is like that.

    Raises
    ------
    UsageError
        When it cannot be meant: no such unit, a clearing limit beyond the limit.
    """
    mine = series_in(watch.scope, series, groups)
    if watch.sort is WatchKind.SILENT:
        mine = _one_a_station(mine)
    known = limits or {}
    found = []
    for one in mine:
        if one.is_worked_out and watch.sort.is_by_time:
            continue
        theirs = known.get(one.id, one.quantity.default_limits(indoors=one.indoors))
        found.append(
            WatchedSeries(
                watch,
                one,
                theirs,
                judge_of(watch, one.quantity, theirs, max_gap_s(one.cadence_s)),
                tuple(_bound(guard, one, series, groups) for guard in watch.guards),
            )
        )
    return found


def _one_a_station(series: Sequence[NamedSeries]) -> list[NamedSeries]:
    """The first series of each station: it is the station that is silent."""
    found: dict[str, NamedSeries] = {}
    for one in series:
        found.setdefault(one.station, one)
    return list(found.values())


def _bound(
    guard: Guard, watched: NamedSeries, series: Sequence[NamedSeries], groups: Sequence[Group]
) -> BoundGuard:
    scope = guard.scope
    if not scope.place and not scope.station and not scope.group:
        scope = _at_place(scope, watched.place)
    there = series_in(scope, series, groups)
    if not there:
        raise UsageError(
            f"nothing tells {scope.quantity or 'that'} at {scope.place or 'that place'}",
            remedy="choose another guard, or leave it out",
        )
    one = there[0]
    unit = one.quantity.unit(guard.unit) if guard.unit else one.quantity.base
    if unit is None:
        raise UsageError(f"{guard.unit} is no unit of {one.quantity.name}")
    return BoundGuard(
        one, unit.to_base(guard.limit), guard.is_below, guard.settle_s, max_gap_s(one.cadence_s)
    )


def _at_place(scope: Scope, place: str) -> Scope:
    return Scope(quantity=scope.quantity, place=place, station=scope.station, field=scope.field)


def at_limit(target: WatchedSeries, limit: float, clear: float | None) -> WatchedSeries:
    """The same watch with other limits, in the base unit; for trying them out."""
    terms = replace(target.judge.terms, limit=limit, clear_limit=clear)
    return replace(target, judge=replace(target.judge, terms=terms))

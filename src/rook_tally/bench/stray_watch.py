"""A stray made watchable: its group without it, how far it is off, a watch on both sides."""

from __future__ import annotations

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.bench.find import StraySeries
from rook_tally.bench.naming import reference_of
from rook_tally.bench.texts import tr
from rook_tally.bench.wording import long_name
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import save_watch
from rook_tally.store.site import load_site
from rook_tally.store.workings import groups, save_group, save_working, workings

_SPREADS = 4.0
_FOR_S = 6 * 3600.0


class StrayWatch(msgspec.Struct, frozen=True):
    """What was written down: the group, the working and the watch, by their names."""

    group: str
    working: str
    watch: Watch


def watch_stray(connection: Connection, stray: StraySeries, *, now_us: int) -> StrayWatch:
    """Watch whether a series leaves (or comes back to) the median of its group.

    Raises
    ------
    UsageError
        When it is watched so already; nothing was written then.
    """
    one = stray.series
    others = tuple(each.id for each in stray.group if each.id != one.id)
    slug = slug_of(f"{one.station.key} {one.quantity.slug} off").replace("-", "_")
    if any(known.slug == slug for known in workings(connection)):
        raise UsageError(
            tr("{0} is watched so already", long_name(one)),
            kept=tr("nothing was changed"),
            remedy=tr("see the Watch view"),
        )
    name = f"{one.quantity.name} beside {one.station.key}"
    if all(known.name != name for known in groups(connection)):
        save_group(connection, Group(name, series=others))
    formula = f"{reference_of(one)} - median({one.quantity.slug}@{slug_of(name)}/*)"
    save_working(
        connection,
        Working(slug=slug, name=tr("{0} off its group", long_name(one)), formula=formula),
    )
    spread = abs(stray.now - stray.usual) / stray.spreads
    away = max(_SPREADS * spread, one.quantity.accuracy)
    made = next((each for each in load_site(connection).series if each.quantity.slug == slug), None)
    watch = Watch(
        slug=slug_of(f"{one.station.key} {one.quantity.slug} off"),
        name=tr("{0} has left its group", long_name(one)),
        sort=WatchKind.OUTSIDE,
        scope=Scope(quantity=slug),
        low=round(stray.usual - away, 6),
        limit=round(stray.usual + away, 6),
        unit="" if made is None else made.quantity.base.symbol,
        for_s=_FOR_S,
    )
    save_watch(connection, watch, now_us=now_us)
    return StrayWatch(name, slug, watch)

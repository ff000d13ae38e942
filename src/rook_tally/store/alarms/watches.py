"""Watches and ways of telling as they are kept."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import BUILT_IN, Channel, checked_way
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.store.alarms.records import drop_alarms
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.site import Site
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.workings.binding import bound_workings, named
from rook_tally.store.workings.stored_workings import groups

if TYPE_CHECKING:
    from rook_tally.core.alarms.scope import WatchedSeries

# Made once: msgspec falls over when two threads are the first to decode a type.
_WATCH_DECODER = msgspec.json.Decoder(Watch)
_CHANNEL_DECODER = msgspec.json.Decoder(Channel)

_SHAPE = "a name of lower-case letters, digits and hyphens"


def watches(connection: Connection) -> list[Watch]:
    """All watches, in the order they were made."""
    table = schema.watch
    rows = connection.execute(sa.select(table.c.document).order_by(table.c.position, table.c.id))
    return [_WATCH_DECODER.decode(row.document) for row in rows]


def armed_since(connection: Connection) -> dict[str, int]:
    """Since when each watch has been kept as it is, by slug."""
    table = schema.watch
    return {row.slug: row.armed_us for row in connection.execute(sa.select(table))}


def all_targets(
    connection: Connection, site: Site, several: Sequence[Watch] | None = None
) -> tuple[list[WatchedSeries], dict[str, UsageError]]:
    """Every watch at every series it is about, and why others cannot be meant, by slug."""
    # Loaded late: a window shows its first picture without judging anything.
    from rook_tally.core.alarms.scope import targets_of

    series, in_groups = _as_watched(connection, site), groups(connection)
    limits = {one.id: one.limits for one in site.series}
    found: list[WatchedSeries] = []
    troubles: dict[str, UsageError] = {}
    for watch in watches(connection) if several is None else several:
        try:
            found += targets_of(watch, series, in_groups, limits)
        except UsageError as error:
            troubles[watch.slug] = error
    return found, troubles


def _as_watched(connection: Connection, site: Site) -> list[NamedSeries]:
    """The series in use as watches see them: what is worked out is under maintenance as long as a
    station that it rests on."""
    told = [named(one) for one in site.series_in_use]
    spans = {one.id: one.maintenance_us for one in told if one.maintenance_us is not None}
    if not spans:
        return told
    rests_on = [
        (series.id, one.program.series_ids) for series, one in bound_workings(connection, site)
    ]
    is_again = True
    while is_again:
        # Once more for those that rest on others; none rests on itself.
        is_again = False
        for series_id, inputs in rests_on:
            longest = max(
                (spans[one] for one in inputs if one in spans),
                key=lambda span: span[1],
                default=None,
            )
            if longest is not None and spans.get(series_id) != longest:
                spans[series_id] = longest
                is_again = True
    return [replace(one, maintenance_us=spans.get(one.id)) for one in told]


def save_watch(
    connection: Connection,
    watch: Watch,
    *,
    now_us: int,
    instead_of: str = "",
    site: Site | None = None,
) -> Watch | None:
    """Write a watch down, in place of the one with its slug or of `instead_of`; returns that one.
    Whoever writes many gives the site as it is.

    What its alarms know is forgotten when it rings otherwise than before.

    Raises
    ------
    UsageError
        When it cannot be meant, its name is taken, or another watch runs its control.
    """
    if not watch.slug or watch.slug != watch.slug.lower() or not _is_plain(watch.slug):
        raise UsageError(f"{watch.slug!r} cannot be a watch's name", remedy=f"choose {_SHAPE}")
    table = schema.watch
    known = watches(connection)
    replaced = instead_of or watch.slug
    before = next((one for one in known if one.slug == replaced), None)
    others = [one for one in known if one.slug != replaced]
    if any(one.slug == watch.slug for one in others):
        raise UsageError(f"there is a watch {watch.slug} already", remedy="choose another name")
    site = site or load_site(connection)
    _check_run(watch, others, site)
    _check_ways(watch, [one.name for one in ways(connection)])
    _, troubles = all_targets(connection, site, [watch])
    if watch.slug in troubles:
        raise troubles[watch.slug]
    document = msgspec.json.encode(watch).decode()
    values = {"slug": watch.slug, "document": document}
    if before is None:
        position = max([0, *connection.execute(sa.select(table.c.position)).scalars()]) + 1
        connection.execute(sa.insert(table).values(position=position, armed_us=now_us, **values))
    else:
        if _rings_otherwise(before, watch):
            values["armed_us"] = now_us  # type: ignore[assignment]
            drop_alarms(connection, before.slug)
        connection.execute(sa.update(table).where(table.c.slug == replaced).values(**values))
    note_change(connection, Subject.WATCHES)
    return before


def _is_plain(slug: str) -> bool:
    return all(letter.isalnum() or letter == "-" for letter in slug)


def _rings_otherwise(before: Watch, after: Watch) -> bool:
    telling = {"name", "tell", "repeat_s", "escalate_s", "escalate_to", "run", "is_on"}
    return any(
        getattr(before, name) != getattr(after, name)
        for name in Watch.__struct_fields__
        if name not in telling
    )


def _check_run(watch: Watch, others: Sequence[Watch], site: Site) -> None:
    run = watch.run
    if run is None:
        return
    station = site.station(run.station)
    control = None if station is None else station.kind.control(run.control)
    if station is None or control is None:
        raise UsageError(
            f"{watch.name}: there is no control {run.control} at a station {run.station}",
            remedy="see the station's page for what it can be told",
        )
    control.value_from(run.on)
    control.value_from(run.off)
    for one in others:
        if one.run is not None and (one.run.station, one.run.control) == (run.station, run.control):
            raise UsageError(
                f"{one.name} runs {run.control} of {run.station} already: two watches would fight "
                "over it",
                kept="nothing was changed",
                remedy=f"let {watch.name} only tell, or take the control from {one.name}",
            )
    if not 0 <= run.at_least_s <= run.at_most_s:
        raise UsageError(f"{watch.name}: the least time a control runs is over the longest")


def _check_ways(watch: Watch, known: Sequence[str]) -> None:
    for name in (*watch.tell, *watch.escalate_to):
        if name not in known:
            raise UsageError(
                f"{watch.name}: there is no way of telling {name!r}",
                remedy=f"choose of {', '.join(known)}, or set it up first",
            )


def remove_watch(connection: Connection, slug: str) -> Watch:
    """Take a watch away with its alarms; the journal stays. Returns it, so that it can come back.

    Raises
    ------
    UsageError
        When there is none such.
    """
    found = next((one for one in watches(connection) if one.slug == slug), None)
    if found is None:
        raise UsageError(f"there is no watch {slug}", remedy="see rook-tally watch list")
    connection.execute(sa.delete(schema.watch).where(schema.watch.c.slug == slug))
    drop_alarms(connection, slug)
    note_change(connection, Subject.WATCHES)
    return found


def ways(connection: Connection) -> list[Channel]:
    """All ways of telling: those every site has, as they were changed, then the others by name."""
    rows = connection.execute(sa.select(schema.way).order_by(schema.way.c.name))
    kept = {row.name: _CHANNEL_DECODER.decode(row.document) for row in rows}
    built_in = [kept.pop(one.name, one) for one in BUILT_IN]
    return [*built_in, *kept.values()]


def save_channel(connection: Connection, way: Channel) -> None:
    """Write a way of telling down; UsageError when it cannot be gone."""
    way = checked_way(way)
    table = schema.way
    connection.execute(sa.delete(table).where(table.c.name == way.name))
    document = msgspec.json.encode(way).decode()
    connection.execute(sa.insert(table).values(name=way.name, document=document))
    note_change(connection, Subject.WATCHES)


def remove_channel(connection: Connection, name: str) -> None:
    """Take a way of telling away; UsageError while a watch uses it, or when there is none such."""
    users = [one.name for one in watches(connection) if name in (*one.tell, *one.escalate_to)]
    if users:
        raise UsageError(
            f"{name} is used by {', '.join(users)}",
            kept="it was left as it is",
            remedy="let them tell somebody else first",
        )
    if not connection.execute(sa.delete(schema.way).where(schema.way.c.name == name)).rowcount:
        raise UsageError(f"there is no way of telling {name}", remedy="see rook-tally way list")
    note_change(connection, Subject.WATCHES)

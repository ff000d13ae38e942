"""Stations that are called otherwise, taken out of use, or removed; each can be taken back."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import timedelta

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.errors import UsageError
from rook_tally.core.struct_types import prepare
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.configuration import check_key_is_free
from rook_tally.store.site.door_settings import (
    FolderSetting,
    PollSetting,
    SerialSetting,
    change_door,
    door_settings,
)
from rook_tally.store.site.place_names import rewrite_texts, rewrite_watches
from rook_tally.store.site.site import REMOVED_FIELD_KIND, Site, Station

KEPT_REMOVED = timedelta(days=30)
"""For so long a station that was removed can be had back, with all its readings."""
_KEPT = "the station stays as it was"
_LONGEST_US = 366 * DAY_US
_OF_STATION = (SerialSetting, PollSetting, FolderSetting)
_OF_PLACE = r'(@(?:"[^"]*"|[^\W_][\w.:-]*)/)'


def any_station(site: Site, key: str) -> Station:
    """The station of that key, in use or not.

    Raises
    ------
    UsageError
        When there is none.
    """
    found = next((one for one in (*site.stations, *site.retired) if one.key == key), None)
    if found is None:
        known = ", ".join(one.key for one in (*site.stations, *site.retired)) or "none yet"
        raise UsageError(f"there is no station {key!r}", remedy=f"known: {known}")
    return found


def rename_station(connection: Connection, station: Station, key: str) -> None:
    """Let a station go by another key, wherever it is named. What still comes under the old one is
    its own, until that is dropped.

    Raises
    ------
    UsageError
        When the key is taken, or cannot be one.
    """
    alias = schema.station_alias
    if key != station.key:
        # Its own former name may be its name again.
        own = sa.delete(alias).where(alias.c.name == key, alias.c.station_id == station.id)
        connection.execute(own)
        check_key_is_free(connection, key)
        connection.execute(sa.insert(alias).values(name=station.key, station_id=station.id))
        name_station(connection, station, key)


def name_station(connection: Connection, station: Station, key: str) -> None:
    """Write a free key to a station, and to all that names it."""
    table = schema.station
    connection.execute(sa.update(table).where(table.c.id == station.id).values(key=key))
    old = station.key

    def name(told: str) -> str:
        return key if told == old else told

    rewrite_watches(connection, lambda one: _watch(one, name))
    # As in co2@shop/shop-shelf.
    named = re.compile(_OF_PLACE + re.escape(old) + r"(?![\w.:-])")
    rewrite_texts(connection, lambda text: named.sub(lambda found: found[1] + key, text))
    for door in door_settings(connection):
        settings = door.settings
        if isinstance(settings, _OF_STATION) and settings.station == old:
            change_door(connection, door.number, msgspec.structs.replace(settings, station=key))
    run, request = schema.run, schema.request
    connection.execute(sa.update(run).where(run.c.station == old).values(station=key))
    connection.execute(sa.update(request).where(request.c.station == old).values(station=key))
    note_change(connection, Subject.SITE)
    note_change(connection, Subject.WATCHES)


def drop_alias(connection: Connection, name: str) -> None:
    """Know a station no more by a name it had before.

    Raises
    ------
    UsageError
        When no station had it.
    """
    alias = schema.station_alias
    if not connection.execute(sa.delete(alias).where(alias.c.name == name)).rowcount:
        raise UsageError(f"no station went by {name}", remedy="see rook-tally station show")
    note_change(connection, Subject.SITE)


def retire_station(connection: Connection, station: Station, *, now_us: int) -> None:
    """Expect nothing of a station any more: it is never late, no watch looks at it, and what it
    still sends is kept as a stray. Its readings stay."""
    _set(connection, station.id, retired_us=now_us)


def put_into_use(connection: Connection, station: Station) -> None:
    """Expect readings of a station again."""
    _set(connection, station.id, retired_us=None)


def maintain_station(connection: Connection, station: Station, *, from_us: int, to_us: int) -> None:
    """Expect nothing of a station until a moment: it is not late, and no watch rings for it. What
    it sends is kept. One that is under maintenance stays so from when it was.

    Raises
    ------
    UsageError
        When that moment lies behind, or more than a year ahead.
    """
    if not from_us < to_us <= from_us + _LONGEST_US:
        raise UsageError(
            "maintenance needs an end to come, within a year",
            kept=_KEPT,
            remedy="take a station out of use that will not come back sooner",
        )
    begin = station.maintenance_from_us if station.is_maintained(from_us) else from_us
    _set(connection, station.id, maintenance_from_us=begin, maintenance_to_us=to_us)


def end_maintenance(connection: Connection, station: Station, *, now_us: int) -> None:
    """Expect readings of a station again.

    Raises
    ------
    UsageError
        When it is not under maintenance.
    """
    if not station.is_maintained(now_us):
        raise UsageError(f"{station.key} is not under maintenance", kept=_KEPT)
    _set(connection, station.id, maintenance_to_us=now_us)


def remove_station(connection: Connection, station: Station, *, now_us: int) -> None:
    """Remove a station with its readings. It can be had back for `KEPT_REMOVED`, then it goes.

    Raises
    ------
    UsageError
        When something names it.
    """
    table = schema.watch
    documents = connection.execute(sa.select(table.c.document)).scalars()
    watches = [msgspec.json.decode(one, type=Watch) for one in documents]
    users = [one.name for one in watches if station.key in _named_by(one)]
    if users:
        raise UsageError(
            f"{station.key} is named by the watches {', '.join(users[:5])}",
            kept=_KEPT,
            remedy="change or delete these first",
        )
    alias = schema.station_alias
    connection.execute(sa.delete(alias).where(alias.c.station_id == station.id))
    # Others may have its key meanwhile.
    key = f"{station.key} removed {now_us // SECOND_US}"
    _set(connection, station.id, removed_us=now_us, key=key)


def removed_stations(connection: Connection) -> dict[str, int]:
    """Stations that can be had back: by the key they had, when they were removed; of several with
    one key the last."""
    table = schema.station.c
    rows = connection.execute(
        sa.select(table.key, table.removed_us)
        .where(table.removed_us.is_not(None), table.kind != REMOVED_FIELD_KIND)
        .order_by(table.removed_us)
    )
    return {row.key.partition(" ")[0]: row.removed_us for row in rows}


def restore_station(connection: Connection, key: str) -> None:
    """Have a station back that was removed.

    Raises
    ------
    UsageError
        When there is none, or another has its key by now.
    """
    table = schema.station
    rows = connection.execute(
        sa.select(table.c.id, table.c.key)
        .where(table.c.removed_us.is_not(None), table.c.kind != REMOVED_FIELD_KIND)
        .order_by(table.c.removed_us.desc())
    )
    found = next((row.id for row in rows if row.key.partition(" ")[0] == key), None)
    if found is None:
        raise UsageError(
            f"no station {key} was removed in the last {KEPT_REMOVED.days} days",
            remedy="see rook-tally station list --removed",
        )
    check_key_is_free(connection, key)
    _set(connection, found, removed_us=None, key=key)


def _set(connection: Connection, station_id: int, **values: int | str | None) -> None:
    table = schema.station
    connection.execute(sa.update(table).where(table.c.id == station_id).values(**values))
    for subject in (Subject.SITE, Subject.WATCHES, Subject.WORKINGS):
        note_change(connection, subject)


def _named_by(watch: Watch) -> set[str]:
    guards = {one.scope.station for one in watch.guards}
    return {watch.scope.station, *guards, *([] if watch.run is None else [watch.run.station])}


def _watch(one: Watch, name: Callable[[str], str]) -> Watch:
    replace = msgspec.structs.replace
    return replace(
        one,
        scope=replace(one.scope, station=name(one.scope.station)),
        guards=tuple(
            replace(each, scope=replace(each.scope, station=name(each.scope.station)))
            for each in one.guards
        ),
        run=None if one.run is None else replace(one.run, station=name(one.run.station)),
    )


prepare(Watch)

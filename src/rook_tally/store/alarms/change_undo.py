"""Changes of the configuration taken back, with what follows from it for alarms."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.alarms.records import drop_alarms
from rook_tally.store.base import schema
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.field_meaning import Meaning, follow_meaning, meaning_of
from rook_tally.store.readings.removal import drop_if_empty
from rook_tally.store.site.change_history import change_of, write_down
from rook_tally.store.site.row_changes import RowChange, check_they_stand, put_back, recording
from rook_tally.store.site.site import REMOVED_FIELD_KIND, WORKED_KIND
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.workings.binding import bind_workings, end_series


def take_changes_back(connection: Connection, changes: tuple[RowChange, ...]) -> None:
    """Take recorded changes back. What a watch's alarms know is forgotten when it rings otherwise
    than before, as when it is saved.

    Raises
    ------
    UsageError
        When somebody has built upon them; nothing is written then.
    """
    check_they_stand(connection, changes)
    for change in changes:
        if change.before is None:
            _clear_the_way(connection, change)
    meant = _meanings(connection, changes)
    put_back(connection, changes)
    for number, meaning in meant.items():
        follow_meaning(connection, number, meaning)
    bind_workings(connection)
    for one in changes:
        # A watch is armed anew whenever its terms change.
        if one.table == schema.watch.name and "armed_us" in {
            **(one.before or {}),
            **(one.after or {}),
        }:
            drop_alarms(connection, one.name)
        if one.table == schema.correction.name:
            told = {**(one.before or {}), **(one.after or {})}
            series_id, from_us = told.get("series_id"), told.get("from_us")
            if isinstance(series_id, int) and isinstance(from_us, int):
                note_past_changed(connection, series_id, from_us)


def _meanings(connection: Connection, changes: tuple[RowChange, ...]) -> dict[int, Meaning]:
    """What the series mean now of which that is taken back, by their ids."""
    ids = {
        int(one.key)
        for one in changes
        if one.table == schema.series.name
        and one.before is not None
        and one.after is not None
        and one.before.keys() & {"quantity", "unit", "document"}
    }
    if not ids:
        return {}
    return {one.id: meaning_of(one) for one in load_site(connection).series if one.id in ids}


def _clear_the_way(connection: Connection, begun: RowChange) -> None:
    """End what the collector began upon a row that goes: what was worked out, series that have
    nothing in them."""
    worked, station, series = schema.worked.c, schema.station.c, schema.series.c
    if begun.table == schema.working.name:
        ending = sa.select(worked.series_id).where(worked.working_id == begun.key)
    elif begun.table == schema.place.name:
        ending = (
            sa.select(series.id)
            .join(schema.station, station.id == series.station_id)
            .where(station.place_id == begun.key, station.kind == WORKED_KIND)
        )
    elif begun.table == schema.station.name:
        if (begun.after or {}).get("kind") == REMOVED_FIELD_KIND:
            # The field goes back to its station, also when nothing is in it.
            return
        for number in connection.execute(
            sa.select(series.id).where(series.station_id == begun.key)
        ).scalars():
            drop_if_empty(connection, number)
        return
    else:
        return
    for number in connection.execute(ending).scalars().all():
        end_series(connection, number)


def undo_change(connection: Connection, number: int, *, who: str, now_us: int) -> int:
    """Take a change back, and write that down as one; returns its number.

    Raises
    ------
    UsageError
        When there is no such change, it was taken back before, or somebody has built upon it.
    """
    table = schema.configuration_change
    row = connection.execute(sa.select(table).where(table.c.id == number)).first()
    if row is None:
        raise UsageError(f"there is no change {number}", remedy="`rook-tally changes` lists them")
    if row.undone_by is not None:
        raise UsageError(f"change {number} was taken back already", kept="nothing was changed")
    with recording(connection) as made:
        take_changes_back(connection, change_of(row).changes)
    undone_by = write_down(connection, made.changes, who=who, now_us=now_us)
    connection.execute(sa.update(table).where(table.c.id == number).values(undone_by=undone_by))
    return undone_by

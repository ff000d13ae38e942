"""Changes of the configuration taken back, with what follows from it for alarms."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.alarms.records import drop_alarms
from rook_tally.store.base import schema
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.site.change_history import change_of, write_down
from rook_tally.store.site.row_changes import RowChange, put_back, recording


def take_changes_back(connection: Connection, changes: tuple[RowChange, ...]) -> None:
    """Take recorded changes back. What a watch's alarms know is forgotten when it rings otherwise
    than before, as when it is saved.

    Raises
    ------
    UsageError
        When somebody has built upon them; nothing is written then.
    """
    put_back(connection, changes)
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

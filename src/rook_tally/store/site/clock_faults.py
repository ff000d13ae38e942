"""Clock faults: stations whose clock is steadily ahead or behind."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


class ClockFault(msgspec.Struct, frozen=True):
    """Offset of a station's clock, s (ahead positive), and since when we know."""

    ahead_s: float
    since_us: int


def report_clocks(connection: Connection, ahead_s: Mapping[int, float], *, now_us: int) -> None:
    """Enter how far clocks are ahead by station id; 0 takes a fault away."""
    known = clock_faults(connection) if ahead_s else {}
    table = schema.clock_fault
    told = False
    for station_id, ahead in ahead_s.items():
        before = known.get(station_id)
        if before is None and not ahead:
            continue
        told = True
        connection.execute(sa.delete(table).where(table.c.station_id == station_id))
        if ahead:
            since_us = now_us if before is None else before.since_us
            connection.execute(
                sa.insert(table).values(station_id=station_id, ahead_s=ahead, since_us=since_us)
            )
    if told:
        note_change(connection, Subject.DOORS)


def clock_faults(connection: Connection) -> dict[int, ClockFault]:
    """Faults that stand, by station id."""
    return {
        row.station_id: ClockFault(row.ahead_s, row.since_us)
        for row in connection.execute(sa.select(schema.clock_fault))
    }

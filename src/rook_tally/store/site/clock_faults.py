"""Clock faults: stations whose clock is steadily ahead or behind."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import executed, fetched

# Written out: a station that sends what it stored moves away with every message.
_INSERT = "INSERT INTO clock_fault (station_id, ahead_s, since_us) VALUES (?, ?, ?)"


class ClockFault(msgspec.Struct, frozen=True):
    """Offset of a station's clock, s (ahead positive), and since when we know."""

    ahead_s: float
    since_us: int


def report_clocks(connection: Connection, ahead_s: Mapping[int, float], *, now_us: int) -> None:
    """Enter how far clocks are ahead by station id; 0 takes a fault away."""
    known = clock_faults(connection) if ahead_s else {}
    told = False
    for station_id, ahead in ahead_s.items():
        before = known.get(station_id)
        if before is None and not ahead:
            continue
        told = True
        executed(connection, "DELETE FROM clock_fault WHERE station_id = ?", (station_id,))
        if ahead:
            since_us = now_us if before is None else before.since_us
            executed(connection, _INSERT, (station_id, ahead, since_us))
    if told:
        note_change(connection, Subject.DOORS)


def clock_faults(connection: Connection) -> dict[int, ClockFault]:
    """Faults that stand, by station id."""
    rows = fetched(connection, "SELECT station_id, ahead_s, since_us FROM clock_fault")
    return {station_id: ClockFault(ahead_s, since_us) for station_id, ahead_s, since_us in rows}

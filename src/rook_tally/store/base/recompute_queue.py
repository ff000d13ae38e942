"""Stretches of workings that are to be worked out again, because what they rest on changed."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import fetched

ALWAYS_US = 1 << 60
"""A moment after every reading."""


class RecomputeSpan(msgspec.Struct, frozen=True):
    """A stretch [from, to) of a series to be worked out again; `reached_us` is where to go on."""

    id: int
    series_id: int
    from_us: int
    to_us: int
    reached_us: int


_RESTING_ON = "SELECT series_id, reach_us FROM working_input WHERE input_id = ?"


def note_past_changed(
    connection: Connection, series_id: int, from_us: int, to_us: int = ALWAYS_US
) -> None:
    """Readings of a series in [from, to) are not what they were: what rests on them is due."""
    resting = fetched(connection, _RESTING_ON, (series_id,))
    for worked_id, reach_us in resting:
        add_due(connection, worked_id, from_us, min(ALWAYS_US, to_us + reach_us))


def refuse_workings(connection: Connection, series_id: int, done: str) -> None:
    """Make sure that a series is a sensor's: what is worked out follows its inputs.

    Raises
    ------
    UsageError
        When a working gives it.
    """
    worked = schema.worked.c.series_id
    if connection.execute(sa.select(worked).where(worked == series_id)).first() is not None:
        raise UsageError(
            f"what is worked out cannot be {done} itself",
            kept="nothing was changed",
            remedy="do that to the readings it rests on, or change its formula",
        )


def add_due(connection: Connection, series_id: int, from_us: int, to_us: int) -> None:
    """Let a stretch of a working's series be worked out again; joined to one not yet begun."""
    table = schema.due
    waiting = connection.execute(
        sa.select(table).where(
            table.c.series_id == series_id,
            table.c.reached_us == table.c.from_us,
            table.c.from_us <= to_us,
            table.c.to_us >= from_us,
        )
    ).first()
    if waiting is not None:
        begin = min(from_us, waiting.from_us)
        connection.execute(
            sa.update(table)
            .where(table.c.id == waiting.id)
            .values(from_us=begin, reached_us=begin, to_us=max(to_us, waiting.to_us))
        )
    else:
        connection.execute(
            sa.insert(table).values(
                series_id=series_id, from_us=from_us, to_us=to_us, reached_us=from_us
            )
        )
    note_change(connection, Subject.WORKINGS)


def stretches_to_work_out(connection: Connection) -> list[RecomputeSpan]:
    """Stretches to be recomputed, the oldest first."""
    table = schema.due
    return [
        RecomputeSpan(*row) for row in connection.execute(sa.select(table).order_by(table.c.id))
    ]


def note_reached(connection: Connection, due: RecomputeSpan, reached_us: int) -> None:
    """A stretch was worked out up to a moment; done when that is its end."""
    table = schema.due
    if reached_us >= due.to_us:
        connection.execute(sa.delete(table).where(table.c.id == due.id))
    else:
        connection.execute(
            sa.update(table).where(table.c.id == due.id).values(reached_us=reached_us)
        )
    note_change(connection, Subject.WORKINGS)


def drop_due(connection: Connection, series_id: int) -> None:
    """Nothing of a series is due any more: it is worked out from the beginning, or not at all."""
    connection.execute(sa.delete(schema.due).where(schema.due.c.series_id == series_id))

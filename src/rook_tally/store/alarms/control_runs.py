"""Controls that watches run: for which watch, since when, until when."""

from __future__ import annotations

import enum

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


class RunState(enum.Enum):
    """The state of a run. `OVERRIDDEN`: a person set the control; it is theirs until it clears."""

    RUNNING = "running"
    OVERRIDDEN = "overridden"
    SPENT = "spent"


class ControlRun(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A control run by a watch.

    Attributes
    ----------
    began_us, least_us, most_us : when it began, and before and after when it does not end
    cleared_us : since when nothing of the watch rings any more; None while something does
    request_id : the last request made for it
    renewed_us : when the station was last told to go on
    was_confirmed : whether the station has said that it runs
    was_missed : whether it is known that the last request was not confirmed in time
    """

    station: str
    control: str
    watch: str
    began_us: int
    least_us: int
    most_us: int
    state: RunState = RunState.RUNNING
    cleared_us: int | None = None
    request_id: int = 0
    renewed_us: int = 0
    was_confirmed: bool = False
    was_missed: bool = False
    off: str = "off"
    on: str = "on"


# Made once: msgspec falls over when two threads are the first to decode a type.
_RUN = msgspec.json.Decoder(ControlRun)


def purpose_of(watch: str) -> str:
    """Who asks, when a watch does."""
    return f"watch {watch}"


def control_runs(connection: Connection) -> list[ControlRun]:
    """All controls that watches run, or ran until somebody took them over."""
    rows = connection.execute(sa.select(schema.run.c.document))
    return [_RUN.decode(row.document) for row in rows]


def control_run(connection: Connection, station: str, control: str) -> ControlRun | None:
    """The run of one control."""
    table = schema.run
    document = connection.execute(
        sa.select(table.c.document).where(table.c.station == station, table.c.control == control)
    ).scalar()
    return None if document is None else _RUN.decode(document)


def write_run(connection: Connection, run: ControlRun) -> None:
    """Write a run down."""
    table = schema.run
    end_run(connection, run)
    connection.execute(
        sa.insert(table).values(
            station=run.station, control=run.control, document=msgspec.json.encode(run).decode()
        )
    )
    note_change(connection, Subject.ALARMS)


def shift_runs(connection: Connection, *, by_us: int) -> None:
    """The clock was set: what began so long ago, and may run so long yet, still does."""
    for run in control_runs(connection):
        cleared_us = None if run.cleared_us is None else run.cleared_us + by_us
        write_run(
            connection,
            msgspec.structs.replace(
                run,
                began_us=run.began_us + by_us,
                least_us=run.least_us + by_us,
                most_us=run.most_us + by_us,
                renewed_us=run.renewed_us + by_us,
                cleared_us=cleared_us,
            ),
        )


def end_run(connection: Connection, run: ControlRun) -> None:
    """Forget a run."""
    table = schema.run
    connection.execute(
        sa.delete(table).where(table.c.station == run.station, table.c.control == run.control)
    )
    note_change(connection, Subject.ALARMS)

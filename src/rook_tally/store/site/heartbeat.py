"""Which collectors work on a store, and how their doors stand: what a desk shows of them."""

from __future__ import annotations

import enum
import os
import socket
from collections.abc import Sequence

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.heard import note_listening

HEARTBEAT_S = 5.0
GONE_AFTER_S = 15.0


class DoorState(enum.Enum):
    """The state of a door."""

    OPEN = "open"
    TRYING = "trying"
    CLOSED = "closed"


class Door(msgspec.Struct, frozen=True):
    """A door of a collector: `detail` says in words what is wrong when it is not open."""

    name: str
    address: str
    state: DoorState
    detail: str
    since_us: int


class FailedDuty(msgspec.Struct, frozen=True):
    """A background duty of a collector that stands still: failures in a row, since when, and why
    the last of them."""

    name: str
    failures: int
    since_us: int
    why: str


class Collector(msgspec.Struct, frozen=True):
    """A collector that was heard lately, with its doors and the duties that stand still."""

    id: str
    host: str
    pid: int
    doors: tuple[Door, ...] = ()
    failed: tuple[FailedDuty, ...] = ()


def report_collector(
    connection: Connection, collector_id: str, *, host: str, pid: int, now_us: int
) -> None:
    """Enter a collector that starts."""
    connection.execute(
        sa.insert(schema.collector).values(
            id=collector_id, host=host, pid=pid, started_us=now_us, heard_us=now_us
        )
    )
    note_change(connection, Subject.DOORS)


def report_alive(
    connection: Connection, collector_id: str, *, now_us: int, is_set: bool = True
) -> bool:
    """A collector's heartbeat, by a clock that is set or not; it also clears away those long
    gone. False when the collector itself was taken for gone, and has to be entered anew."""
    table = schema.collector
    mine = connection.execute(
        sa.update(table).where(table.c.id == collector_id).values(heard_us=now_us)
    )
    if is_set:
        note_listening(connection, now_us=now_us)
    gone = sa.select(table.c.id).where(table.c.heard_us < now_us - int(GONE_AFTER_S * 4e6))
    for theirs in (schema.door, schema.failed_duty):
        connection.execute(sa.delete(theirs).where(theirs.c.collector_id.in_(gone)))
    connection.execute(sa.delete(table).where(table.c.id.in_(gone)))
    return mine.rowcount > 0


def report_door(connection: Connection, collector_id: str, door: Door) -> None:
    """Enter how a door stands now."""
    table = schema.door
    connection.execute(
        sa.delete(table).where(table.c.collector_id == collector_id, table.c.name == door.name)
    )
    connection.execute(
        sa.insert(table).values(
            collector_id=collector_id,
            name=door.name,
            address=door.address,
            state=door.state.value,
            detail=door.detail,
            since_us=door.since_us,
        )
    )
    note_change(connection, Subject.DOORS)


def report_failed(connection: Connection, collector_id: str, failed: Sequence[FailedDuty]) -> None:
    """Enter which duties of a collector stand still now."""
    table = schema.failed_duty
    connection.execute(sa.delete(table).where(table.c.collector_id == collector_id))
    for one in failed:
        connection.execute(
            sa.insert(table).values(
                collector_id=collector_id,
                name=one.name,
                failures=one.failures,
                since_us=one.since_us,
                why=one.why,
            )
        )
    note_change(connection, Subject.DOORS)


def withdraw_door(connection: Connection, collector_id: str, name: str) -> None:
    """Take out a door that is no more."""
    table = schema.door
    connection.execute(
        sa.delete(table).where(table.c.collector_id == collector_id, table.c.name == name)
    )
    note_change(connection, Subject.DOORS)


def withdraw_collector(connection: Connection, collector_id: str) -> None:
    """Take a collector that stops out again."""
    for theirs in (schema.door, schema.failed_duty):
        connection.execute(sa.delete(theirs).where(theirs.c.collector_id == collector_id))
    connection.execute(sa.delete(schema.duty).where(schema.duty.c.holder == collector_id))
    connection.execute(sa.delete(schema.collector).where(schema.collector.c.id == collector_id))
    note_change(connection, Subject.DOORS)


def working_collectors(connection: Connection, *, now_us: int) -> list[Collector]:
    """Collectors that are at work: heard lately, and not known to have died since. Without their
    doors: a store of an older format can be asked too."""
    here = socket.gethostname()
    return [one for one in _heard(connection, now_us) if one.host != here or is_running(one.pid)]


def _heard(connection: Connection, now_us: int) -> list[Collector]:
    rows = connection.execute(
        sa.select(schema.collector)
        .where(schema.collector.c.heard_us >= now_us - int(GONE_AFTER_S * 1e6))
        .order_by(schema.collector.c.started_us)
    )
    return [Collector(row.id, row.host, row.pid) for row in rows]


def is_running(pid: int) -> bool:
    """True if a process of this machine is there."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:  # somebody else's, so it runs
        return True
    return True


def collectors(connection: Connection, *, now_us: int) -> list[Collector]:
    """Collectors whose heart beat within the last 15 s, with their doors and failed duties."""
    heard = _heard(connection, now_us)
    doors: dict[str, list[Door]] = {one.id: [] for one in heard}
    for row in connection.execute(sa.select(schema.door).order_by(schema.door.c.name)):
        if row.collector_id in doors:
            doors[row.collector_id].append(
                Door(row.name, row.address, DoorState(row.state), row.detail, row.since_us)
            )
    failed: dict[str, list[FailedDuty]] = {one.id: [] for one in heard}
    table = schema.failed_duty
    for row in connection.execute(sa.select(table).order_by(table.c.name)):
        if row.collector_id in failed:
            failed[row.collector_id].append(
                FailedDuty(row.name, row.failures, row.since_us, row.why)
            )
    return [replace(one, doors=tuple(doors[one.id]), failed=tuple(failed[one.id])) for one in heard]

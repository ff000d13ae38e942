"""Which collectors work on a store, and how their doors stand: what a desk shows of them."""

from __future__ import annotations

import enum
import os
import socket
from dataclasses import dataclass

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store import schema
from rook_tally.store.changes import Subject, note_change
from rook_tally.store.heard import note_listening

HEARTBEAT_S = 5.0
GONE_AFTER_S = 15.0


class DoorState(enum.Enum):
    """How a door stands."""

    OPEN = "open"
    TRYING = "trying"
    CLOSED = "closed"


@dataclass(frozen=True, slots=True)
class Door:
    """A door of a collector: `detail` says in words what is wrong when it is not open."""

    name: str
    address: str
    state: DoorState
    detail: str
    since_us: int


@dataclass(frozen=True, slots=True)
class Collector:
    """A collector that was heard lately, with its doors."""

    id: str
    host: str
    pid: int
    doors: tuple[Door, ...]


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
) -> None:
    """A collector's heartbeat, by a clock that is set or not; it also clears away those long
    gone."""
    table = schema.collector
    connection.execute(sa.update(table).where(table.c.id == collector_id).values(heard_us=now_us))
    if is_set:
        note_listening(connection, now_us=now_us)
    gone = sa.select(table.c.id).where(table.c.heard_us < now_us - int(GONE_AFTER_S * 4e6))
    connection.execute(sa.delete(schema.door).where(schema.door.c.collector_id.in_(gone)))
    connection.execute(sa.delete(table).where(table.c.id.in_(gone)))


def report_door(connection: Connection, collector_id: str, door: Door) -> None:
    """Enter how a door stands now."""
    table = schema.door
    connection.execute(
        sa.delete(table).where(table.c.collector_id == collector_id, table.c.name == door.name)
    )
    connection.execute(
        sa.insert(table).values(
            collector_id=collector_id, name=door.name, address=door.address,
            state=door.state.value, detail=door.detail, since_us=door.since_us,
        )
    )  # fmt: skip
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
    connection.execute(sa.delete(schema.door).where(schema.door.c.collector_id == collector_id))
    connection.execute(sa.delete(schema.collector).where(schema.collector.c.id == collector_id))
    note_change(connection, Subject.DOORS)


def working_collectors(connection: Connection, *, now_us: int) -> list[Collector]:
    """Collectors that are at work: heard lately, and not known to have died since."""
    here = socket.gethostname()
    return [
        one
        for one in collectors(connection, now_us=now_us)
        if one.host != here or _is_running(one.pid)
    ]


def _is_running(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:  # somebody else's, so it runs
        return True
    return True


def collectors(connection: Connection, *, now_us: int) -> list[Collector]:
    """Collectors whose heart beat within the last 15 s."""
    heard = connection.execute(
        sa.select(schema.collector)
        .where(schema.collector.c.heard_us >= now_us - int(GONE_AFTER_S * 1e6))
        .order_by(schema.collector.c.started_us)
    ).all()
    doors: dict[str, list[Door]] = {row.id: [] for row in heard}
    for row in connection.execute(sa.select(schema.door).order_by(schema.door.c.name)):
        if row.collector_id in doors:
            doors[row.collector_id].append(
                Door(row.name, row.address, DoorState(row.state), row.detail, row.since_us)
            )
    return [Collector(row.id, row.host, row.pid, tuple(doors[row.id])) for row in heard]

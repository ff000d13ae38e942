"""The message tape: the last messages as they came, and what became of each."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from typing import Any

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import executed_many

KEPT_LINES = 20_000
_PRUNED_AT_ONCE = 5_000
SHOWN_BYTES = 2_000
"""So much of a body is kept on the tape; a reading or a stray loses nothing by it."""


class Problem(enum.Enum):
    """Why a message as a whole could not be taken."""

    UNREADABLE = "unreadable"
    EMPTY = "empty"
    WRONG_KEY = "wrong key"


class MessageLogEntry(msgspec.Struct, frozen=True):
    """A message and its fate: numbers of values, and in words why any was not simply kept.

    `station` is the key it goes by, taken in or not. `body` is its beginning, `size` all of it.
    `problem` is why the message as a whole could not be taken, `decoded` the values read in it.
    """

    arrived_us: int
    station: str | None
    door: str
    address: str
    body: bytes
    size: int
    kept: int
    duplicate: int
    suspect: int
    stray: int
    refused: int
    why: str
    problem: Problem | None = None
    decoded: str = ""
    id: int = 0

    @property
    def fate(self) -> str:
        """The result of the message in one line."""
        counts = [
            (self.kept - self.suspect, "kept"),
            (self.suspect, "suspect"),
            (self.duplicate, "duplicate"),
            (self.stray, "stray"),
            (self.refused, "refused"),
        ]
        told = ", ".join(f"{count} {word}" for count, word in counts if count)
        told = told or ("refused" if self.why else "heard")
        return f"{told}: {self.why}" if self.why else told


_NAMES = (
    "arrived_us",
    "station",
    "door",
    "address",
    "body",
    "size",
    "kept",
    "duplicate",
    "suspect",
    "stray",
    "refused",
    "why",
)
_WRITE = (
    f"INSERT INTO tape ({', '.join(_NAMES)}, problem, decoded) "
    f"VALUES ({', '.join(['?'] * (len(_NAMES) + 2))})"
)


def write_message_log(connection: Connection, lines: Sequence[MessageLogEntry]) -> None:
    """Put messages on the tape in the running transaction."""
    if not lines:
        return
    executed_many(
        connection,
        _WRITE,
        [
            (
                one.arrived_us,
                one.station,
                one.door,
                one.address,
                one.body,
                one.size,
                one.kept,
                one.duplicate,
                one.suspect,
                one.stray,
                one.refused,
                one.why,
                one.problem.value if one.problem else "",
                one.decoded,
            )
            for one in lines
        ],
    )
    note_change(connection, Subject.TAPE)


def newest_messages(
    connection: Connection, station: str | None = None, *, most: int = 100, after_id: int = 0
) -> list[MessageLogEntry]:
    """The newest lines, of one station or of all, newest first."""
    table = schema.tape
    wanted = sa.select(table).where(table.c.id > after_id).order_by(table.c.id.desc()).limit(most)
    if station is not None:
        wanted = wanted.where(table.c.station == station)
    return [_line(row) for row in connection.execute(wanted)]


def prune_message_log(connection: Connection) -> bool:
    """Drop some of the oldest lines; True while more than the newest `KEPT_LINES` are there.

    Not all at once: after a burst they are hundreds of thousands, and everybody who writes waits.
    """
    table = schema.tape
    oldest, newest = connection.execute(
        sa.select(sa.func.min(table.c.id), sa.func.max(table.c.id))
    ).one()
    if newest is None or newest - oldest < KEPT_LINES:
        return False
    until = min(newest - KEPT_LINES, oldest + _PRUNED_AT_ONCE)
    connection.execute(sa.delete(table).where(table.c.id <= until))
    return bool(until < newest - KEPT_LINES)


def _line(row: sa.Row[Any]) -> MessageLogEntry:
    problem = Problem(row.problem) if row.problem else None
    return MessageLogEntry(
        **{name: getattr(row, name) for name in _NAMES},
        problem=problem,
        decoded=row.decoded,
        id=row.id,
    )

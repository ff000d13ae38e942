"""The outbox: what is still to be told, kept until it was, or was given up."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from typing import Any

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import Notice
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, SECOND_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import executed_many

# Made once: msgspec falls over when two threads are the first to decode a type.
_NOTICE_DECODER = msgspec.json.Decoder(Notice)

PAUSES_US = tuple(
    [5 * SECOND_US, 15 * SECOND_US, MINUTE_US, 5 * MINUTE_US, 15 * MINUTE_US, 30 * MINUTE_US]
    + [HOUR_US] * 24
)
"""Between one try and the next; after the last it is given up."""
_KEPT_US = 90 * DAY_US


class OutState(enum.Enum):
    """The state of an outbox item."""

    WAITING = "waiting"
    DONE = "done"
    GIVEN_UP = "given up"
    DROPPED = "dropped"


class OutboxItem(msgspec.Struct, frozen=True):
    """A notice on its way out."""

    id: int
    way: str
    notice: Notice
    state: OutState
    made_us: int
    due_us: int
    tries: int
    done_us: int | None
    answer: str


_PUT = (
    "INSERT INTO outbox (key, way, watch, series_id, document, state, made_us, due_us, tries, "
    "answer) VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0, '') ON CONFLICT (key) DO NOTHING"
)


def put_letters(
    connection: Connection, letters: Sequence[tuple[str, Notice, int]], *, now_us: int
) -> None:
    """Put notices into the outbox: way, notice, and when it is due. One with a key that is there
    already is the same, and is not put in again."""
    rows = [
        (
            notice.key,
            way,
            notice.watch,
            notice.series_id,
            msgspec.json.encode(notice).decode(),
            OutState.WAITING.value,
            now_us,
            due_us,
        )
        for way, notice, due_us in letters
    ]
    if rows:
        executed_many(connection, _PUT, rows)
        note_change(connection, Subject.OUTBOX)


def replace_item(connection: Connection, way: str, notice: Notice, due_us: int) -> None:
    """Put a notice in the place of the waiting one with its key."""
    table = schema.outbox
    connection.execute(
        sa.update(table)
        .where(table.c.key == notice.key, table.c.state == OutState.WAITING.value)
        .values(document=msgspec.json.encode(notice).decode(), due_us=due_us)
    )
    note_change(connection, Subject.OUTBOX)


def waiting_letters(connection: Connection) -> list[OutboxItem]:
    """Items still to be sent, the first due first."""
    table = schema.outbox
    return letters_where(
        connection,
        sa.select(table)
        .where(table.c.state == OutState.WAITING.value)
        .order_by(table.c.due_us, table.c.id),
    )


def newest_letters(connection: Connection, most: int = 100) -> list[OutboxItem]:
    """The last items put in, newest first."""
    table = schema.outbox
    return letters_where(connection, sa.select(table).order_by(table.c.id.desc()).limit(most))


def letters_where(connection: Connection, wanted: sa.Select[Any]) -> list[OutboxItem]:
    """The items that a statement selects from the outbox."""
    return [
        OutboxItem(
            row.id,
            row.way,
            _NOTICE_DECODER.decode(row.document),
            OutState(row.state),
            row.made_us,
            row.due_us,
            row.tries,
            row.done_us,
            row.answer,
        )
        for row in connection.execute(wanted)
    ]


def claim_item(connection: Connection, letter: OutboxItem, *, until_us: int) -> bool:
    """Take a letter in hand: nobody else does before `until_us`. False when somebody has."""
    table = schema.outbox
    done = connection.execute(
        sa.update(table)
        .where(
            table.c.id == letter.id,
            table.c.state == OutState.WAITING.value,
            table.c.tries == letter.tries,
        )
        .values(tries=table.c.tries + 1, due_us=until_us)
    )
    return bool(done.rowcount)


def item_done(
    connection: Connection, letter: OutboxItem, state: OutState, answer: str, *, now_us: int
) -> None:
    """Write down what came of a letter."""
    table = schema.outbox
    connection.execute(
        sa.update(table)
        .where(table.c.id == letter.id)
        .values(state=state.value, answer=answer, done_us=now_us)
    )
    note_change(connection, Subject.OUTBOX)


def item_put_off(connection: Connection, letter: OutboxItem, why: str, *, due_us: int) -> None:
    """Write down why a letter could not be delivered, and when it is tried again."""
    table = schema.outbox
    connection.execute(
        sa.update(table).where(table.c.id == letter.id).values(due_us=due_us, answer=why)
    )
    note_change(connection, Subject.OUTBOX)


def drop_letters(
    connection: Connection, watch: str, series_id: int, ways: Sequence[str], *, now_us: int
) -> None:
    """Drop what some ways have waiting of an alarm that is over, before it was ever tried."""
    table = schema.outbox
    connection.execute(
        sa.update(table)
        .where(
            table.c.watch == watch,
            table.c.series_id == series_id,
            table.c.tries == 0,
            table.c.state == OutState.WAITING.value,
            table.c.due_us > now_us,
            table.c.way.in_(ways),
        )
        .values(state=OutState.DROPPED.value, done_us=now_us, answer="it was over before")
    )


def prune_outbox(connection: Connection, *, now_us: int) -> None:
    """Forget what was done with a quarter of a year ago."""
    table = schema.outbox
    connection.execute(
        sa.delete(table).where(
            table.c.made_us < now_us - _KEPT_US, table.c.state != OutState.WAITING.value
        )
    )

"""Alarms and the journal as they are kept, written in the transaction of what moved them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.levels import Level
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import executed_many, fetched

_UPSERT = (
    "INSERT INTO alarm (watch, series_id, state, document) VALUES (?, ?, ?, ?) "
    "ON CONFLICT (watch, series_id) DO UPDATE SET state = excluded.state, "
    "document = excluded.document"
)
_decoder = msgspec.json.Decoder(Alarm)


def alarms(connection: Connection, *, standing: bool = False) -> dict[tuple[str, int], Alarm]:
    """Alarms by watch slug and series id; with `standing` those not normal."""
    wanted = "SELECT document FROM alarm"
    if standing:
        wanted += f" WHERE state <> '{AlarmState.NORMAL.value}'"
    found = [_decoder.decode(document) for (document,) in fetched(connection, wanted)]
    return {(one.watch, one.series_id): one for one in found}


def write_alarms(connection: Connection, several: Iterable[Alarm]) -> None:
    """Write down what is known."""
    rows = [
        (one.watch, one.series_id, one.state.value, msgspec.json.encode(one).decode())
        for one in several
    ]
    if rows:
        executed_many(connection, _UPSERT, rows)
        note_change(connection, Subject.ALARMS)


def drop_alarms(connection: Connection, watch: str, series_ids: Sequence[int] = ()) -> None:
    """Forget what is known of a watch, or of some of its series."""
    table = schema.alarm
    gone = sa.delete(table).where(table.c.watch == watch)
    if series_ids:
        gone = gone.where(table.c.series_id.in_(series_ids))
    connection.execute(gone)
    note_change(connection, Subject.ALARMS)


_INSERT = (
    "INSERT INTO journal (time_us, sort, watch, name, place, series_id, level, words, who) "
    "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)"
)


def write_journal(connection: Connection, entries: Sequence[Entry]) -> None:
    """Add lines to the journal, in their order."""
    rows = [
        (
            one.time_us,
            one.sort.value,
            one.watch,
            one.name,
            one.place,
            one.series_id,
            int(one.level),
            one.words,
            one.who,
        )
        for one in entries
    ]
    if rows:
        executed_many(connection, _INSERT, rows)
        note_change(connection, Subject.ALARMS)


def journal(
    connection: Connection,
    *,
    watch: str = "",
    sorts: Sequence[JournalKind] = (),
    from_us: int | None = None,
    to_us: int | None = None,
    most: int = 500,
) -> list[Entry]:
    """Lines of the journal, the newest first."""
    table = schema.journal
    wanted = sa.select(table).order_by(table.c.id.desc()).limit(most)
    if watch:
        wanted = wanted.where(table.c.watch == watch)
    if sorts:
        wanted = wanted.where(table.c.sort.in_([one.value for one in sorts]))
    if from_us is not None:
        wanted = wanted.where(table.c.time_us >= from_us)
    if to_us is not None:
        wanted = wanted.where(table.c.time_us < to_us)
    return [
        Entry(
            row.time_us,
            JournalKind(row.sort),
            row.watch,
            row.name,
            row.place,
            row.series_id,
            Level(row.level),
            row.words,
            row.who,
            row.id,
        )
        for row in connection.execute(wanted)
    ]


def journalled_between(
    connection: Connection, watch: str, series_id: int, from_us: int, to_us: int
) -> set[JournalKind]:
    """Kinds of entries about an alarm in [from, to]."""
    rows = fetched(
        connection,
        "SELECT DISTINCT sort FROM journal "
        "WHERE watch = ? AND series_id = ? AND time_us BETWEEN ? AND ?",
        (watch, series_id, from_us, to_us),
    )
    return {JournalKind(row[0]) for row in rows}

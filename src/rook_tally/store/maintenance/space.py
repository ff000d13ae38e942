"""How much room a store takes, and for what."""

from __future__ import annotations

import enum
from dataclasses import dataclass

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema


class Kept(enum.Enum):
    """What is kept, by how people think of it."""

    READINGS = "readings"
    MESSAGES = "messages as they came"
    ALARMS = "alarms and what was told"
    REST = "places, stations, what was changed"
    FREE = "free, given back by Compact"


_OF: dict[Kept, tuple[sa.Table, ...]] = {
    Kept.READINGS: (schema.reading, *schema.PAGES, schema.imported, schema.deleted),
    Kept.MESSAGES: (schema.tape, schema.stray),
    Kept.ALARMS: (schema.alarm, schema.journal, schema.outbox),
}


@dataclass(frozen=True, slots=True)
class StoredSize:
    """The room that something takes, bytes."""

    kept: Kept
    size: int


def rooms_of(connection: Connection) -> list[StoredSize]:
    """What takes how much room, as far as the database tells; all of it is read for that."""
    if connection.dialect.name == "sqlite":
        told = connection.exec_driver_sql(
            # Each index counts for its table.
            "SELECT coalesce(m.tbl_name, s.name), sum(s.pgsize) FROM dbstat AS s "
            "LEFT JOIN sqlite_master AS m ON m.name = s.name GROUP BY 1"
        )
        free = connection.exec_driver_sql("PRAGMA freelist_count").scalar_one()
        free *= connection.exec_driver_sql("PRAGMA page_size").scalar_one()
    else:
        told = connection.exec_driver_sql(
            "SELECT coalesce(p.relname, c.relname), sum(pg_total_relation_size(c.oid)) "
            "FROM pg_class AS c LEFT JOIN pg_inherits AS i ON i.inhrelid = c.oid "
            "LEFT JOIN pg_class AS p ON p.oid = i.inhparent "
            "WHERE c.relkind = 'r' AND c.relnamespace = current_schema()::regnamespace GROUP BY 1"
        )
        free = 0
    by_table = {str(row[0]): int(row[1]) for row in told}
    found = {kept: sum(by_table.pop(one.name, 0) for one in tables) for kept, tables in _OF.items()}
    found[Kept.REST] = sum(by_table.values())
    found[Kept.FREE] = int(free)
    return [StoredSize(kept, size) for kept, size in found.items() if size or kept is not Kept.FREE]

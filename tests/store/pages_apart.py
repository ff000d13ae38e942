"""Pages as programs before format 28 kept them: each day's readings in a row of its own."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.readings.page_writing import whole_days
from rook_tally.store.readings.pages import checksum_of

TABLES = (schema.page, schema.page_hours, schema.page_data)


def all_pages(connection: Connection) -> list[dict[str, Any]]:
    """Every page of a store with all that is kept of it, by series and day."""
    ids = connection.execute(sa.select(schema.series.c.id).order_by(schema.series.c.id))
    return [
        page for one in ids.scalars() for page in whole_days(connection, one, -(1 << 62), 1 << 62)
    ]


def write_apart(connection: Connection, pages: list[dict[str, Any]], **values: Any) -> None:
    """Put pages in place of all there are, with other values where some are given."""
    for table in schema.PAGES:
        connection.execute(sa.delete(table))
    for page in pages:
        told = page | values
        told["checksum"] = checksum_of(told)
        for table in TABLES:
            if table is not schema.page_hours or told["hours"] is not None:
                row = {column.name: told[column.name] for column in table.c}
                connection.execute(sa.insert(table).values(row))

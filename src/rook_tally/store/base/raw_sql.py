"""Straight to the driver: for the few statements that run with every batch.

SQLAlchemy takes ten times as long over a small statement as SQLite does. Statements are written
with `?`; the running transaction is the connection's own, and its end is too.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy.engine import Connection

Row = tuple[Any, ...]


def fetched(connection: Connection, statement: str, values: Sequence[Any] = ()) -> list[Row]:
    """The rows of a SELECT."""
    cursor = _cursor(connection)
    cursor.execute(_in_dialect(connection, statement), values)
    rows: list[Row] = cursor.fetchall()
    cursor.close()
    return rows


def executed(connection: Connection, statement: str, values: Sequence[Any] = ()) -> None:
    """Run a statement once."""
    cursor = _cursor(connection)
    cursor.execute(_in_dialect(connection, statement), values)
    cursor.close()


def executed_many(connection: Connection, statement: str, rows: Sequence[Sequence[Any]]) -> None:
    """Run a statement for every row of values."""
    cursor = _cursor(connection)
    cursor.executemany(_in_dialect(connection, statement), rows)
    cursor.close()


def _cursor(connection: Connection) -> Any:
    if not connection.in_transaction():
        connection.begin()
    driver: Any = connection.connection.driver_connection
    return driver.cursor()


def _in_dialect(connection: Connection, statement: str) -> str:
    return statement if connection.dialect.name == "sqlite" else statement.replace("?", "%s")

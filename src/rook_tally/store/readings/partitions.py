"""Readings by week on PostgreSQL: weeks to come get a partition, emptied ones are dropped.

Sealing empties a week's rows within days of its end; dropping the partition gives their space back
at once. Readings of any other time are kept in the partition for the rest. SQLite needs none of it.
"""

from __future__ import annotations

import re

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.timestamps import DAY_US

WEEK_US = 7 * DAY_US
_AHEAD = 2
# Late readings come; a week is dropped when that has become unlikely.
_KEPT_EMPTY_US = 2 * WEEK_US
_NAME = re.compile(r"reading_week_(\d+)")


def keep_partitions(connection: Connection, *, now_us: int) -> list[str]:
    """Make the partitions of this week and the next, drop old empty ones; what was done, a line
    each. On SQLite nothing."""
    if connection.dialect.name == "sqlite":
        return []
    known = partitions(connection)
    this_week = now_us // WEEK_US
    done = []
    for week in range(this_week, this_week + _AHEAD):
        if week not in known:
            _make(connection, week)
            done.append(f"made {_name(week)}")
    for week in known:
        if (week + 1) * WEEK_US < now_us - _KEPT_EMPTY_US and _is_empty(connection, week):
            connection.exec_driver_sql(f"DROP TABLE {_name(week)}")
            done.append(f"dropped {_name(week)}")
    return done


def partitions(connection: Connection) -> list[int]:
    """Weeks (since 1970) that have a partition of their own, in order."""
    names = sa.inspect(connection).get_table_names()
    return sorted(int(found[1]) for name in names if (found := _NAME.fullmatch(name)))


def _name(week: int) -> str:
    return f"reading_week_{week}"


def _make(connection: Connection, week: int) -> None:
    begin, end = week * WEEK_US, (week + 1) * WEEK_US
    name = _name(week)
    # Readings may be of that week already: they move over from the rest before it is attached.
    connection.exec_driver_sql(f"CREATE TABLE {name} (LIKE reading INCLUDING ALL)")
    connection.exec_driver_sql("LOCK TABLE reading IN SHARE ROW EXCLUSIVE MODE")
    connection.exec_driver_sql(
        f"WITH moved AS (DELETE FROM reading_rest WHERE time_us >= {begin} AND time_us < {end} "
        f"RETURNING *) INSERT INTO {name} SELECT * FROM moved"
    )
    connection.exec_driver_sql(
        f"ALTER TABLE reading ATTACH PARTITION {name} FOR VALUES FROM ({begin}) TO ({end})"
    )


def _is_empty(connection: Connection, week: int) -> bool:
    return connection.exec_driver_sql(f"SELECT 1 FROM {_name(week)} LIMIT 1").first() is None

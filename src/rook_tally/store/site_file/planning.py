"""What reading a site file would change: it is read, looked at, and undone."""

from __future__ import annotations

from sqlalchemy.engine import Connection

from rook_tally.core.site_file.content import SiteContent
from rook_tally.store.site.change_history import ChangeLine, change_lines
from rook_tally.store.site.row_changes import recording
from rook_tally.store.site_file.importing import put_content


def plan_of(
    connection: Connection, content: SiteContent, *, who: str, now_us: int
) -> list[ChangeLine]:
    """What reading a file would delete, add and change, in the order of the tables; nothing is
    changed.

    Raises
    ------
    UsageError
        When it could not be read as it is.
    """
    attempt = connection.begin_nested()
    try:
        with recording(connection) as made:
            put_content(connection, content, who=who, now_us=now_us)
        return change_lines(connection, made.changes)
    finally:
        attempt.rollback()

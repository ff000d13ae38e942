"""What reading a site file would change: it is read, looked at, and undone."""

from __future__ import annotations

from sqlalchemy.engine import Connection

from rook_tally.core.site_file.content import SiteContent
from rook_tally.store.base import Store
from rook_tally.store.exchange.site_import import put_content
from rook_tally.store.site.change_history import ChangeLine, change_lines
from rook_tally.store.site.row_changes import recording


class _LookedAt(Exception):  # noqa: N818 - nothing went wrong
    """Undoes the transaction."""


def plan_of(store: Store, content: SiteContent, *, who: str, now_us: int) -> list[ChangeLine]:
    """What reading a file would add, change and delete, in the order of the tables; nothing is
    changed.

    Raises
    ------
    UsageError
        When it could not be read as it is.
    """
    lines: list[ChangeLine] = []
    try:
        with store.write() as connection:
            lines = plan_within(connection, content, who=who, now_us=now_us)
            raise _LookedAt
    except _LookedAt:
        return lines


def plan_within(
    connection: Connection, content: SiteContent, *, who: str, now_us: int
) -> list[ChangeLine]:
    """As `plan_of`, in a transaction that is undone by whoever calls this."""
    with recording(connection) as made:
        put_content(connection, content, who=who, now_us=now_us)
    return change_lines(connection, made.changes)

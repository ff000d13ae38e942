"""A test of a channel: a notice to it alone, through the outbox like any other."""

from __future__ import annotations

import uuid

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import Notice, NoticeReason
from rook_tally.core.errors import UsageError
from rook_tally.store.alarms.outbox import OutboxItem, letters_where, put_letters
from rook_tally.store.alarms.watches import ways
from rook_tally.store.base import schema
from rook_tally.store.site.site_reading import load_site


def put_channel_trial(connection: Connection, name: str, *, who: str, now_us: int) -> str:
    """Put a test of a channel into the outbox; returns the key of its notice.

    Raises
    ------
    UsageError
        When there is no such channel.
    """
    known = [one.name for one in ways(connection)]
    if name not in known:
        raise UsageError(f"there is no way of telling {name}", remedy=f"known: {', '.join(known)}")
    site = load_site(connection).name or "Rook Tally"
    notice = Notice(
        key=f"trial-{uuid.uuid4().hex}",
        event=NoticeReason.TRIAL,
        watch="",
        name=name,
        time_us=now_us,
        title=f"{site}: a test",
        text=f"This is only a test of “{name}”, asked for by {who}. Nothing rang.",
        site=site,
    )
    put_letters(connection, [(name, notice, now_us)], now_us=now_us)
    return notice.key


def channel_trial(connection: Connection, key: str) -> OutboxItem | None:
    """Return the outbox item of a test; None when there is none."""
    table = schema.outbox
    found = letters_where(connection, sa.select(table).where(table.c.key == key))
    return found[0] if found else None

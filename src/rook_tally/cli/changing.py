"""A command that changes the configuration: one transaction, and written down who changed what."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy.engine import Connection

from rook_tally.clock import now_us
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.site.change_history import noting_changes


@contextmanager
def changing(where: str, *, makes_store: bool = False) -> Iterator[Connection]:
    """Open a store, which is made when `makes_store` says so, and change its configuration."""
    with (
        (open_store if makes_store else existing_store)(where) as store,
        store.write() as connection,
        noting_changes(connection, who=login_name(), now_us=now_us()),
    ):
        yield connection

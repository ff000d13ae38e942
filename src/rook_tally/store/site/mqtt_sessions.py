"""MQTT sessions of a store from when several collectors shared what a broker brings."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema

_KEY = "mqtt_sessions"


def sessions_used(connection: Connection) -> int:
    """Number of MQTT sessions there ever were: those from 1 to this less one are used no more."""
    found = connection.execute(
        sa.select(schema.meta.c.value).where(schema.meta.c.key == _KEY)
    ).scalar()
    return int(found) if found is not None else 1


def forget_sessions_used(connection: Connection) -> None:
    """All that was left in them was taken in."""
    connection.execute(sa.delete(schema.meta).where(schema.meta.c.key == _KEY))

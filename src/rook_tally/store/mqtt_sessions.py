"""Lasting MQTT sessions of a store: which of them a broker may hold messages for."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store import schema
from rook_tally.store.duties import Duties, Duty, HeldDuty

_KEY = "mqtt_sessions"
_MOST = 64


def sessions_used(connection: Connection) -> int:
    """How many slots have ever been used: slots 0 to this less one may have a session."""
    found = connection.execute(
        sa.select(schema.meta.c.value).where(schema.meta.c.key == _KEY)
    ).scalar()
    return int(found) if found is not None else 1


def take_session(duties: Duties) -> tuple[int, HeldDuty] | None:
    """The lowest slot that no collector holds, ours from now on; None when all are held."""
    for slot in range(_MOST):
        held = duties.take(Duty.MQTT_SESSION, slot)
        if held is None:
            continue
        with held.store.write() as connection:
            if slot >= sessions_used(connection):
                connection.execute(sa.delete(schema.meta).where(schema.meta.c.key == _KEY))
                connection.execute(sa.insert(schema.meta).values(key=_KEY, value=str(slot + 1)))
        return slot, held
    return None

"""Keys of gateways: senders behind which several stations stand, such as another Rook Tally.

What a gateway brings of station `wall` comes in as `<gateway>.wall`: it can neither speak for a
station of this site nor for one behind another gateway.
"""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import access_hash, new_access_key


class GatewayKey(msgspec.Struct, frozen=True):
    """The key of a gateway, made by somebody at a moment."""

    name: str
    key_hash: str
    made_us: int
    who: str


def gateway_keys(connection: Connection) -> list[GatewayKey]:
    """All of them, in the order they were made."""
    table = schema.gateway_key
    return [
        GatewayKey(row.name, row.key_hash, row.made_us, row.who)
        for row in connection.execute(sa.select(table).order_by(table.c.id))
    ]


def add_gateway_key(connection: Connection, name: str, *, who: str, now_us: int) -> str:
    """Make the key of a gateway; only its hash is kept, so this is the one time it can be read.

    Raises
    ------
    UsageError
        When there is one of that name, or the name cannot be one.
    """
    if not name or name != slug_of(name):
        raise UsageError(
            f"{name!r} cannot be a gateway's name",
            kept="no key was made",
            remedy="use letters or digits; in lower case, with hyphens",
        )
    if any(one.name == name for one in gateway_keys(connection)):
        raise UsageError(
            f"{name} has a key already",
            kept="it goes on sending",
            remedy="revoke it first, or give this one another name",
        )
    key = new_access_key()
    keep_gateway_key(connection, GatewayKey(name, access_hash(key), now_us, who))
    return key


def keep_gateway_key(connection: Connection, key: GatewayKey) -> None:
    """Write a key down: a new one, or one that was revoked by mistake."""
    told = msgspec.structs.asdict(key)
    connection.execute(sa.insert(schema.gateway_key).values(**told))
    note_change(connection, Subject.SITE)


def revoke_gateway_key(connection: Connection, name: str) -> GatewayKey:
    """Let a gateway in no longer; returns its key as it was.

    Raises
    ------
    UsageError
        When there is none of that name.
    """
    known = gateway_keys(connection)
    found = next((one for one in known if one.name == name), None)
    if found is None:
        told = ", ".join(one.name for one in known) or "none"
        raise UsageError(f"there is no gateway {name}", remedy=f"gateways: {told}")
    table = schema.gateway_key
    connection.execute(sa.delete(table).where(table.c.name == found.name))
    note_change(connection, Subject.SITE)
    return found

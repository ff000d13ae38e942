"""Keys of programs that read and of gateways that send: made, revoked, had back."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.desk.data.leaving_commands import RevokeReadKey
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.login import login_name
from rook_tally.store.site.gateway_keys import (
    GatewayKey,
    add_gateway_key,
    gateway_keys,
    keep_gateway_key,
    revoke_gateway_key,
)
from rook_tally.store.site.read_keys import ReadKey, ReadScope, add_read_key, read_keys


@dataclass(frozen=True, slots=True)
class Keys:
    """All keys but those of stations."""

    reading: tuple[ReadKey, ...]
    gateways: tuple[GatewayKey, ...]


@dataclass(frozen=True, slots=True)
class KeysQuery:
    """Asks for them."""

    def run(self, connection: Connection) -> Keys:
        """Read them."""
        return Keys(tuple(read_keys(connection)), tuple(gateway_keys(connection)))


@dataclass(frozen=True, slots=True)
class AddReadKey:
    """A program shall be able to read; the key is the result, this once."""

    name: str
    scope: ReadScope
    now_us: int

    def apply(self, connection: Connection) -> SavedResult[str]:
        """Make the key."""
        key = add_read_key(connection, self.name, self.scope, who=login_name(), now_us=self.now_us)
        return SavedResult(tr("{0} can read", self.name), RevokeReadKey(self.name), key)


@dataclass(frozen=True, slots=True)
class AddGatewayKey:
    """A gateway shall be able to send; the key is the result, this once."""

    name: str
    now_us: int

    def apply(self, connection: Connection) -> SavedResult[str]:
        """Make the key."""
        key = add_gateway_key(connection, self.name, who=login_name(), now_us=self.now_us)
        return SavedResult(tr("{0} can send", self.name), RevokeGatewayKey(self.name), key)


@dataclass(frozen=True, slots=True)
class RevokeGatewayKey:
    """A gateway shall send no longer."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Revoke its key."""
        gone = revoke_gateway_key(connection, self.name)
        return UndoableResult(tr("{0} sends no longer", gone.name), BringGatewayKeyBack(gone))


@dataclass(frozen=True, slots=True)
class BringGatewayKeyBack:
    """A gateway shall send again with the key it had."""

    key: GatewayKey

    def apply(self, connection: Connection) -> UndoableResult:
        """Let it in."""
        keep_gateway_key(connection, self.key)
        return UndoableResult(tr("{0} sends again", self.key.name), RevokeGatewayKey(self.key.name))

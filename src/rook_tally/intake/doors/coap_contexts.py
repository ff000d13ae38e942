"""The security contexts of stations that speak CoAP (OSCORE, RFC 8613), one a station."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TypeAlias

import msgspec
import sqlalchemy as sa
import structlog
from aiocoap import oscore
from sqlalchemy.engine import Connection

from rook_tally.core.oscore_keys import OscoreKeys, oscore_keys
from rook_tally.store.base import schema
from rook_tally.store.base.private_files import private_folder

_HASH_SHOWN = 12
Context: TypeAlias = oscore.FilesystemSecurityContext

_log = structlog.get_logger(__name__)


class SpeakingStation(msgspec.Struct, frozen=True):
    """A station that may speak: its key, and the hash of its access key."""

    id: int
    key: str
    access_hash: str

    @property
    def keys(self) -> OscoreKeys:
        """What it shares with the collector."""
        return oscore_keys(self.id, self.access_hash)


def speaking_stations(connection: Connection) -> list[SpeakingStation]:
    """The stations that have an access key."""
    station = schema.station
    rows = connection.execute(
        sa.select(station.c.id, station.c.key, station.c.access_hash).where(
            station.c.access_hash.is_not(None), station.c.removed_us.is_(None)
        )
    )
    return [SpeakingStation(row.id, row.key, row.access_hash) for row in rows]


class StationContexts:
    """Finds the context a message was protected with; each begins with the station's first message.

    A context counts what it sends in a folder of its own, over restarts: a number used twice would
    give the key away. An access key that comes back goes on counting where it was.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._stations: dict[bytes, SpeakingStation] = {}
        self._open: dict[bytes, tuple[SpeakingStation, Context]] = {}

    def learn(self, stations: Sequence[SpeakingStation]) -> None:
        """From now on these may speak; a context whose access key is another by now is closed."""
        self._stations = {one.keys.sender_id: one for one in stations}
        for name, (station, _) in list(self._open.items()):
            now = self._stations.get(name)
            if now is None or now.access_hash != station.access_hash:
                self._close(name)
            elif now != station:
                self._open[name] = now, self._open[name][1]

    def find_oscore(self, unprotected: Mapping[int, bytes]) -> Context:
        """The context of who says to have sent a message. Called by aiocoap.

        Raises
        ------
        KeyError
            When there is no such station, or another collector on this machine has its context.
        """
        name = unprotected[oscore.COSE_KID]
        if oscore.COSE_KID_CONTEXT in unprotected:
            raise KeyError(name)
        if name not in self._open:
            self._open[name] = self._stations[name], self._begun(self._stations[name])
        return self._open[name][1]

    def station_of(self, context: Context) -> str | None:
        """The station a context is of; None once it is closed."""
        found = self._open.get(context.recipient_id)
        return found[0].key if found is not None and found[1] is context else None

    def close(self) -> None:
        """Write down how far each has counted."""
        for name in list(self._open):
            self._close(name)

    def _begun(self, station: SpeakingStation) -> Context:
        folder = self._folder / f"{station.id}-{station.access_hash[:_HASH_SHOWN]}"
        private_folder(folder)
        keys = station.keys
        told = {
            "secret_hex": keys.secret.hex(),
            "sender-id_hex": keys.recipient_id.hex(),
            "recipient-id_hex": keys.sender_id.hex(),
        }
        file = os.open(folder / "secret.json", os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(file, "w") as writing:
            json.dump(told, writing)
        try:
            return Context(str(folder))
        except TimeoutError:
            _log.warning("oscore_context_in_use", station=station.key)
            raise KeyError(keys.sender_id) from None

    def _close(self, name: bytes) -> None:
        _, context = self._open.pop(name)
        # It has no other way to say so: how far it has counted is written, its file unlocked.
        context._destroy()

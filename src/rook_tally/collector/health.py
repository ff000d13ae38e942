"""The collector's health, as whoever asks for it often may have it: looked up once a second."""

from __future__ import annotations

import asyncio
import time

from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.supervision import Supervisor
from rook_tally.core.errors import StoreError
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.doors.health import CollectorHealth, StillDuty
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.store.base import Store
from rook_tally.store.site import last_heard

_FRESH_S = 1.0
_PATIENCE_S = 5.0


class HealthCheck:
    """Answers how well the collector is; many who ask at once share one look."""

    def __init__(
        self, store: Store, commits: CommitQueue, presence: Heartbeat, supervisor: Supervisor
    ) -> None:
        self._store, self._commits, self._presence = store, commits, presence
        self._supervisor = supervisor
        self._looking = asyncio.Lock()
        self._looked_s = -_FRESH_S
        self._reading = "ok"
        self._heard_us = 0

    async def ask(self) -> CollectorHealth:
        """Return the collector's health now."""
        async with self._looking:
            if time.monotonic() - self._looked_s >= _FRESH_S:
                try:
                    async with asyncio.timeout(_PATIENCE_S):
                        self._reading = await asyncio.to_thread(self._read)
                except TimeoutError:
                    self._reading = f"no answer from the store in {_PATIENCE_S:g} s"
                self._looked_s = time.monotonic()
        return CollectorHealth(
            self._reading,
            self._commits.trouble or self._presence.trouble or "ok",
            tuple(
                StillDuty(one.name, rfc3339(one.since_us), one.why)
                for one in self._supervisor.standing_still
            ),
            rfc3339(self._heard_us) if self._heard_us else "",
        )

    def _read(self) -> str:
        """Return why the store cannot be read, "ok" if it can; costs a row a station."""
        try:
            with self._store.read() as connection:
                self._heard_us = max(last_heard(connection).values(), default=0)
        except StoreError as error:
            return error.what
        return "ok"

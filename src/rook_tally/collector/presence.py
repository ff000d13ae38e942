"""Presence: the desks learn through the store that a collector lives and how its doors stand."""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
import uuid
from collections.abc import AsyncIterator, Callable
from functools import partial

import structlog

from rook_tally.collector.clock_watch import ClockWatch
from rook_tally.collector.moment import now_us
from rook_tally.core.errors import StoreError
from rook_tally.intake.outlet import DoorReport
from rook_tally.store import (
    HEARTBEAT_S,
    Door,
    DoorState,
    Store,
    prune_changes,
    prune_requests,
    report_alive,
    report_collector,
    report_door,
    withdraw_collector,
    withdraw_door,
)
from rook_tally.store.clock_trust import may_remove

_log = structlog.get_logger(__name__)


class Presence:
    """What one collector says of itself."""

    def __init__(self, store: Store, collector_id: str) -> None:
        self._store = store
        self.clock = ClockWatch(store)
        self._id = collector_id
        self._loop = asyncio.get_running_loop()
        self._standing: dict[str, tuple[DoorState, str]] = {}
        self._writing: set[asyncio.Task[None]] = set()

    def report(self, name: str, address: str) -> DoorReport:
        """What a door calls to say how it stands, from whatever thread."""

        def tell(state: DoorState, detail: str = "") -> None:
            self._loop.call_soon_threadsafe(self._tell, name, address, state, detail)

        return tell

    def withdraw(self, name: str) -> None:
        """A door is no more."""
        self._standing.pop(name, None)
        self._later(partial(self._withdraw, name))

    def _tell(self, name: str, address: str, state: DoorState, detail: str) -> None:
        if self._standing.get(name) == (state, detail):
            return
        self._standing[name] = (state, detail)
        _log.info("door", name=name, address=address, state=state.value, detail=detail)
        self._later(partial(self._write, Door(name, address, state, detail, now_us())))

    def _later(self, write: Callable[[], None]) -> None:
        task = asyncio.create_task(asyncio.to_thread(write))
        self._writing.add(task)
        task.add_done_callback(self._writing.discard)

    def _write(self, door: Door) -> None:
        try:
            with self._store.write() as connection:
                report_door(connection, self._id, door)
        except StoreError as error:
            _log.warning("presence_not_written", error=str(error))

    def _withdraw(self, name: str) -> None:
        try:
            with self._store.write() as connection:
                withdraw_door(connection, self._id, name)
        except StoreError as error:
            _log.warning("presence_not_written", error=str(error))

    async def beat(self) -> None:
        """Say that we live, again and again, and keep the notices short."""
        while True:
            await asyncio.sleep(HEARTBEAT_S)
            await asyncio.to_thread(self._beat_once)

    def _beat_once(self) -> None:
        try:
            self.clock.look()
            with self._store.write() as connection:
                report_alive(connection, self._id, now_us=now_us(), is_set=self.clock.is_set)
                prune_changes(connection)
                if may_remove(connection, now_us=now_us()):
                    prune_requests(connection, now_us=now_us())
        except StoreError as error:
            _log.warning("presence_not_written", error=str(error))

    async def settled(self) -> None:
        """Wait for what is being written."""
        # A report from a thread may be on its way.
        await asyncio.sleep(0)
        if self._writing:
            await asyncio.wait(self._writing)


@contextlib.asynccontextmanager
async def presence_in(store: Store) -> AsyncIterator[Presence]:
    """Enter a collector into the store for as long as the context lasts."""
    collector_id = uuid.uuid4().hex
    with store.write() as connection:
        report_collector(
            connection, collector_id, host=socket.gethostname(), pid=os.getpid(), now_us=now_us()
        )
    presence = Presence(store, collector_id)
    beating = asyncio.create_task(presence.beat())
    try:
        yield presence
    finally:
        beating.cancel()
        await asyncio.wait((beating,))
        await presence.settled()
        with store.write() as connection:
            withdraw_collector(connection, collector_id)

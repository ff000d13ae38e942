"""Presence: the desks learn through the store that a collector lives and how its doors stand."""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
import threading
import uuid
from collections.abc import AsyncIterator
from queue import Empty, SimpleQueue

import structlog
from sqlalchemy.engine import Connection

from rook_tally.clock import now_us
from rook_tally.collector.clock_watch import ClockWatch
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.errors import StoreError
from rook_tally.intake.door_protocols import DoorReport
from rook_tally.store.alarms import write_journal
from rook_tally.store.alarms.clock_trust import may_remove
from rook_tally.store.base import Store, prune_changes
from rook_tally.store.site import (
    HEARTBEAT_S,
    Door,
    DoorState,
    FailedDuty,
    prune_requests,
    report_alive,
    report_collector,
    report_door,
    report_failed,
    withdraw_collector,
    withdraw_door,
)
from rook_tally.store.site.leases import Leases

_log = structlog.get_logger(__name__)


class Heartbeat:
    """Writes one collector's heartbeat, doors and failed duties into the store.

    What cannot be written now, because the store is away, is written with a later heartbeat.
    `trouble` says why the last one could not be written; empty when it was.
    """

    def __init__(self, store: Store, collector_id: str) -> None:
        self._store = store
        self.clock = ClockWatch(store)
        self._id = collector_id
        self.duties = Leases(store, collector_id)
        self._loop = asyncio.get_running_loop()
        self._known: dict[str, Door] = {}
        self.trouble = ""
        self._writing: set[asyncio.Task[None]] = set()
        # What is to be written: a door by its name, None for one that is no more, or a line of the
        # journal. Only the thread that holds the lock touches what it took out.
        self._told: SimpleQueue[tuple[str, Door | None] | Entry] = SimpleQueue()
        self._lock = threading.Lock()
        self._doors: dict[str, Door | None] = {}
        self._entries: list[Entry] = []
        self._failed: tuple[FailedDuty, ...] = ()
        self._failed_written: tuple[FailedDuty, ...] = ()

    def report(self, name: str, address: str) -> DoorReport:
        """The function by which a door reports its state, from any thread."""

        def tell(state: DoorState, detail: str = "") -> None:
            self._loop.call_soon_threadsafe(self._tell, name, address, state, detail)

        return tell

    def withdraw(self, name: str) -> None:
        """A door is no more."""
        self._known.pop(name, None)
        self._told.put((name, None))
        self._write_soon()

    def report_failed(self, failed: tuple[FailedDuty, ...]) -> None:
        """Say which background duties stand still."""
        self._failed = failed
        self._write_soon()

    def journal_duty(self, name: str, words: str) -> None:
        """Enter into the journal what became of a background duty."""
        self._told.put(Entry(now_us(), JournalKind.DUTY, "", name, words=words))
        self._write_soon()

    def _tell(self, name: str, address: str, state: DoorState, detail: str) -> None:
        known = self._known.get(name)
        told = (address, state, detail)
        if known is not None and (known.address, known.state, known.detail) == told:
            return
        self._known[name] = door = Door(name, address, state, detail, now_us())
        _log.info("door", name=name, address=address, state=state.value, detail=detail)
        self._told.put((name, door))
        self._write_soon()

    def _write_soon(self) -> None:
        task = asyncio.create_task(asyncio.to_thread(self._write))
        self._writing.add(task)
        task.add_done_callback(self._writing.discard)

    def _write(self) -> None:
        """Write what waits; one thread at a time, so that the newest word stays."""
        with self._lock:
            self._take_what_was_told()
            failed = self._failed
            if not self._doors and not self._entries and failed == self._failed_written:
                return
            try:
                with self._store.write() as connection:
                    for name, door in self._doors.items():
                        if door is None:
                            withdraw_door(connection, self._id, name)
                        else:
                            report_door(connection, self._id, door)
                    write_journal(connection, self._entries)
                    if failed != self._failed_written:
                        report_failed(connection, self._id, failed)
            except StoreError as error:
                _log.warning("presence_not_written", error=str(error))
            else:
                self._failed_written = failed
                self._doors.clear()
                self._entries.clear()

    def _take_what_was_told(self) -> None:
        with contextlib.suppress(Empty):
            while True:
                match self._told.get_nowait():
                    case Entry() as entry:
                        self._entries.append(entry)
                    case name, door:
                        self._doors[name] = door

    async def beat(self) -> None:
        """Say that we live, again and again, and keep the notices short."""
        while True:
            await asyncio.sleep(HEARTBEAT_S)
            await asyncio.to_thread(self._beat_once)
            await asyncio.to_thread(self._write)

    def _beat_once(self) -> None:
        try:
            self.clock.look()
            with self._store.write() as connection:
                if not report_alive(
                    connection, self._id, now_us=now_us(), is_set=self.clock.is_set
                ):
                    self._enter_anew(connection)
                prune_changes(connection)
                if may_remove(connection, now_us=now_us()):
                    prune_requests(connection, now_us=now_us())
        except StoreError as error:
            self.trouble = error.what
            _log.warning("presence_not_written", error=str(error))
        else:
            self.trouble = ""

    def _enter_anew(self, connection: Connection) -> None:
        """After a long sleep another collector took this one for gone."""
        _log.warning("entered_anew")
        enter(connection, self._id)
        self._failed_written = ()
        for one in list(self._known.values()):
            self._told.put((one.name, one))

    async def settled(self) -> None:
        """Wait for what is being written."""
        # A report from a thread may be on its way.
        await asyncio.sleep(0)
        if self._writing:
            await asyncio.wait(self._writing)


def enter(connection: Connection, collector_id: str) -> None:
    """Enter this process as a collector."""
    report_collector(
        connection, collector_id, host=socket.gethostname(), pid=os.getpid(), now_us=now_us()
    )


@contextlib.asynccontextmanager
async def presence_in(store: Store) -> AsyncIterator[Heartbeat]:
    """Enter a collector into the store for as long as the context lasts."""
    collector_id = uuid.uuid4().hex
    with store.write() as connection:
        enter(connection, collector_id)
    presence = Heartbeat(store, collector_id)
    try:
        yield presence
    finally:
        await presence.settled()
        with store.write() as connection:
            withdraw_collector(connection, collector_id)

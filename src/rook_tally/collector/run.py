"""Wiring: store, commits and doors into one process that stops cleanly."""

from __future__ import annotations

import asyncio
import contextlib
import gc
import os
import signal
import socket
import time
import uuid
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass
from pathlib import Path

import structlog

from rook_tally.collector.archive import keep_bounded, keep_log_short, keep_sealing
from rook_tally.collector.commits import CommitLoop
from rook_tally.core.errors import StoreError
from rook_tally.intake.addresses import (
    BuiltinBroker,
    Certificate,
    Endpoint,
    OutsideBroker,
    bound_socket,
    server_tls,
)
from rook_tally.intake.broker import PrivateBroker
from rook_tally.intake.http_door import HttpDoor
from rook_tally.intake.mqtt_door import MqttDoor
from rook_tally.intake.outlet import DoorReport
from rook_tally.intake.serial_ports import SerialPort
from rook_tally.store import (
    HEARTBEAT_S,
    Door,
    DoorState,
    Store,
    prune_changes,
    report_alive,
    report_collector,
    report_door,
    withdraw_collector,
)

_OUTSIDE_PATIENCE_S = 3.0
_OWN_PATIENCE_S = 10.0

_log = structlog.get_logger(__name__)


@dataclass(frozen=True, slots=True)
class CollectorSettings:
    """Which doors to open. `broker` None leaves MQTT closed; `broker_folder` is our broker's."""

    http: Endpoint
    broker: BuiltinBroker | OutsideBroker | None
    broker_folder: Path
    tls: Certificate | None = None
    serial: tuple[SerialPort, ...] = ()


@dataclass(frozen=True, slots=True)
class OpenDoors:
    """Where the doors are, once they are open."""

    http: str
    mqtt: str | None


def now_us() -> int:
    """The moment now, µs UTC."""
    return time.time_ns() // 1_000


def settle_memory() -> None:
    """Keep what a program has loaded out of later garbage collections: looking through all of it
    took 40 ms in the middle of commits."""
    gc.collect()
    gc.freeze()


async def collect(
    store: Store, settings: CollectorSettings, *, ready: Callable[[OpenDoors], None]
) -> None:
    """Keep the doors open until SIGTERM or SIGINT, then take in what is under way and return.

    Raises
    ------
    DoorError
        When a door cannot be opened at all. A broker that is merely not there yet is none.
    """
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    async with contextlib.AsyncExitStack() as stack:
        presence = await stack.enter_async_context(_presence(store))
        commits = CommitLoop(store)
        stack.push_async_callback(commits.close)
        tls = None if settings.tls is None else server_tls(settings.tls)
        # The port is taken before anything is started that would have to be undone.
        listening = bound_socket(settings.http)
        stack.callback(listening.close)
        mqtt = await _open_mqtt(stack, store, settings, commits, presence)
        http = HttpDoor(listening, reception=commits, store=store, clock=now_us, tls=tls)
        await http.open()
        stack.push_async_callback(http.close)
        presence.report("http", str(http.endpoint))(DoorState.OPEN)
        _open_serial(stack, settings, commits, presence)
        background = [
            asyncio.create_task(keep_sealing(store, clock=now_us)),
            asyncio.create_task(keep_log_short(store)),
            asyncio.create_task(keep_bounded(store, clock=now_us)),
        ]
        settle_memory()
        ready(OpenDoors(str(http.endpoint), mqtt))
        await stop.wait()
        _log.info("stopping")
        for task in background:
            task.cancel()
        await asyncio.wait(background)


def _open_serial(
    stack: contextlib.AsyncExitStack,
    settings: CollectorSettings,
    commits: CommitLoop,
    presence: _Presence,
) -> None:
    if not settings.serial:
        return
    # Loaded late: most have no serial port.
    from rook_tally.intake.serial_door import SerialDoor

    for port in settings.serial:
        name = f"serial {Path(port.path).name}"
        door = SerialDoor(
            port, reception=commits, report=presence.report(name, port.path), clock=now_us
        )
        stack.push_async_callback(door.close)
        door.open()


async def _open_mqtt(
    stack: contextlib.AsyncExitStack,
    store: Store,
    settings: CollectorSettings,
    commits: CommitLoop,
    presence: _Presence,
) -> str | None:
    broker = settings.broker
    if broker is None:
        return None
    patience_s = _OUTSIDE_PATIENCE_S
    if isinstance(broker, BuiltinBroker):
        own = PrivateBroker(settings.broker_folder, broker.endpoint)
        stack.push_async_callback(own.stop)
        await own.start()
        own.mind(presence.report("mqtt", str(own.endpoint)))
        broker = OutsideBroker(own.endpoint)
        patience_s = _OWN_PATIENCE_S
    door = MqttDoor(
        broker, session=f"rook-tally-{store.id[:12]}", reception=commits,
        report=presence.report("mqtt", str(broker.endpoint)), clock=now_us,
    )  # fmt: skip
    stack.push_async_callback(door.close)
    await door.open(patience_s=patience_s)
    return str(broker.endpoint)


class _Presence:
    """Tells the desks, through the store, that this collector lives and how its doors stand."""

    def __init__(self, store: Store, collector_id: str) -> None:
        self._store = store
        self._id = collector_id
        self._standing: dict[str, tuple[DoorState, str]] = {}
        self._writing: set[asyncio.Task[None]] = set()

    def report(self, name: str, address: str) -> DoorReport:
        """What a door calls to say how it stands."""

        def tell(state: DoorState, detail: str = "") -> None:
            if self._standing.get(name) == (state, detail):
                return
            self._standing[name] = (state, detail)
            _log.info("door", name=name, address=address, state=state.value, detail=detail)
            door = Door(name, address, state, detail, now_us())
            task = asyncio.create_task(asyncio.to_thread(self._write, door))
            self._writing.add(task)
            task.add_done_callback(self._writing.discard)

        return tell

    def _write(self, door: Door) -> None:
        try:
            with self._store.write() as connection:
                report_door(connection, self._id, door)
        except StoreError as error:
            _log.warning("presence_not_written", error=str(error))

    async def beat(self) -> None:
        """Say that we live, again and again, and keep the notices short."""
        while True:
            await asyncio.sleep(HEARTBEAT_S)
            await asyncio.to_thread(self._beat_once)

    def _beat_once(self) -> None:
        try:
            with self._store.write() as connection:
                report_alive(connection, self._id, now_us=now_us())
                prune_changes(connection)
        except StoreError as error:
            _log.warning("presence_not_written", error=str(error))

    async def settled(self) -> None:
        """Wait for what is being written."""
        if self._writing:
            await asyncio.wait(self._writing)


@contextlib.asynccontextmanager
async def _presence(store: Store) -> AsyncIterator[_Presence]:
    collector_id = uuid.uuid4().hex
    with store.write() as connection:
        report_collector(
            connection, collector_id, host=socket.gethostname(), pid=os.getpid(), now_us=now_us()
        )
    presence = _Presence(store, collector_id)
    beating = asyncio.create_task(presence.beat())
    try:
        yield presence
    finally:
        beating.cancel()
        await asyncio.wait((beating,))
        await presence.settled()
        with store.write() as connection:
            withdraw_collector(connection, collector_id)

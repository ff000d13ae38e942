"""MQTT as the collector has it: our own broker or somebody's, a lasting session, and the sessions
that collectors left behind."""

from __future__ import annotations

import asyncio
import contextlib
from pathlib import Path

import structlog

from rook_tally.collector.commits import CommitLoop
from rook_tally.collector.moment import now_us
from rook_tally.collector.presence import Presence
from rook_tally.collector.requests import RequestRunner
from rook_tally.core.duties import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError, StoreError, UsageError
from rook_tally.intake.addresses import BuiltinBroker, Certificate, OutsideBroker
from rook_tally.intake.broker import PrivateBroker
from rook_tally.intake.mqtt_door import MqttDoor
from rook_tally.intake.topics import TopicPattern, topic_pattern_from
from rook_tally.store import (
    DoorState,
    Duty,
    Station,
    Store,
    TopicSetting,
    door_settings,
    load_site,
    sessions_used,
    take_duty,
    take_session,
)

_OUTSIDE_PATIENCE_S = 3.0
_OWN_PATIENCE_S = 10.0
_AGAIN_S = 1.0
_LEFT_LOOK_S = 30.0
_QUIET_S = 2.0

_log = structlog.get_logger(__name__)


class MqttSide:
    """The broker and our door at it; follows stations and topics as they change."""

    def __init__(
        self, store: Store, commits: CommitLoop, presence: Presence,
        wanted: BuiltinBroker | OutsideBroker, folder: Path, tls: Certificate | None,
        begin: BeginDuty = begin_unwatched,
    ) -> None:  # fmt: skip
        self._begin = begin
        self._store = store
        self._commits = commits
        self._presence = presence
        self._own = (
            PrivateBroker(folder, wanted.endpoint, tls)
            if isinstance(wanted, BuiltinBroker)
            else None
        )
        self._wanted = wanted
        self._door: MqttDoor | None = None
        self._broker: OutsideBroker | None = None
        self._moved = asyncio.Event()
        self._stack = contextlib.AsyncExitStack()

    async def open(self, requests: RequestRunner) -> str:
        """Start the broker if it is ours, connect, and return its address.

        Raises
        ------
        DoorError
            When our broker cannot be started, or too many collectors are at work.
        """
        if self._own is not None:
            self._own.admit(*self._told())
            self._stack.push_async_callback(self._own.stop)
            await self._own.start()
            broker, patience_s = self._own.own_door, _OWN_PATIENCE_S
            address = str(self._own.endpoint)
        else:
            assert isinstance(self._wanted, OutsideBroker)
            broker, patience_s = self._wanted, _OUTSIDE_PATIENCE_S
            address = str(broker.endpoint)
        report = self._presence.report("mqtt", address)
        if self._own is not None:
            self._own.mind(report, self._begin)
        taken = await asyncio.to_thread(take_session, self._store)
        if taken is None:
            raise DoorError("too many collectors are at work on this store", remedy="stop some")
        slot, held = taken
        self._stack.callback(held.release)
        self._door = MqttDoor(
            broker, session=self._session(slot), group=self._group, reception=self._commits,
            report=report, clock=now_us,
        )  # fmt: skip
        self._stack.push_async_callback(self._door.close)
        self._door.take_topics(self._told()[1])
        await self._door.open(patience_s=patience_s)
        self._stack.callback(requests.add_outlet("mqtt", self._door))
        self._broker = broker
        return address

    async def close(self) -> None:
        """Close the door, then our broker."""
        await self._stack.aclose()

    async def publish(self, topic: str, body: bytes) -> None:
        """Publish a message of ours; DoorError when the broker does not take it."""
        if self._door is None:
            raise DoorError("the broker is not there yet")
        await self._door.publish(topic, body)

    def wake(self) -> None:
        """Stations, keys or topics may have changed."""
        self._moved.set()

    async def run(self) -> None:
        """Follow the settings until cancelled."""
        while True:
            self._moved.clear()
            pause_s = None
            try:
                await self._follow_settings()
            except StoreError as error:
                _log.warning("mqtt_not_followed", error=str(error))
                pause_s = _AGAIN_S
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(pause_s):
                    await self._moved.wait()

    async def _follow_settings(self) -> None:
        """Take up stations, keys and topics as they are now."""
        stations, patterns = await asyncio.to_thread(self._told)
        if self._own is not None:
            self._own.admit(stations, patterns)
        if self._door is not None:
            self._door.take_topics(patterns)

    def _told(self) -> tuple[list[Station], list[TopicPattern]]:
        """Stations that may come in, and topics of others that are wanted."""
        with self._store.read() as connection:
            stations = list(load_site(connection).stations)
            settings = [one.settings for one in door_settings(connection)]
        patterns = []
        for one in settings:
            if isinstance(one, TopicSetting):
                try:
                    patterns.append(topic_pattern_from(one.pattern))
                except UsageError as error:
                    _log.warning("topics_not_understood", pattern=one.pattern, why=error.what)
        return stations, patterns

    @property
    def _group(self) -> str:
        return f"rook-{self._store.id[:12]}"

    def _session(self, slot: int) -> str:
        return f"rook-tally-{self._store.id[:12]}" + (f"-{slot}" if slot else "")

    async def tend_left(self) -> None:
        """Take in what brokers hold for collectors that ended and did not come back: a shared
        subscription goes on giving them their share."""
        while True:
            await asyncio.sleep(_LEFT_LOOK_S)
            try:
                await self._tend_left_once()
            except StoreError as error:
                _log.warning("left_sessions_not_read", error=str(error))

    async def _tend_left_once(self) -> None:
        broker = self._broker
        assert broker is not None
        with self._store.read() as connection:
            used = sessions_used(connection)
        for slot in range(used):
            held = await asyncio.to_thread(take_duty, self._store, Duty.MQTT_SESSION, slot)
            if held is None:
                continue
            try:
                await self._take_left(broker, slot)
            finally:
                held.release()

    async def _take_left(self, broker: OutsideBroker, slot: int) -> None:
        def note(state: DoorState, detail: str = "") -> None:
            _log.info("left_session", slot=slot, state=state.value, detail=detail)

        door = MqttDoor(
            broker, session=self._session(slot), group=self._group, reception=self._commits,
            report=note, clock=now_us, leaving=True,
        )  # fmt: skip
        await door.open(patience_s=_OUTSIDE_PATIENCE_S)
        try:
            while True:
                await asyncio.sleep(_QUIET_S)
                if not door.is_open or door.is_quiet_since(_QUIET_S):
                    return
        finally:
            await door.close()

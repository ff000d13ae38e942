"""MQTT as the collector has it: our own broker or somebody's, a lasting session, and the sessions
that collectors left behind."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import cast

import structlog

from rook_tally.collector.commits import CommitLoop
from rook_tally.collector.moment import now_us
from rook_tally.collector.presence import Presence
from rook_tally.collector.requests import RequestRunner
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.duties import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError, StoreError, UsageError
from rook_tally.core.keys import KeysWanted
from rook_tally.intake.addresses import BuiltinBroker, Certificate, OutsideBroker
from rook_tally.intake.broker import PrivateBroker
from rook_tally.intake.mqtt_door import MqttDoor
from rook_tally.intake.outlet import DoorReport
from rook_tally.intake.topics import TopicPattern, topic_pattern_from
from rook_tally.store import DoorState, Station, TopicSetting, door_settings, load_site
from rook_tally.store.duties import Duties, Duty, HeldDuty
from rook_tally.store.mqtt_sessions import sessions_used, take_session
from rook_tally.store.trust import keys_wanted

_OUTSIDE_PATIENCE_S = 3.0
_OWN_PATIENCE_S = 10.0
_LEFT_LOOK_S = 5.0
_LEFT_FOR_S = 12.0
_HOLD_LOOK_S, _MOVE_AFTER_S = 2.0, 12.0
_QUIET_S = 2.0

_log = structlog.get_logger(__name__)


class MqttSide:
    """The broker and our door at it; follows stations and topics as they change."""

    def __init__(
        self, duties: Duties, commits: CommitLoop, presence: Presence,
        wanted: BuiltinBroker | OutsideBroker, folder: Path, tls: Certificate | None,
        begin: BeginDuty = begin_unwatched,
    ) -> None:  # fmt: skip
        self._begin = begin
        self._duties, self._store = duties, duties.store
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
        self._report: DoorReport | None = None
        self._requests: RequestRunner | None = None
        self._forget_outlet: Callable[[], None] = _nothing
        self._slot, self._held = 0, cast("HeldDuty | None", None)
        # Since when another session's lock has been free, by its slot.
        self._free_since_s: dict[int, float] = {}
        self.settings = SettingsFollower("mqtt", self._follow_settings)
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
        self._broker, self._report, self._requests = broker, report, requests
        self._stack.push_async_callback(self._shut_door)
        await self._open_door(broker, patience_s)
        return address

    async def _open_door(self, broker: OutsideBroker, patience_s: float) -> None:
        """Connect as the first session that no other collector has."""
        taken = await asyncio.to_thread(take_session, self._duties)
        if taken is None:
            raise DoorError("too many collectors are at work on this store", remedy="stop some")
        self._slot, self._held = taken
        assert self._report is not None
        assert self._requests is not None
        self._door = MqttDoor(
            broker, session=self._session(self._slot), group=self._group,
            reception=self._commits, report=self._report, clock=now_us,
        )  # fmt: skip
        self._door.take_topics(self._told()[1])
        await self._door.open(patience_s=patience_s)
        self._forget_outlet = self._requests.add_outlet("mqtt", self._door)

    async def _shut_door(self) -> None:
        if self._door is not None:
            self._forget_outlet()
            await self._door.close()
            self._door = None
        if self._held is not None:
            await asyncio.to_thread(self._held.release)
            self._held = None

    async def keep_session(self) -> None:
        """Hold on to our session: a server that is restarted lets go of its locks, and what nobody
        holds others take for left. Runs until cancelled."""
        lost_s: float | None = None
        while True:
            await asyncio.sleep(_HOLD_LOOK_S)
            try:
                if await self._is_held():
                    lost_s = None
                    continue
                now_s = asyncio.get_running_loop().time()
                lost_s = now_s if lost_s is None else lost_s
                if now_s - lost_s > _MOVE_AFTER_S:
                    # Somebody else works under that name now.
                    _log.warning("mqtt_session_moved", slot=self._slot)
                    await self._shut_door()
                    assert self._broker is not None
                    await self._open_door(self._broker, _OUTSIDE_PATIENCE_S)
                    lost_s = None
            except StoreError as error:
                _log.warning("mqtt_session_not_held", error=str(error))

    async def _is_held(self) -> bool:
        """True if this collector holds its session; it takes it again if nobody has it."""
        if self._held is not None and await asyncio.to_thread(self._held.is_still_held):
            return True
        self._held = await asyncio.to_thread(self._duties.take, Duty.MQTT_SESSION, self._slot)
        if self._held is not None:
            _log.info("mqtt_session_held_again", slot=self._slot)
        return self._held is not None

    async def close(self) -> None:
        """Close the door, then our broker."""
        await self._stack.aclose()

    async def publish(self, topic: str, body: bytes) -> None:
        """Publish a message of ours; DoorError when the broker does not take it."""
        if self._door is None:
            raise DoorError("the broker is not there yet")
        await self._door.publish(topic, body)

    async def _follow_settings(self) -> None:
        """Take up stations, keys and topics as they are now."""
        stations, patterns, keys = await asyncio.to_thread(self._told)
        if self._own is not None:
            self._own.admit(stations, patterns, keys)
        if self._door is not None:
            self._door.take_topics(patterns)

    def _told(self) -> tuple[list[Station], list[TopicPattern], KeysWanted]:
        """Stations that may come in, topics of others that are wanted, and whom keys are wanted
        from."""
        with self._store.read() as connection:
            stations = list(load_site(connection).stations)
            settings = [one.settings for one in door_settings(connection)]
            keys = keys_wanted(connection)
        patterns = []
        for one in settings:
            if isinstance(one, TopicSetting):
                try:
                    patterns.append(topic_pattern_from(one.pattern))
                except UsageError as error:
                    _log.warning("topics_not_understood", pattern=one.pattern, why=error.what)
        return stations, patterns, keys

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
            if self._own is not None:
                await asyncio.to_thread(self._own.keep_log_short)
            try:
                await self._tend_left_once()
            except StoreError as error:
                _log.warning("left_sessions_not_read", error=str(error))

    async def _tend_left_once(self) -> None:
        broker = self._broker
        assert broker is not None
        if not await self._is_held() or self._door is None or not self._door.is_open:
            # Who holds nothing, or hears nothing, leaves everybody else's alone.
            self._free_since_s.clear()
            return
        with self._store.read() as connection:
            used = sessions_used(connection)
        now_s = asyncio.get_running_loop().time()
        for slot in range(used):
            held = await asyncio.to_thread(self._duties.take, Duty.MQTT_SESSION, slot)
            if held is None:
                self._free_since_s.pop(slot, None)
                continue
            try:
                # One that is merely without its lock for a moment takes it again within seconds.
                if now_s - self._free_since_s.setdefault(slot, now_s) >= _LEFT_FOR_S:
                    await self._take_left(broker, slot, held)
                    del self._free_since_s[slot]
            finally:
                await asyncio.to_thread(held.release)

    async def _take_left(self, broker: OutsideBroker, slot: int, held: HeldDuty) -> None:
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
                if not await asyncio.to_thread(held.is_still_held):
                    return
        finally:
            await door.close()


def _nothing() -> None:
    """Before there is a door."""

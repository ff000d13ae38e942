"""MQTT as the collector has it: our own broker or somebody's, a lasting session, and the sessions
that collectors left behind."""

from __future__ import annotations

import asyncio
import contextlib
import uuid
from collections.abc import Callable
from functools import partial
from pathlib import Path

import structlog
from msgspec.structs import replace

from rook_tally.clock import now_us
from rook_tally.collector.door_needs import topic_patterns
from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.in_thread import made_in_thread
from rook_tally.collector.requests import RequestRunner
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.access_policy import KeysWanted
from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError, StoreError
from rook_tally.core.ways_out import WayOutSort
from rook_tally.intake.addresses import BuiltinBroker, Certificate, OutsideBroker
from rook_tally.intake.doors.broker import PrivateBroker
from rook_tally.intake.doors.mqtt import MqttDoor, SessionUse
from rook_tally.intake.doors.topics_heard import HeardTopic, topics_heard
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.intake.topics import TopicPattern
from rook_tally.store.site import DoorState, Station, collectors, door_settings, load_site
from rook_tally.store.site.closed_ways import WHY_CLOSED, closed_ways
from rook_tally.store.site.leases import Lease, Leases, Role
from rook_tally.store.site.mqtt_sessions import forget_sessions_used, sessions_used
from rook_tally.store.site.trust import keys_wanted

_OUTSIDE_PATIENCE_S = 3.0
_OWN_PATIENCE_S = 10.0
_HOLD_LOOK_S = 2.0
_AWAY_S = 30.0
_QUIET_S = 2.0
_HEAR_S = 3.0

_log = structlog.get_logger(__name__)


class MqttLink:
    """The broker and our door at it; follows stations and topics as they change."""

    def __init__(
        self,
        duties: Leases,
        commits: CommitQueue,
        presence: Heartbeat,
        wanted: BuiltinBroker | OutsideBroker,
        folder: Path,
        tls: Certificate | None,
        begin: BeginDuty = begin_unwatched,
    ) -> None:
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
        self._is_off = False
        self._door: MqttDoor | None = None
        self._broker: OutsideBroker | None = None
        self._requests: RequestRunner | None = None
        self._forget_outlet: Callable[[], None] = _nothing
        self._held: Lease | None = None
        # When the door was open last, by the loop's clock.
        self._open_s = 0.0
        self.settings = SettingsFollower("mqtt", self._follow_settings)
        self._stack = contextlib.AsyncExitStack()

    async def open(self, requests: RequestRunner) -> str:
        """Start the broker if it is ours, connect, and return its address.

        Raises
        ------
        DoorError
            When our broker cannot be started.
        """
        self._requests = requests
        self._is_off = await asyncio.to_thread(self._is_switched_off)
        if self._own is not None:
            await self._own.listen_on(self._host_wanted)
            self._own.admit(*self._told())
            self._stack.push_async_callback(self._own.stop)
            await self._own.start()
            self._broker, patience_s = self._own.own_door, _OWN_PATIENCE_S
            self._own.mind(self._report, self._begin)
        else:
            assert isinstance(self._wanted, OutsideBroker)
            self._broker, patience_s = self._wanted, _OUTSIDE_PATIENCE_S
        self._stack.push_async_callback(self._shut_door)
        if self._is_at_others and self._is_off:
            self._report(DoorState.CLOSED, WHY_CLOSED)
            return self.address
        if self._own is None:
            self._held = await asyncio.to_thread(self._duties.take, Role.MQTT_SESSION)
        await self._open_door(self._broker, patience_s)
        return self.address

    @property
    def address(self) -> str:
        """Where the broker is reached."""
        own = self._own
        return str(own.endpoint if own is not None else self._wanted.endpoint)

    @property
    def _is_at_others(self) -> bool:
        return self._own is None and not self._wanted.endpoint.is_loopback

    @property
    def _host_wanted(self) -> str:
        """Where our broker listens as its switch is."""
        wanted = self._wanted.endpoint
        return wanted.on_this_machine.host if self._is_off else wanted.host

    def _is_switched_off(self) -> bool:
        with self._store.read() as connection:
            return (WayOutSort.DOOR, "mqtt") in closed_ways(connection)

    def _report(self, state: DoorState, detail: str = "") -> None:
        self._presence.report("mqtt", self.address)(state, detail)

    async def _open_door(self, broker: OutsideBroker, patience_s: float) -> None:
        """Connect: to take in what comes if that is ours to do, as at our own broker, else to
        stand by."""
        takes = self._own is not None or self._held is not None
        _log.info("mqtt_takes_in" if takes else "mqtt_stands_by")
        session = self._session() if takes else f"{self._session()}-{uuid.uuid4().hex[:8]}"
        _, patterns, _ = await asyncio.to_thread(self._told)
        assert self._requests is not None
        self._door = MqttDoor(
            broker,
            session=session,
            group=self._group,
            reception=self._commits,
            report=self._report,
            clock=now_us,
            use=SessionUse.TAKING if takes else SessionUse.STANDING_BY,
        )
        self._door.take_topics(patterns)
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
        """Hold on to the session by which messages come in, or take it over when its collector
        ended. Runs until cancelled."""
        are_left = True
        while True:
            await asyncio.sleep(_HOLD_LOOK_S)
            try:
                if self._own is not None:
                    await asyncio.to_thread(self._own.keep_log_short)
                else:
                    await self._look_after_session()
                if are_left and (self._own is not None or self._held is not None):
                    await self._take_in_left()
                    are_left = False
            except StoreError as error:
                _log.warning("mqtt_session_not_held", error=str(error))

    async def _look_after_session(self) -> None:
        now_s = asyncio.get_running_loop().time()
        if self._is_at_others and self._is_off:
            return
        if self._door is None or self._door.is_open:
            self._open_s = now_s
        if self._door is None:
            # The store was away as it was to be opened anew.
            await self._open_anew(self._held)
        elif self._held is not None:
            if not await asyncio.to_thread(self._held.is_still_held):
                _log.warning("mqtt_session_was_taken_over")
                await self._open_anew(None)
            elif now_s - self._open_s > _AWAY_S and await asyncio.to_thread(self._are_others):
                # Another may reach the broker that we do not.
                _log.warning("mqtt_session_given_up", unheard_s=now_s - self._open_s)
                await self._open_anew(None)
        elif self._door.is_open:
            held = await made_in_thread(partial(self._duties.take, Role.MQTT_SESSION), _give_back)
            if held is not None:
                await self._open_anew(held)

    def _are_others(self) -> bool:
        with self._store.read() as connection:
            return len(collectors(connection, now_us=now_us())) > 1

    async def _open_anew(self, held: Lease | None) -> None:
        assert self._broker is not None
        if held is not self._held:
            await self._shut_door()
            self._held = held
        await self._open_door(self._broker, _OUTSIDE_PATIENCE_S)

    async def close(self) -> None:
        """Close the door, then our broker."""
        await self._stack.aclose()

    async def hear_topics(self) -> list[HeardTopic]:
        """Listen for a moment to topics that are nobody's yet; none while the broker is away."""
        broker = self._broker
        if broker is None or self._door is None or not self._door.is_open:
            return []
        _, patterns, _ = await asyncio.to_thread(self._told)

        def is_ours(topic: str) -> bool:
            return topic.startswith("rook/") or any(one.names_in(topic) for one in patterns)

        return await topics_heard(broker, _HEAR_S, is_ours)

    async def publish(self, topic: str, body: bytes) -> None:
        """Publish a message of ours; DoorError when the broker does not take it."""
        if self._door is None:
            raise DoorError("the broker is not there yet")
        await self._door.publish(topic, body)

    async def _follow_settings(self) -> None:
        """Take up stations, keys and topics as they are now, and whether others may be reached."""
        is_off = await asyncio.to_thread(self._is_switched_off)
        self._is_off = is_off
        await self._follow_switch()
        stations, patterns, keys = await asyncio.to_thread(self._told)
        if self._own is not None:
            self._own.admit(stations, patterns, keys)
        if self._door is not None:
            self._door.take_topics(patterns)

    async def _follow_switch(self) -> None:
        """Our broker listens on the network or to this machine alone; at somebody else's we are
        there or not."""
        if self._own is not None:
            if self._host_wanted != self._own.endpoint.host:
                await self._shut_door()
                await self._own.listen_on(self._host_wanted)
                self._broker = self._own.own_door
                await self._open_door(self._broker, _OWN_PATIENCE_S)
        elif self._is_at_others and self._is_off and self._door is not None:
            await self._shut_door()
            self._report(DoorState.CLOSED, WHY_CLOSED)
        # Switched on, the session is taken up again by who looks after it.

    def _told(self) -> tuple[list[Station], list[TopicPattern], KeysWanted]:
        """Stations that may come in, topics of others that are wanted, and whom keys are wanted
        from."""
        with self._store.read() as connection:
            site = load_site(connection)
            settings = [one.settings for one in door_settings(connection)]
            keys = keys_wanted(connection)
        stations = list(site.stations)
        for name, number in site.aliases.items():
            # A box that was not told its new name goes on under the old one.
            stations += [replace(one, key=name) for one in stations if one.id == number]
        return stations, list(topic_patterns(settings)), keys

    @property
    def _group(self) -> str:
        return f"rook-{self._store.id[:12]}"

    def _session(self, slot: int = 0) -> str:
        return f"rook-tally-{self._store.id[:12]}" + (f"-{slot}" if slot else "")

    async def _take_in_left(self) -> None:
        """Take in what brokers hold for sessions that several collectors had when they shared what
        came; then they are used no more."""
        with self._store.read() as connection:
            used = sessions_used(connection)
        assert self._broker is not None
        for slot in range(1, used):
            await self._take_left(self._broker, slot)
        if used > 1:
            with self._store.write() as connection:
                forget_sessions_used(connection)

    async def _take_left(self, broker: OutsideBroker, slot: int) -> None:
        def note(state: DoorState, detail: str = "") -> None:
            _log.info("left_session", slot=slot, state=state.value, detail=detail)

        door = MqttDoor(
            broker,
            session=self._session(slot),
            group=self._group,
            reception=self._commits,
            report=note,
            clock=now_us,
            use=SessionUse.LEAVING,
        )
        await door.open(patience_s=_OUTSIDE_PATIENCE_S)
        try:
            while True:
                await asyncio.sleep(_QUIET_S)
                if not door.is_open or door.is_quiet_since(_QUIET_S):
                    return
        finally:
            await door.close()


def _nothing() -> None:
    """Before there is a door."""


def _give_back(taken: Lease | None) -> None:
    if taken is not None:
        taken.release()

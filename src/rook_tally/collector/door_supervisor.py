"""The doors a person set up, opened and closed as the store's settings change."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Protocol, runtime_checkable

import msgspec
import structlog

from rook_tally.clock import now_us
from rook_tally.collector.door_needs import DoorNeeds, door_needs
from rook_tally.collector.heartbeat import Heartbeat
from rook_tally.collector.in_thread import made_in_thread
from rook_tally.collector.requests import RequestRunner
from rook_tally.collector.settings import SettingsFollower
from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.door_settings import polled_address, running_door
from rook_tally.core.ways_out import WayOutSort
from rook_tally.intake.doors.bluetooth_heard import Heard
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.store.base import Store
from rook_tally.store.site import (
    BluetoothSetting,
    BrokerSetting,
    CoapSetting,
    DoorSettings,
    FolderSetting,
    ModbusSetting,
    PollSetting,
    ProbesSetting,
    SerialSetting,
    TopicSetting,
    door_settings,
)
from rook_tally.store.site.closed_ways import closed_ways
from rook_tally.store.site.leases import Lease, Role

_log = structlog.get_logger(__name__)


class _Door(Protocol):
    def open(self, begin: BeginDuty, name: str) -> None: ...

    async def close(self) -> None: ...


@runtime_checkable
class _Hears(Protocol):
    """A door that hears more than it takes in."""

    @property
    def heard(self) -> list[Heard]: ...


class DoorSupervisor:
    """Opens what the store says, beside `always`: doors named on the command line. `folder` is
    where doors count what they sent."""

    def __init__(
        self,
        store: Store,
        commits: CommitQueue,
        presence: Heartbeat,
        requests: RequestRunner,
        folder: Path,
        always: tuple[DoorSettings, ...] = (),
        begin: BeginDuty = begin_unwatched,
    ) -> None:
        self._begin = begin
        self.settings = SettingsFollower("doors", self._follow_settings)
        self._store = store
        self._folder = folder
        self._commits = commits
        self._presence = presence
        self._requests = requests
        self._always = always
        self._needs = DoorNeeds()
        # By their settings as JSON, which can be compared and looked up.
        self._open: dict[bytes, tuple[_Door, str, Callable[[], None]]] = {}

    async def _follow_settings(self) -> None:
        """Open what is new, close what is gone, leave the others as they are."""

        def read() -> tuple[list[DoorSettings], DoorNeeds]:
            with self._store.read() as connection:
                closed = closed_ways(connection)
                told = [
                    one.settings
                    for one in door_settings(connection)
                    if (WayOutSort.POLL, polled_address(one.settings)) not in closed
                ]
                return told, door_needs(connection, (*self._always, *told))

        told, self._needs = await asyncio.to_thread(read)
        wanted = {
            self._key_of(one): one
            for one in (*self._always, *told)
            if not isinstance(one, TopicSetting)
        }
        for key in [one for one in self._open if one not in wanted]:
            await self._close(key)
        for key, settings in wanted.items():
            if key not in self._open:
                self._open_one(key, settings)

    async def _hold_broker(self, slot: int) -> Lease | None:
        """The right to take in from a further broker."""
        take = partial(self._presence.duties.take, Role.FURTHER_BROKER, slot)
        return await made_in_thread(take, lambda taken: None if taken is None else taken.release())

    def heard_by_radio(self) -> list[Heard] | None:
        """Return what open Bluetooth doors hear; None where no such door is open."""
        doors = [one for one, _, _ in self._open.values() if isinstance(one, _Hears)]
        return [heard for door in doors for heard in door.heard] if doors else None

    def _key_of(self, settings: DoorSettings) -> bytes:
        """Return the key of an open door; a serial door with another layout has another key."""
        layout = None
        if isinstance(settings, SerialSetting):
            layout = self._needs.layouts.get(settings.station)
        return msgspec.json.encode(settings) + (
            b"" if layout is None else msgspec.json.encode(layout)
        )

    async def close(self) -> None:
        """Close all of them."""
        for key in list(self._open):
            await self._close(key)

    async def _close(self, key: bytes) -> None:
        door, name, forget = self._open.pop(key)
        forget()
        await door.close()
        self._presence.withdraw(name)
        _log.info("door_closed", name=name)

    def _open_one(self, key: bytes, settings: DoorSettings) -> None:
        """Each sort's module is loaded with the first door of it: most people have none."""
        name = running_door(settings)
        report = self._presence.report(name, _address(settings))
        forget: Callable[[], None] = _nothing
        door: _Door
        match settings:
            case SerialSetting():
                from rook_tally.intake.doors.serial_port import SerialDoor

                serial = SerialDoor(
                    settings,
                    reception=self._commits,
                    report=report,
                    clock=now_us,
                    layout=self._needs.layouts.get(settings.station),
                )
                # Several ports may be open: each is an outlet for its own station.
                forget = self._requests.add_outlet("serial", serial, settings.station)
                door = serial
            case PollSetting() if settings.url.startswith("coap:"):
                from rook_tally.intake.doors.coap_client import CoapPollDoor

                door = CoapPollDoor(settings, reception=self._commits, report=report, clock=now_us)
            case PollSetting():
                from rook_tally.intake.doors.poll import PollDoor

                door = PollDoor(settings, reception=self._commits, report=report, clock=now_us)
            case FolderSetting():
                from rook_tally.intake.doors.watch_folder import FolderDoor

                door = FolderDoor(settings, store=self._store, report=report, clock=now_us)
            case BluetoothSetting():
                from rook_tally.intake.doors.bluetooth import BluetoothDoor

                door = BluetoothDoor(
                    settings,
                    reception=self._commits,
                    report=report,
                    clock=now_us,
                    wanted=lambda *told: self._needs.by_radio.wanted(*told),
                )
            case ProbesSetting():
                from rook_tally.intake.doors.probes import ProbesDoor

                door = ProbesDoor(settings, reception=self._commits, report=report, clock=now_us)
            case ModbusSetting():
                from rook_tally.intake.doors.modbus import ModbusDoor

                door = ModbusDoor(
                    settings,
                    registers=lambda: self._needs.registers.get(settings.station, ()),
                    reception=self._commits,
                    report=report,
                    clock=now_us,
                )
            case CoapSetting():
                from rook_tally.intake.doors.coap import CoapDoor

                door = CoapDoor(
                    settings,
                    reception=self._commits,
                    store=self._store,
                    folder=self._folder,
                    report=report,
                    clock=now_us,
                    controls=self._requests.controls_for,
                )
            case BrokerSetting():
                from rook_tally.intake.doors.further_broker import FurtherBrokerDoor

                broker = FurtherBrokerDoor(
                    settings,
                    site=self._store.id,
                    hold=self._hold_broker,
                    patterns=lambda: self._needs.patterns,
                    reception=self._commits,
                    report=report,
                    clock=now_us,
                )
                forget = self._requests.add_broker(broker)
                door = broker
            case TopicSetting():  # part of the MQTT door
                return
        door.open(self._begin, name)
        self._open[key] = (door, name, forget)


def _nothing() -> None:
    """For a door that nothing goes out by."""


def _address(settings: DoorSettings) -> str:
    """Where a door is, for people."""
    match settings:
        case SerialSetting() | FolderSetting():
            return settings.path
        case PollSetting():
            return settings.url
        case BluetoothSetting():
            return settings.adapter or "first adapter"
        case ProbesSetting():
            return settings.root
        case ModbusSetting():
            return f"{settings.address}#{settings.unit}"
        case CoapSetting():
            return settings.listen
        case BrokerSetting():
            return polled_address(settings)
        case TopicSetting():
            return settings.pattern

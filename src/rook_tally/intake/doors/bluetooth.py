"""The Bluetooth LE door: Environmental Sensing as it is, everything else as the kinds of the site
say.

Sensors that put their values into what they advertise are only listened to. Others are connected
to and read at their own pace: as often as they say they measure, since reading a sensor that
measures rarely gives the value it has kept, at the price of its battery. Those that send by
themselves stay connected.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Awaitable, Callable, Collection
from dataclasses import dataclass, field
from functools import partial

import structlog
from bleak import BleakScanner
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData
from bleak.exc import BleakError

from rook_tally.intake.decode.environmental import body_of
from rook_tally.intake.door_protocols import DoorReport, Reception, WantedOfSensor
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.bluetooth_air import Air, InRange, in_words, said_by, scanned_on
from rook_tally.intake.doors.bluetooth_heard import Heard
from rook_tally.intake.doors.bluetooth_link import (
    MissingPartError,
    read_once,
    read_sensing,
    sent_by,
)
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.site import BluetoothSetting, DoorState

# Advertised several times a second; nobody needs the same value so often.
_REPEAT_S = 10.0
_USUAL_PACE_S, _SLOWEST_PACE_S = 60.0, 3600.0
_READ_WITHIN_S = 30.0
_AGAIN_S, _LONGEST_AGAIN_S = 2.0, 300.0
_ROUND_S = 0.1
_LET_GO_S = 5.0
# The radio's own service may start anew and forget our scan without a word.
_DEAF_AFTER_S = 120.0
_BATTERY = 0x2A19
_MOST_TROUBLES = 3

_log = structlog.get_logger(__name__)


FindWanted = Callable[[str, str, Collection[str]], WantedOfSensor | None]
"""By its key, its name and what it advertises: what is wanted of a sensor; None for nothing."""


@dataclass(slots=True)
class _Pace:
    """When something of a sensor was offered or read last, and when it is due again."""

    offered_s: dict[str, float] = field(default_factory=dict)
    due_s: float = 0.0
    pace_s: float = _USUAL_PACE_S
    failures: int = 0
    link: asyncio.Task[None] | None = None
    wanted: WantedOfSensor | None = None


class BluetoothDoor(BackgroundDoor):
    """Listens and reads for as long as it is open."""

    def __init__(
        self,
        settings: BluetoothSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
        wanted: FindWanted,
    ) -> None:
        super().__init__(report, clock)
        self._settings = settings
        self._reception = reception
        self._wanted = wanted
        self._air = Air()
        self._paces: dict[str, _Pace] = {}
        self._troubles: dict[str, str] = {}
        self._moved = asyncio.Event()
        # The radio opens one connection at a time.
        self._connecting = asyncio.Lock()

    @property
    def heard(self) -> list[Heard]:
        """All that is heard now, the strongest first."""
        several = sorted(self._air.heard.values(), key=lambda one: -one.rssi)
        return [Heard(one.key, one.name, one.rssi, said_by(one), dict(one.data)) for one in several]

    async def _run(self) -> None:
        try:
            while True:
                try:
                    async with BleakScanner(
                        self._on_heard, bluez=scanned_on(self._settings.adapter)
                    ):
                        self._say_troubles()
                        await self._follow()
                except (BleakError, OSError, EOFError) as error:
                    self._report(DoorState.TRYING, in_words(error))
                await asyncio.sleep(_AGAIN_S)
        finally:
            await self._let_go()

    def _on_heard(self, device: BLEDevice, told: AdvertisementData) -> None:
        self._air.note(device, told)
        self._moved.set()

    async def _follow(self) -> None:
        """Offer what is advertised and read what is due, until the radio has gone deaf."""
        while True:
            now_s = time.monotonic()
            for address, one in list(self._air.heard.items()):
                await self._look_at(address, one, now_s)
            for address in self._paces.keys() - self._air.heard.keys():
                self._forget(address)
            self._moved.clear()
            heard = [one.heard_s for one in self._air.heard.values()]
            if heard and now_s - max(heard) > _DEAF_AFTER_S and not self._are_linked:
                self._air.heard.clear()
                _log.warning("bluetooth_deaf")
                return
            # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_AGAIN_S):
                    await self._moved.wait()
            # Where much is heard, all of it is looked at so often.
            await asyncio.sleep(_ROUND_S)

    async def _look_at(self, address: str, one: InRange, now_s: float) -> None:
        wanted = self._wanted(one.key, one.name, one.data.keys())
        if wanted is None and not one.is_sensing:
            return
        pace = self._paces.setdefault(address, _Pace())
        if pace.wanted is not wanted and pace.wanted != wanted:
            # Its kind was written, or changed: what was begun by another is begun anew.
            pace.due_s = 0.0
            if pace.link is not None:
                pace.link.cancel()
        pace.wanted = wanted
        if one.advertised and now_s - pace.offered_s.get("", -_REPEAT_S) >= _REPEAT_S:
            pace.offered_s[""] = now_s
            await self._offer_sensing(address, one.advertised, one)
        if wanted is not None:
            for source in wanted.map.layouts.keys() & one.data.keys():
                if now_s - pace.offered_s.get(source, -wanted.cadence_s) >= wanted.cadence_s:
                    pace.offered_s[source] = now_s
                    await self._offer(address, source, one.data[source], one.key)
        is_read = wanted is not None and wanted.map.is_connected
        if not is_read and (one.advertised or not one.is_sensing):
            return
        if pace.link is None and now_s >= pace.due_s:
            if wanted is not None and wanted.map.is_connected:
                pace.link = asyncio.create_task(self._link(address, one, wanted, pace))
            else:
                pace.link = asyncio.create_task(self._sense(address, one, pace))
            pace.link.add_done_callback(partial(self._on_let_go, address, one, pace))

    def _on_let_go(self, address: str, one: InRange, pace: _Pace, link: asyncio.Task[None]) -> None:
        pace.link = None
        if not link.cancelled() and (error := link.exception()) is not None:
            _log.error("bluetooth_link_failed", address=address, exc_info=error)
            self._trouble(address, one, pace, error)

    async def _offer_sensing(self, address: str, values: dict[int, bytes], one: InRange) -> None:
        """Offer values of Environmental Sensing."""
        body = body_of(values, one.rssi)
        await offered(
            self._reception,
            Message(
                "bluetooth", address, body, self._clock(), BodyFormat.ENVIRONMENTAL, station=one.key
            ),
        )

    async def _offer(self, address: str, source: str, body: bytes, key: str) -> None:
        """Offer bytes that the layout of a kind reads, or a line."""
        where = f"{address} {source}"
        message = Message("bluetooth", where, body, self._clock(), station=key)
        await offered(self._reception, message)

    async def _sense(self, address: str, one: InRange, pace: _Pace) -> None:
        """Read a sensor of Environmental Sensing."""

        async def read() -> None:
            values, told_s = await read_sensing(one.device)
            pace.pace_s = min(max(_USUAL_PACE_S, told_s), _SLOWEST_PACE_S)
            if values:
                await self._offer_sensing(address, values, one)

        await self._trying(address, one, pace, read)

    async def _link(self, address: str, one: InRange, wanted: WantedOfSensor, pace: _Pace) -> None:
        """Read a sensor as its kind says, or stay connected to one that sends by itself."""
        pace.pace_s = min(max(_REPEAT_S, wanted.cadence_s), _SLOWEST_PACE_S)
        sends = wanted.map.lines or any(each.notify for each in wanted.map.characteristic)
        if not sends:

            async def read() -> None:
                told, battery = await read_once(one.device, wanted.map)
                for source, body in told:
                    await self._offer(address, source, body, one.key)
                if battery is not None:
                    await self._offer_sensing(address, {_BATTERY: battery}, one)

            await self._trying(address, one, pace, read)
            return
        batteries: list[bytes] = []
        try:
            async for source, body in sent_by(
                one.device,
                wanted.map,
                pace.pace_s,
                connecting=self._connecting,
                on_battery=batteries.append,
            ):
                pace.failures = 0
                self._settle(address)
                await self._offer(address, source, body, one.key)
                while batteries:
                    await self._offer_sensing(address, {_BATTERY: batteries.pop()}, one)
        except (BleakError, OSError, EOFError, TimeoutError, MissingPartError) as error:
            self._trouble(address, one, pace, error)
        else:
            pace.due_s = time.monotonic() + _AGAIN_S

    async def _trying(
        self, address: str, one: InRange, pace: _Pace, read: Callable[[], Awaitable[None]]
    ) -> None:
        pace.due_s = time.monotonic() + pace.pace_s
        try:
            async with self._connecting, asyncio.timeout(_READ_WITHIN_S):
                await read()
        except (BleakError, OSError, EOFError, TimeoutError, MissingPartError) as error:
            self._trouble(address, one, pace, error)
        else:
            pace.failures = 0
            self._settle(address)
            pace.due_s = time.monotonic() + pace.pace_s

    def _trouble(self, address: str, one: InRange, pace: _Pace, error: BaseException) -> None:
        """Say what was wrong with a sensor, and try it again, each time later."""
        why = str(error) or "no answer in time"
        pace.failures += 1
        wait_s = min(_AGAIN_S * 2**pace.failures, _LONGEST_AGAIN_S)
        pace.due_s = time.monotonic() + max(wait_s, min(pace.pace_s, _LONGEST_AGAIN_S))
        if isinstance(error, MissingPartError):
            pace.due_s = time.monotonic() + _LONGEST_AGAIN_S
        _log.info("bluetooth_not_read", address=address, why=why)
        self._troubles[address] = f"{one.name or one.key}: {why}"
        self._say_troubles()

    def _settle(self, address: str) -> None:
        if self._troubles.pop(address, None) is not None:
            self._say_troubles()

    def _say_troubles(self) -> None:
        told = list(self._troubles.values())[:_MOST_TROUBLES]
        self._report(DoorState.OPEN, "; ".join(told))

    @property
    def _are_linked(self) -> bool:
        return any(one.link is not None for one in self._paces.values())

    def _forget(self, address: str) -> None:
        pace = self._paces[address]
        if pace.link is None:
            del self._paces[address]
            self._settle(address)

    async def _let_go(self) -> None:
        links = [one.link for one in self._paces.values() if one.link is not None]
        for link in links:
            link.cancel()
        if links:
            # The radio's service may be gone, and answer nobody any more.
            await asyncio.wait(links, timeout=_LET_GO_S)

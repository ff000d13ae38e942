"""Looking for what this machine has within reach: serial ports as they come and go, its probes,
Bluetooth adapters and what is heard by them, topics of others at the broker."""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import Awaitable, Callable, Collection, Sequence
from pathlib import Path

import structlog

from rook_tally.core.ble_distance import distance_in_words, rough_distance_m
from rook_tally.core.errors import DoorError, UsageError
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.core.quantities.number_input import number_text
from rook_tally.intake.bounds import shortened
from rook_tally.intake.doors.bluetooth_heard import Heard
from rook_tally.intake.doors.port_names import ports_here
from rook_tally.intake.doors.sysfs import probes_in, read_probe
from rook_tally.intake.doors.topics_heard import HeardTopic
from rook_tally.store.base import Store
from rook_tally.store.site import (
    DoorSettings,
    ModbusSetting,
    SerialSetting,
    door_settings,
    load_site,
)
from rook_tally.store.site.in_reach import in_reach, put_in_reach

_FIRST_S, _EVERY_S = 2.0, 10.0
_TOPICS_EVERY_S = 60.0
_MOST_TOLD, _MOST_BY_RADIO = 3, 40
# What changes all the time is told anew so often.
_SAYS_EVERY_S = 30.0

HearRadio = Callable[[], Sequence[Heard] | None]
"""What is heard by Bluetooth; None where nobody listens."""
HearTopics = Callable[[], Awaitable[Sequence[HeardTopic]]]

_log = structlog.get_logger(__name__)


class ReachLook:
    """Looks again and again. `radio` and `topics` say what is heard by open doors."""

    def __init__(
        self,
        store: Store,
        *,
        radio: HearRadio = lambda: None,
        topics: HearTopics | None = None,
        root: Path = Path("/sys"),
    ) -> None:
        self._store, self._radio, self._topics, self._root = store, radio, topics, root
        self._told_s = self._topics_s = -_TOPICS_EVERY_S
        self._heard_topics: tuple[Reachable, ...] = ()

    async def run(self) -> None:
        """Look, and write down what changed, until cancelled; doors are opened first."""
        await asyncio.sleep(_FIRST_S)
        while True:
            await self._hear_topics()
            await asyncio.to_thread(self.look)
            await asyncio.sleep(_EVERY_S)

    async def _hear_topics(self) -> None:
        if self._topics is None or time.monotonic() - self._topics_s < _TOPICS_EVERY_S:
            return
        self._topics_s = time.monotonic()
        try:
            heard = await self._topics()
        except DoorError as error:
            _log.info("topics_not_heard", why=error.what)
            heard = ()
        self._heard_topics = tuple(
            Reachable(ReachSort.TOPIC, one.topic, _shown(one.body)) for one in heard
        )

    def look(self) -> None:
        """Look once. What probes say is not news: only that they are there."""
        with self._store.read() as connection:
            known = in_reach(connection)
            doors = [one.settings for one in door_settings(connection)]
        ports = _ports({_serial_path(one) for one in doors})
        found = [*ports, *_probes(self._root), *self._by_radio(), *self._heard_topics]
        is_new = [(one.sort, one.name) for one in known] != [(one.sort, one.name) for one in found]
        now_s = time.monotonic()
        says = [one for one in known if one.sort.changes] != [
            one for one in found if one.sort.changes
        ]
        if is_new or (says and now_s - self._told_s >= _SAYS_EVERY_S):
            self._told_s = now_s
            with self._store.write() as connection:
                put_in_reach(connection, found)

    def _by_radio(self) -> list[Reachable]:
        heard = self._radio()
        if heard is None:
            return _adapters(self._root)
        with self._store.read() as connection:
            stations = {one.key for one in load_site(connection).stations} if heard else set()
        return [
            Reachable(
                ReachSort.BLUETOOTH,
                one.key,
                _strength(one.rssi) + f"; {one.says}",
                one.name,
                {source: raw.hex() for source, raw in one.data.items()},
            )
            for one in heard
            if one.key not in stations and (one.name or one.data)
        ][:_MOST_BY_RADIO]


def _strength(rssi: int) -> str:
    return f"{number_text(rssi)} dBm, {distance_in_words(rough_distance_m(rssi))}"


def _ports(taken: Collection[str]) -> list[Reachable]:
    """Ports that something is plugged into and that no door has yet."""
    return [
        Reachable(ReachSort.PORT, one.path, one.what)
        for one in ports_here()
        if one.what and os.path.realpath(one.path) not in taken
    ]


def _serial_path(settings: DoorSettings) -> str:
    """The device of a door at a serial port, whatever link it was named by; empty for others."""
    match settings:
        case SerialSetting(path=path):
            return os.path.realpath(path)
        case ModbusSetting(address=address) if address.startswith("/"):
            return os.path.realpath(address)
    return ""


def _adapters(root: Path) -> list[Reachable]:
    """Bluetooth adapters, by which nobody listens yet."""
    names = sorted(one.name for one in (root / "class" / "bluetooth").glob("hci*"))
    several = [one for one in names if ":" not in one]
    return [Reachable(ReachSort.ADAPTER, one, "nobody listens by it yet") for one in several]


def _probes(root: Path) -> list[Reachable]:
    try:
        found = probes_in(root)
    except UsageError:
        return []
    told = []
    for name, (device, channels) in found.items():
        values = [one for one in read_probe(name, device, channels).values if one.value is not None]
        words = ", ".join(f"{one.value:g} {one.unit}".rstrip() for one in values[:_MOST_TOLD])
        told.append(Reachable(ReachSort.PROBE, name, words))
    return told


def _shown(body: bytes) -> str:
    """A message in a line; bytes that are no text as hexadecimal."""
    try:
        text = body.decode()
    except UnicodeDecodeError:
        return shortened(body.hex(" "))
    return (
        shortened(" ".join(text.split())) if text.isprintable() or text.strip() else body.hex(" ")
    )

"""The door of this machine's own probes: all of them are read at a cadence, found and gone."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.doors.sysfs import ProbeReading, Probes, probes_in, read_probe
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.site import DoorState, ProbesSetting

_LOOK_S = 10.0


class ProbesDoor(BackgroundDoor):
    """Reads the probes below a folder, those that are wanted or all."""

    def __init__(
        self,
        settings: ProbesSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        super().__init__(report, clock)
        self._settings = settings
        self._reception = reception

    async def _run(self) -> None:
        loop, settings = asyncio.get_running_loop(), self._settings
        due, look = loop.time(), loop.time()
        found: Probes = {}
        while True:
            try:
                if loop.time() >= look or not found:
                    found = await asyncio.to_thread(_wanted, settings)
                    look = loop.time() + _LOOK_S
                several = await asyncio.to_thread(_read_all, found)
            except UsageError as error:
                found = {}
                self._report(DoorState.TRYING, error.what)
            else:
                now_us = self._clock()
                messages = [message for one in several if (message := _message(one, now_us))]
                # Together: they are written in one commit, not one after the other.
                await asyncio.gather(*(offered(self._reception, one) for one in messages))
                self._report(DoorState.OPEN, _trouble(settings, several))
            due = max(due + settings.every_s, loop.time())
            await asyncio.sleep(due - loop.time())


def _wanted(settings: ProbesSetting) -> Probes:
    found = probes_in(Path(settings.root))
    only = set(settings.only)
    return {name: told for name, told in found.items() if not only or name in only}


def _read_all(found: Probes) -> list[ProbeReading]:
    return [read_probe(name, *told) for name, told in found.items()]


def _message(one: ProbeReading, now_us: int) -> Message | None:
    """What a probe said; None where nothing of it can be read, since it is gone."""
    told: dict[str, object] = {}
    for value in one.values:
        if value.value is not None:
            told[value.field] = f"{value.value!r} {value.unit}" if value.unit else value.value
        else:
            told[value.field] = value.why
    if not any(value.value is not None for value in one.values) and not Path(one.path).exists():
        return None
    return Message(
        "probes", one.path, msgspec.json.encode(told), now_us, BodyFormat.JSON, station=one.name
    )


def _trouble(settings: ProbesSetting, several: list[ProbeReading]) -> str:
    names = {one.name for one in several}
    missing = [f"{name} is not there" for name in settings.only if name not in names]
    failed = [f"{one.name}: {value.why}" for one in several for value in one.values if value.why]
    if not several and not missing:
        return "no probe was found"
    return "; ".join([*missing, *failed][:3])

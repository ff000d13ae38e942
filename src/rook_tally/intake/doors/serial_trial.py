"""Listens to a serial port for a moment, without taking anything in."""

from __future__ import annotations

import asyncio

from rook_tally import clock
from rook_tally.core.door_settings import SerialSetting
from rook_tally.core.errors import DoorError
from rook_tally.intake.doors.serial_port import SerialDoor
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.store.site import DoorState

_ENOUGH = 5


class _Listening:
    """Gathers what a door hears, and hears how it stands."""

    def __init__(self) -> None:
        self.bodies: list[bytes] = []
        self.why = ""
        self.ended = asyncio.Event()

    async def take(self, message: Message) -> IntakeResult:
        """Gather a message."""
        self.bodies.append(message.body)
        if len(self.bodies) >= _ENOUGH:
            self.ended.set()
        return IntakeResult()

    def __call__(self, state: DoorState, detail: str = "") -> None:
        """Hear that the port cannot be opened, or went away."""
        if state is DoorState.TRYING:
            self.why = detail
            self.ended.set()


async def lines_heard(settings: SerialSetting, for_s: float) -> list[bytes]:
    """Lines that come within some seconds, as the door would take them in; none where it is silent.

    Raises
    ------
    DoorError
        When the port is not there, is another program's, or goes away before a line came.
    """
    listening = _Listening()
    door = SerialDoor(settings, reception=listening, report=listening, clock=clock.now_us)
    door.open()
    try:
        async with asyncio.timeout(for_s):
            await listening.ended.wait()
    except TimeoutError:
        pass
    finally:
        await door.close()
    if listening.why and not listening.bodies:
        raise DoorError(listening.why, remedy="see which ports are here: rook-tally ports")
    return listening.bodies

"""The base of doors that read by themselves: a task of their own, from open to close."""

from __future__ import annotations

import abc
import asyncio
from collections.abc import Callable

from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.intake.door_protocols import DoorReport


class BackgroundDoor(abc.ABC):
    """A door that runs for as long as it is open; `_run` is ended by cancelling it."""

    def __init__(self, report: DoorReport, clock: Callable[[], int]) -> None:
        self._report = report
        self._clock = clock
        self._task: asyncio.Task[None] | None = None

    def open(self, begin: BeginDuty = begin_unwatched, name: str = "door") -> None:
        """Begin, as a duty of this name."""
        self._task = begin(name, self._run)

    async def close(self) -> None:
        """Stop, and wait until it has."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.wait((self._task,))

    @abc.abstractmethod
    async def _run(self) -> None:
        """Read until cancelled."""

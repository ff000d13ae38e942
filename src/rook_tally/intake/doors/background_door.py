"""The base of doors that read by themselves: a task of their own, from open to close."""

from __future__ import annotations

import abc
import asyncio
from collections.abc import Callable

from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.intake.door_protocols import DoorReport

_AGAIN_S = 1.0


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
        """Stop, and wait until it has. What fails while it is cancelled may take the place of the
        cancelling, so that is said again until it is heard."""
        while self._task is not None and not self._task.done():
            self._task.cancel()
            await asyncio.wait((self._task,), timeout=_AGAIN_S)

    @abc.abstractmethod
    async def _run(self) -> None:
        """Read until cancelled."""

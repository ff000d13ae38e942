"""The types of a background duty: how it runs, and how somebody begins it."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from typing import Protocol, TypeAlias

DutyCoroutine: TypeAlias = Callable[[], Coroutine[None, None, None]]
"""A duty: runs until it is cancelled, and can be run again from the start."""


class BeginDuty(Protocol):
    """Begins a duty under a name for people; cancelling the task ends it."""

    def __call__(self, name: str, run: DutyCoroutine) -> asyncio.Task[None]:
        """The task that runs it."""
        ...


def begin_unwatched(name: str, run: DutyCoroutine) -> asyncio.Task[None]:
    """A duty with nobody to look after it: what ends it stays in its task."""
    return asyncio.create_task(run(), name=name)

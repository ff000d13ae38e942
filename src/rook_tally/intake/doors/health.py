"""The health of a collector: whether its store can be read and written, and its duties are done."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import TypeAlias

import msgspec


class StillDuty(msgspec.Struct, frozen=True):
    """A background duty that stands still, since when (RFC 3339) and why."""

    name: str
    since: str
    why: str


class CollectorHealth(msgspec.Struct, frozen=True):
    """Reading and writing are "ok" or say why not; `last_heard` is when any station was heard
    last, RFC 3339, empty for never."""

    reading: str
    writing: str
    duties: tuple[StillDuty, ...]
    last_heard: str

    @property
    def is_well(self) -> bool:
        """True if nothing is wrong."""
        return self.reading == self.writing == "ok" and not self.duties


AskHealth: TypeAlias = Callable[[], Awaitable[CollectorHealth]]

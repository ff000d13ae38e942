"""The desk's clock: what now is, running or held still for a picture."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    """Tells the moment now, µs UTC."""

    def __call__(self) -> int:
        """The moment now."""
        ...


def running_clock() -> int:
    """The machine's clock."""
    return time.time_ns() // 1_000


def held_clock(time_us: int) -> Clock:
    """A clock that stands still."""
    return lambda: time_us

"""The desk's clock: what now is, running or held still for a picture."""

from __future__ import annotations

from typing import Protocol


class Clock(Protocol):
    """Tells the moment now, µs UTC."""

    def __call__(self) -> int:
        """The moment now."""
        ...


def held_clock(time_us: int) -> Clock:
    """A clock that stands still."""
    return lambda: time_us

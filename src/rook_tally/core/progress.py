"""Progress of long work: how far it is, and where it ends early when that is asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TypeAlias, TypeVar

_Item = TypeVar("_Item")
_EVERY = 4096

Progress: TypeAlias = Callable[[float], None]
"""Called with the share done, 0 to 1; raises `CancelledError` to end the work there."""


def unwatched(_share: float) -> None:
    """The progress of work that nobody waits beside."""


def part_of(progress: Progress, start: float, end: float) -> Progress:
    """The progress of a part that takes from one share of the whole to another."""
    return lambda share: progress(start + (end - start) * share)


def counted(items: Sequence[_Item], progress: Progress) -> Iterator[_Item]:
    """Go through items and say how far it is, every few thousand of them."""
    for at, item in enumerate(items):
        if at % _EVERY == 0:
            progress(at / len(items))
        yield item

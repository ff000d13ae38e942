"""What a collector found within reach of its machine and nobody has set up."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.struct_types import prepare


class ReachSort(enum.Enum):
    """The sort of a thing in reach."""

    PORT = "port"
    """A serial port."""
    PROBE = "probe"
    """A probe of the machine itself."""
    ADAPTER = "adapter"
    """A Bluetooth adapter by which nobody listens."""
    BLUETOOTH = "bluetooth"
    """Something that is heard by Bluetooth."""
    TOPIC = "topic"
    """A topic of somebody else at the broker."""
    ADDRESS = "address"
    """An address of another machine that answers."""

    @property
    def changes(self) -> bool:
        """True if what it says is news, beside that it is there."""
        return self in (ReachSort.BLUETOOTH, ReachSort.TOPIC)


class Reachable(msgspec.Struct, frozen=True, omit_defaults=True):
    """A thing in reach: what it is called, and what is there or what it says, in words.

    `title` is what it calls itself; `data` are bytes it said last, as hexadecimal, by what they are
    called.
    """

    sort: ReachSort
    name: str
    says: str
    title: str = ""
    data: dict[str, str] = {}


prepare(Reachable)

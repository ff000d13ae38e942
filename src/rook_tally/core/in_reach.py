"""Serial ports and probes that a collector found on its machine and nobody has set up."""

from __future__ import annotations

import enum

import msgspec


class ReachSort(enum.Enum):
    """The sort of a thing in reach: a serial port, or a probe of the machine itself."""

    PORT = "port"
    PROBE = "probe"


class Reachable(msgspec.Struct, frozen=True):
    """A port by its path or a probe by its station's name, and what is there or what it says."""

    sort: ReachSort
    name: str
    says: str

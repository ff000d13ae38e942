"""What can happen to a site, one thing at a time. Moments are whole microseconds."""

from __future__ import annotations

from dataclasses import dataclass

S = 1_000_000
MINUTE = 60 * S
HOUR = 60 * MINUTE
DAY = 24 * HOUR


@dataclass(frozen=True)
class Value:
    """One value of a message: its field, its time if it has one, the number."""

    field: str
    time_us: int | None
    number: float


@dataclass(frozen=True)
class Message:
    """A station's message as it arrives by the collector's clock."""

    station: str
    arrived_us: int
    values: tuple[Value, ...]


@dataclass(frozen=True)
class Correct:
    """From a moment on: shown = gain × raw + offset."""

    series: tuple[str, str]
    from_us: int
    gain: float
    offset: float


@dataclass(frozen=True)
class Overrule:
    """A person says of a stretch [from, to) what its readings are worth: good, or set aside."""

    series: tuple[str, str]
    from_us: int
    to_us: int
    good: bool


@dataclass(frozen=True)
class TakeBackOverruling:
    """The newest overruling that stands is taken back."""


@dataclass(frozen=True)
class Import:
    """Readings of a file; what is there already stays."""

    series: tuple[str, str]
    rows: tuple[tuple[int, float], ...]
    now_us: int


@dataclass(frozen=True)
class UndoImport:
    """The newest import that stands is taken back."""


@dataclass(frozen=True)
class Seal:
    """Complete days two days old leave the row table."""

    now_us: int


@dataclass(frozen=True)
class Thin:
    """Old readings are given up for space."""

    before_us: int


@dataclass(frozen=True)
class Restart:
    """The collector ends, and another begins at once."""


@dataclass(frozen=True)
class OtherCollector:
    """From here on another collector takes the messages in; the one before it may be back later."""


@dataclass(frozen=True)
class Configure:
    """Somebody adds a station: the configuration is another."""


@dataclass(frozen=True)
class Look:
    """Whoever keeps the time looks at the watches."""

    now_us: int


Event = (
    Message
    | Correct
    | Overrule
    | TakeBackOverruling
    | Import
    | UndoImport
    | Seal
    | Thin
    | Restart
    | OtherCollector
    | Configure
    | Look
)

"""What a person keeps on the Bench: which two, which sensor, what happens, whose hours, which air.

Series are told by their ids: they stay the same when stations and places are renamed.
"""

from __future__ import annotations

from typing import TypeAlias

import msgspec


class PairItem(msgspec.Struct, frozen=True, tag="pair"):
    """Two series side by side, and more of them beside the first."""

    first: int
    second: int
    others: tuple[int, ...] = ()

    @property
    def series(self) -> tuple[int, ...]:
        """The series it is about."""
        return (self.first, self.second, *self.others)


class SensorItem(msgspec.Struct, frozen=True, tag="sensor"):
    """A sensor's reference points."""

    sensor: int

    @property
    def series(self) -> tuple[int, ...]:
        """The series it is about."""
        return (self.sensor,)


class EventItem(msgspec.Struct, frozen=True, tag="event"):
    """What happens when; `source` as commands say it, minutes looked at before and after."""

    source: str
    before_min: float = 30.0
    after_min: float = 120.0

    @property
    def series(self) -> tuple[int, ...]:
        """None: it is about all of them."""
        return ()


class UsualItem(msgspec.Struct, frozen=True, tag="usual"):
    """What is usual of a series; `threshold` in the base unit, None for the limit in force."""

    of: int
    threshold: float | None = None

    @property
    def series(self) -> tuple[int, ...]:
        """The series it is about."""
        return (self.of,)


class AirItem(msgspec.Struct, frozen=True, tag="air"):
    """How a room airs, by CO₂ or particles; its volume, and the switch of a cleaner."""

    by: int
    volume_m3: float | None = None
    cleaner: int | None = None

    @property
    def series(self) -> tuple[int, ...]:
        """The series it is about."""
        return (self.by,) if self.cleaner is None else (self.by, self.cleaner)


BenchItem: TypeAlias = PairItem | SensorItem | EventItem | UsualItem | AirItem

"""Levels, and the limits at which they begin."""

from __future__ import annotations

import enum
import itertools
from collections.abc import Iterator
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.hours_of_day import HoursOfDay, is_within_hours, within_hours
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us, time_us_from_datetime


class Level(enum.IntEnum):
    """Severity, drawn as that many tally strokes."""

    SETTLED = 0
    NOTICED = 1
    RAISED = 2
    HIGH = 3
    SEVERE = 4

    @property
    def wording(self) -> str:
        """The level's name in lower case."""
        return self.name.lower()


_LONGEST_BY_HOURS_US = 32 * DAY_US
_FROM_WORST = (Level.SEVERE, Level.HIGH, Level.RAISED, Level.NOTICED)
Four = tuple[float | None, float | None, float | None, float | None]
_NONE: Four = (None, None, None, None)


class HourLimits(msgspec.Struct, frozen=True):
    """Limits that hold at some hours in place of those of the whole day, such as of a night's
    noise."""

    hours: HoursOfDay
    above: Four = _NONE
    below: Four = _NONE

    def __post_init__(self) -> None:
        _check(self.above, self.below)


class Limits(msgspec.Struct, frozen=True):
    """Where levels 1–4 begin, upwards (`above`) and downwards (`below`), in the base unit.

    A level begins at its limit: `above=(…, 25, …)` makes exactly 25 raised. None leaves a
    level out. `above` rises and `below` falls from level 1 to level 4.

    Attributes
    ----------
    by_hours : what holds at some hours instead; of several the first
    zone : IANA name of the zone whose clocks the hours are told by; empty for UTC
    """

    above: Four = _NONE
    below: Four = _NONE
    by_hours: tuple[HourLimits, ...] = ()
    zone: str = ""

    def __post_init__(self) -> None:
        _check(self.above, self.below)

    def in_zone(self, zone: str) -> Limits:
        """The same by the clocks of a zone; of the whole day they need none."""
        return replace(self, zone=zone) if self.by_hours else self

    def at(self, time_us: int) -> Limits:
        """What holds at a moment."""
        # Nearly all have no hours, and every cell asks at every tick.
        if not self.by_hours:
            return self
        zone = ZoneInfo(self.zone or "UTC")
        for one in self.by_hours:
            if is_within_hours(time_us, one.hours, zone):
                return Limits(one.above, one.below)
        return Limits(self.above, self.below)

    def stretches(self, start_us: int, end_us: int) -> list[tuple[int, int, Limits]]:
        """From when to when which hold in a window. One longer than a month is told by those of
        the whole day alone: its days could not be told apart."""
        if not self.by_hours or end_us - start_us > _LONGEST_BY_HOURS_US:
            return [(start_us, end_us, Limits(self.above, self.below))]
        zone = ZoneInfo(self.zone or "UTC")
        cuts = sorted(
            {start_us, end_us}
            | {
                moment
                for one in self.by_hours
                for minute in (one.hours.begin_min, one.hours.end_min)
                for moment in _moments_of(minute, start_us, end_us, zone)
            }
        )
        found: list[tuple[int, int, Limits]] = []
        for begin, end in itertools.pairwise(cuts):
            theirs = self.at(begin)
            if found and found[-1][2] == theirs:
                begin = found.pop()[0]
            found.append((begin, end, theirs))
        return found

    def each(self) -> Iterator[Limits]:
        """Those of the whole day and those of hours, whenever they hold."""
        yield Limits(self.above, self.below)
        for one in self.by_hours:
            yield Limits(one.above, one.below)

    def levels_at(self, time_us: TimeArray | FloatArray, values: FloatArray) -> IntArray:
        """Levels of many values, each by what holds at its moment.

        Parameters
        ----------
        time_us : (N,) µs UTC
        values : (N,) float64, base unit

        Returns
        -------
        (N,) int64 of 0–4; NaN gives 0.
        """
        levels = self.levels_of(values)
        if not self.by_hours:
            return levels
        zone, moments = ZoneInfo(self.zone or "UTC"), np.asarray(time_us, np.int64)
        free = np.ones(len(values), np.bool_)
        for one in self.by_hours:
            theirs = free & within_hours(moments, one.hours, zone)
            levels[theirs] = Limits(one.above, one.below).levels_of(values[theirs])
            free &= ~theirs
        return levels

    def level_of(self, value: float) -> Level:
        """The level of one value by those of the whole day, as `levels_of` says it; NaN is settled
        (it says nothing)."""
        # By itself: every cell asks for it at every tick, and an array for one value is slow.
        for level in _FROM_WORST:
            upper, lower = self.above[level - 1], self.below[level - 1]
            if (upper is not None and value >= upper) or (lower is not None and value <= lower):
                return level
        return Level.SETTLED

    def levels_of(self, values: FloatArray) -> IntArray:
        """Levels of many values by those of the whole day.

        Parameters
        ----------
        values : (N,) float64, base unit

        Returns
        -------
        (N,) int64 of 0–4; NaN gives 0.
        """
        levels = np.zeros(len(values), dtype=np.int64)
        for level in range(1, 5):
            upper, lower = self.above[level - 1], self.below[level - 1]
            if upper is not None:
                levels[values >= upper] = level
            if lower is not None:
                levels[values <= lower] = np.maximum(levels[values <= lower], level)
        return levels

    def example(self, level: int) -> float | None:
        """A value that has a level; None where no value has it."""
        if level > 0:
            found = self.above[level - 1], self.below[level - 1]
            return next((one for one in found if one is not None), None)
        uppers = [one for one in self.above if one is not None]
        lowers = [one for one in self.below if one is not None]
        if uppers and lowers:
            return (uppers[0] + lowers[0]) / 2
        if uppers:
            return uppers[0] - max(abs(uppers[0]) / 4, 1e-9)
        return lowers[0] + max(abs(lowers[0]) / 4, 1e-9) if lowers else None

    def nearest(self, value: float, level: Level = Level.RAISED) -> float | None:
        """The limit of that level nearest to a value, on either side; None without one."""
        candidates = [
            limit for limit in (self.above[level - 1], self.below[level - 1]) if limit is not None
        ]
        return min(candidates, key=lambda limit: abs(limit - value), default=None)


def _moments_of(minute: int, start_us: int, end_us: int, zone: ZoneInfo) -> list[int]:
    """When clocks show so many minutes after midnight within a window."""
    day = datetime_from_time_us(start_us).astimezone(zone).date() - timedelta(days=1)
    found: list[int] = []
    while True:
        clock = datetime.combine(day, time(), zone) + timedelta(minutes=minute)
        moment = time_us_from_datetime(clock)
        if moment >= end_us:
            return found
        if moment > start_us:
            found.append(moment)
        day += timedelta(days=1)


def _check(above: Four, below: Four) -> None:
    upward = [limit for limit in above if limit is not None]
    downward = [limit for limit in below if limit is not None]
    if upward != sorted(upward):
        raise ValueError(f"upper limits must rise from level 1 to 4, got {above}")
    if downward != sorted(downward, reverse=True):
        raise ValueError(f"lower limits must fall from level 1 to 4, got {below}")


NO_LIMITS = Limits()

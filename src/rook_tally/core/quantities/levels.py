"""Levels, and the limits at which they begin."""

from __future__ import annotations

import enum
from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray


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


_FROM_WORST = (Level.SEVERE, Level.HIGH, Level.RAISED, Level.NOTICED)
Four = tuple[float | None, float | None, float | None, float | None]
_NONE: Four = (None, None, None, None)


@dataclass(frozen=True, slots=True)
class Limits:
    """Where levels 1–4 begin, upwards (`above`) and downwards (`below`), in the base unit.

    A level begins at its limit: `above=(…, 25, …)` makes exactly 25 raised. None leaves a
    level out. `above` rises and `below` falls from level 1 to level 4.
    """

    above: Four = _NONE
    below: Four = _NONE

    def __post_init__(self) -> None:
        upward = [limit for limit in self.above if limit is not None]
        downward = [limit for limit in self.below if limit is not None]
        if upward != sorted(upward):
            raise ValueError(f"upper limits must rise from level 1 to 4, got {self.above}")
        if downward != sorted(downward, reverse=True):
            raise ValueError(f"lower limits must fall from level 1 to 4, got {self.below}")

    def level_of(self, value: float) -> Level:
        """The level of one value, as `levels_of` says it; NaN is settled (it says nothing)."""
        # By itself: every cell asks for it at every tick, and an array for one value is slow.
        for level in _FROM_WORST:
            upper, lower = self.above[level - 1], self.below[level - 1]
            if (upper is not None and value >= upper) or (lower is not None and value <= lower):
                return level
        return Level.SETTLED

    def levels_of(self, values: FloatArray) -> IntArray:
        """Levels of many values.

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


NO_LIMITS = Limits()

"""Estimates a station's cadence from the times of its messages."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import TimeArray
from rook_tally.core.timestamps import SECOND_US

LOOKED_AT = 13
"""The number of newest messages that are looked at."""
_SETTLED_AFTER = 6
_ALIKE = 0.25
_SHORTEST_S = 0.1


@dataclass(frozen=True, slots=True)
class LearnedCadence:
    """An estimated cadence in seconds, and whether it is settled."""

    cadence_s: float
    is_settled: bool


def learned_cadence(time_us: TimeArray, known_s: float) -> LearnedCadence | None:
    """Estimate a station's cadence from the times of its messages.

    One step longer than the known cadence lengthens it at once, so that a station which reports
    every ten minutes is not called silent. From three steps on the median counts; it is settled
    once six steps lie within a quarter of it.

    Parameters
    ----------
    time_us : (N,) int64, increasing
        The newest messages; see `LOOKED_AT`.
    known_s : float
        The cadence that is expected now.

    Returns
    -------
    LearnedCadence or None
        None while nothing else can be said.
    """
    steps_s = np.diff(time_us) / SECOND_US
    steps_s = steps_s[steps_s >= _SHORTEST_S]
    if not len(steps_s):
        return None
    if len(steps_s) < 3:
        longest = float(steps_s.max())
        return LearnedCadence(_rounded(longest), False) if longest > known_s * 1.5 else None
    usual = float(np.median(steps_s))
    alike = int(np.count_nonzero(np.abs(steps_s - usual) <= _ALIKE * usual))
    is_settled = len(steps_s) >= _SETTLED_AFTER and alike >= _SETTLED_AFTER
    cadence_s = known_s if abs(usual - known_s) <= _ALIKE * known_s else _rounded(usual)
    if cadence_s == known_s and not is_settled:
        return None
    return LearnedCadence(cadence_s, is_settled)


def _rounded(step_s: float) -> float:
    """A step to two digits, and to whole seconds from ten on: 9.98 is 10, 601 is 600."""
    if step_s < 10:
        return max(_SHORTEST_S, round(step_s, 1))
    digits = -(len(str(round(step_s))) - 2)
    return float(round(step_s, digits))

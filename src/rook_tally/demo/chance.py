"""Chance that depends on nothing but a name and a moment: the same every time it is asked.

With it a live station and the history maker agree, and neither keeps any state.
"""

from __future__ import annotations

import zlib

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.timestamps import SECOND_US


def _mixed(counter: NDArray[np.uint64]) -> NDArray[np.uint64]:
    # SplitMix64's finaliser: Steele, Lea & Flood, "Fast splittable pseudorandom number
    # generators", OOPSLA 2014.
    with np.errstate(over="ignore"):
        z = counter * np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return z ^ (z >> np.uint64(31))


def uniform(name: str, step: TimeArray) -> FloatArray:
    """Numbers in [0, 1) by name and whole step, (N,) float64."""
    seed = np.uint64(zlib.crc32(name.encode()) << 32)
    whole = _mixed(step.astype(np.uint64) + seed) >> np.uint64(11)
    return np.asarray(whole / float(1 << 53), np.float64)


def bell(name: str, step: TimeArray) -> FloatArray:
    """Numbers close to a normal law of mean 0 and deviation 1 (sum of four uniform ones)."""
    parts = np.stack([uniform(f"{name}#{part}", step) for part in range(4)])
    return np.asarray((parts.sum(axis=0) - 2.0) * np.sqrt(3.0), np.float64)


def wander(name: str, time_us: TimeArray, every_s: float) -> FloatArray:
    """A smooth wandering line around 0, about one deviation wide, new ground every so often."""
    position = time_us / (every_s * SECOND_US)
    step = np.floor(position).astype(np.int64)
    part = position - step
    smooth = part * part * (3.0 - 2.0 * part)
    left, right = bell(name, step), bell(name, step + 1)
    return left + (right - left) * smooth

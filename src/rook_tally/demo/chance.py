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
    z = counter * np.uint64(0x9E3779B97F4A7C15)
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        z ^= z >> np.uint64(shift)
        z *= np.uint64(factor)
    z ^= z >> np.uint64(31)
    return z


def uniform(name: str, step: TimeArray) -> FloatArray:
    """Numbers in [0, 1) by name and whole step, (N,) float64."""
    seed = np.uint64(zlib.crc32(name.encode()) << 32)
    whole = _mixed(step.astype(np.uint64) + seed) >> np.uint64(11)
    return np.asarray(whole / float(1 << 53), np.float64)


def bell(name: str, step: TimeArray) -> FloatArray:
    """Numbers close to a normal law of mean 0 and deviation 1 (sum of four uniform ones)."""
    total = uniform(f"{name}#0", step)
    for part in range(1, 4):
        total += uniform(f"{name}#{part}", step)
    return np.asarray((total - 2.0) * np.sqrt(3.0), np.float64)


def wander(name: str, time_us: TimeArray, every_s: float) -> FloatArray:
    """A smooth wandering line around 0, about one deviation wide, new ground every so often."""
    position = time_us / (every_s * SECOND_US)
    step = np.floor(position).astype(np.int64)
    part = position - step
    smooth = part * part * (3.0 - 2.0 * part)
    if not len(step):
        return smooth
    # Many moments lie on the same ground.
    first = int(step.min())
    ground = bell(name, np.arange(first, int(step.max()) + 2, dtype=np.int64))
    left, right = ground[step - first], ground[step - first + 1]
    return left + (right - left) * smooth

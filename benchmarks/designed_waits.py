"""The waits that are designed on the ways of a reading, as the limit of how long such a way takes:
whoever looks every 25 ms waits up to that long, at random."""

from __future__ import annotations

import numpy as np

_DRAWS = 100_000
FRAME_S = 1 / 60


def waits_ms(*longest_s: float) -> tuple[float, float]:
    """Median and 95th percentile of the sum of waits, each of any length up to its longest, ms."""
    rng = np.random.default_rng(1)
    total = sum(rng.uniform(0, 1000 * one, _DRAWS) for one in longest_s)
    middle, most = np.percentile(total, [50, 95]).tolist()
    return float(middle), float(most)

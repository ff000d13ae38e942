"""Screening: which readings of a series are suspect, and why.

The believable range is known at once; a lone zero when the next reading has come, a lone spike when
four more have, a stuck value when it has not moved for hours. Screening the last `SCREENED_TAIL`
readings whenever one arrives marks the same ones as screening everything afterwards; stuck values,
which take more than the tail, are looked for by the stretch (`stuck_parts`).
"""

from __future__ import annotations

import numpy as np

from rook_tally.core.arrays import BoolArray, QualityArray
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.series.sensor_faults import hampel, lone_zero, stuck

SPIKE_NEIGHBOURS = 3
# Wide of what noise does: a spike is called so only when nobody would doubt it.
SPIKE_SIGMAS = 5.0
SPIKE_ACCURACIES = 5.0
"""A spike differs from its neighbours by at least this many accuracies."""
STUCK_FOR_S = 6 * 3600.0
STUCK_READINGS = 60

SCREENED_TAIL = 32
"""So many of the newest readings decide what has just become certain; the newer half is judged."""


def screened(readings: Readings, quantity: Quantity, *, max_gap_s: float) -> QualityArray:
    """Qualities of readings in order of time, judged from their values alone.

    Returns
    -------
    (N,) uint8, `Quality` members.
    """
    low, high = quantity.believable
    quality = np.where(
        (readings.value >= low) & (readings.value <= high), Quality.GOOD, Quality.UNBELIEVABLE
    ).astype(np.uint8)
    if quantity.scale is QuantityScale.STATE:
        return quality
    if not quantity.zero_possible:
        # A zero below the range is judged as well: its reason becomes plainer.
        as_good = np.where(readings.value == 0, Quality.GOOD, quality).astype(np.uint8)
        among = Readings(readings.time_us, readings.value, as_good)
        least = max(abs(low), 5 * quantity.accuracy)
        quality[lone_zero(among, max_gap_s=max_gap_s, min_neighbour=least)] = Quality.LONE_ZERO
    if quantity.is_slow:
        spikes = hampel(
            Readings(readings.time_us, readings.value, quality),
            max_gap_s=max_gap_s,
            k=SPIKE_NEIGHBOURS,
            n_sigma=SPIKE_SIGMAS,
            min_dev=SPIKE_ACCURACIES * quantity.accuracy,
            whole_windows=True,
        )
        quality[spikes] = Quality.LONE_SPIKE
    if quantity.never_still:
        stuck_ones = stuck_parts(
            Readings(readings.time_us, readings.value, quality), max_gap_s=max_gap_s
        )
        quality[stuck_ones & (quality == Quality.GOOD)] = Quality.STUCK
    return quality


def stuck_parts(readings: Readings, *, max_gap_s: float) -> BoolArray:
    """(N,) mask of the stretches in which a value that is never still did not move for hours."""
    inside = np.zeros(len(readings), dtype=np.bool_)
    for one in stuck(
        readings, min_count=STUCK_READINGS, min_duration_s=STUCK_FOR_S, max_gap_s=max_gap_s
    ):
        first, after = np.searchsorted(readings.time_us, [one.start_us, one.end_us + 1])
        inside[first:after] = True
    return inside

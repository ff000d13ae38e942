"""Whether something moves when something else happens, or would have at that hour anyhow."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray
from rook_tally.core.comparing.independence import effective_n

_FEWEST_OTHER_DAYS = 3
_FEWEST_DAYS = 4


class EventEffect(msgspec.Struct, frozen=True):
    """How much the level after events is above that before, less what other days do at that hour.

    `p`: how likely chance alone does as much; NaN where too few days speak. `days`: how many.
    """

    excess: float
    within: float
    p: float
    days: int
    events: int


def event_effect(
    value: FloatArray, slot: IntArray, day: IntArray, at: IntArray, *, before: int, after: int
) -> EventEffect:
    """The effect of events on an evenly spaced series (ours).

    Parameters
    ----------
    value : (N,)
        NaN where missing.
    slot, day : (N,)
        Time of day, and local day, of each step; slots count from 0.
    at : (E,)
        The steps at which something happened.
    before, after : int
        Steps that make the level before, and from the event on.

    Notes
    -----
    Each event's rise is set against the mean rise at the same time of day on days when nothing
    happened near it; the means of the days with events are then tried by Student's t with their
    effective number. Hours that rise every day by themselves therefore show nothing.
    """
    from scipy.special import stdtr, stdtrit

    unknown = EventEffect(math.nan, math.nan, math.nan, 0, 0)
    at = np.unique(at)
    at = at[(at >= before) & (at < len(value) - after)]
    if not len(at):
        return unknown
    rise = _rises(value, before, after)
    near = _near(len(value), at, before + after)
    slots = int(slot.max()) + 1
    quiet = ~near & np.isfinite(rise)
    number = np.bincount(slot[quiet], minlength=slots)
    total = np.bincount(slot[quiet], weights=rise[quiet], minlength=slots)
    squares = np.bincount(slot[quiet], weights=rise[quiet] ** 2, minlength=slots)
    with np.errstate(invalid="ignore", divide="ignore"):
        usual = np.where(number >= _FEWEST_OTHER_DAYS, total / number, np.nan)
        # How sure that is itself: the other days differ as well.
        doubt = (squares / number - usual**2) / (number - 1)
    excess = rise[at] - usual[slot[at]]
    known = np.isfinite(excess)
    if not known.any():
        return unknown
    excess, days = excess[known], day[at][known]
    shares = np.bincount(slot[at][known], minlength=slots) / len(excess)
    doubted = float((shares**2 * np.where(shares > 0, np.maximum(doubt, 0.0), 0.0)).sum())
    which, inverse = np.unique(days, return_inverse=True)
    by_day = np.bincount(inverse, weights=excess) / np.bincount(inverse)
    mean, count, events = float(by_day.mean()), len(by_day), int(known.sum())
    if count < _FEWEST_DAYS:
        return EventEffect(mean, math.nan, math.nan, count, events)
    # Days without an event are missing ones: only neighbours are neighbours.
    course = np.full(int(which[-1] - which[0]) + 1, np.nan)
    course[which - which[0]] = by_day
    worth = effective_n(course).n_eff
    worth = worth if math.isfinite(worth) else float(count)
    if worth < 2:
        return EventEffect(mean, math.nan, math.nan, count, events)
    error = math.sqrt(float(((by_day - mean) ** 2).mean()) / (worth - 1.0) + doubted)
    if error <= 0:
        return EventEffect(mean, math.nan, math.nan, count, events)
    p = 2.0 * float(stdtr(worth - 1.0, -abs(mean) / error))
    return EventEffect(mean, float(stdtrit(worth - 1.0, 0.975)) * error, p, count, events)


def _rises(value: FloatArray, before: int, after: int) -> FloatArray:
    """Mean of the steps from each on, less the mean of those before it; NaN where half is gone."""
    known = np.isfinite(value)
    total = np.concatenate(([0.0], np.cumsum(np.where(known, value, 0.0))))
    count = np.concatenate(([0], np.cumsum(known)))
    n = len(value)
    at = np.arange(n)
    low, high = np.maximum(at - before, 0), np.minimum(at + after, n)
    heard_before, heard_after = count[at] - count[low], count[high] - count[at]
    with np.errstate(invalid="ignore", divide="ignore"):
        rise = (total[high] - total[at]) / heard_after - (total[at] - total[low]) / heard_before
    enough = (heard_before * 2 >= before) & (heard_after * 2 >= after) & (at >= before)
    return np.where(enough & (at + after <= n), rise, np.nan)


def _near(count: int, at: IntArray, reach: int) -> BoolArray:
    """Which of `count` steps lie within `reach` of an event."""
    edges = np.zeros(count + 1, np.int64)
    np.add.at(edges, np.maximum(at - reach, 0), 1)
    np.add.at(edges, np.minimum(at + reach + 1, count), -1)
    return np.asarray(np.cumsum(edges[:-1]) > 0, np.bool_)


def adjusted_for_comparisons(p: Sequence[float]) -> list[float]:
    """Probabilities as they are when so many were tried (Holm 1979); NaN stays and counts not."""
    told = np.asarray(p, np.float64)
    known = np.flatnonzero(np.isfinite(told))
    result = np.full(len(told), np.nan)
    order = known[np.argsort(told[known], kind="stable")]
    factors = len(order) - np.arange(len(order))
    result[order] = np.minimum(1.0, np.maximum.accumulate(told[order] * factors))
    return [float(one) for one in result]

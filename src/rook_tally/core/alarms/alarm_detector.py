"""When a watch rings and clears (section L of our formulas): one logic for kept and new readings.

Rows count in the order they arrived; rows that are not good are skipped. *Beyond* is strictly past
the limit, *calm* at or inside the clearing limit. A delay runs from the first such reading on and
must be confirmed by a reading; a gap (longer than `max_gap_s`, or a clock that went back) throws a
running delay away, and never clears. All rules are our own.
"""

from __future__ import annotations

import enum

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.series.baselines import usual_level
from rook_tally.core.series.gaps import cleaned, microseconds, rows_after_gaps, stretches_of
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.rolling import is_rising, last_before, slopes_per_h

NEVER = np.iinfo(np.int64).max
"""The clearing time of a ring that still stands."""
_FEWEST_FOR_RATE = 3
_FEW = 64


class Direction(enum.Enum):
    """On which side of a limit a watch rings."""

    ABOVE = "above"
    BELOW = "below"
    BOTH = "both"


class AlarmThresholds(msgspec.Struct, frozen=True):
    """When a watched number rings and clears.

    ValueError when the clearing limit lies beyond the limit or a delay is negative.
    """

    limit: float
    max_gap_s: float
    clear_limit: float | None = None
    on_delay_s: float = 0.0
    off_delay_s: float = 0.0

    def __post_init__(self) -> None:
        if self.on_delay_s < 0 or self.off_delay_s < 0:
            raise ValueError("a delay cannot be negative")


def rings_of(
    time_us: TimeArray, number: FloatArray, terms: AlarmThresholds, guard: BoolArray | None = None
) -> TimeArray:
    """Rings of a number that is watched for being above a limit.

    Parameters
    ----------
    time_us, number : (M,) judged rows in order of arrival, all finite
    guard : (M,) bool, optional
        A row without it counts as calm.

    Returns
    -------
    (K, 2) int64 of ring and clear times; `NEVER` for a ring that stands.
    """
    clear = terms.limit if terms.clear_limit is None else terms.clear_limit
    if clear > terms.limit:
        raise ValueError(f"it would clear at {clear:g}, beyond the limit of {terms.limit:g}")
    beyond, calm = number > terms.limit, number <= clear
    if guard is not None:
        beyond &= guard
        calm |= ~guard
    parted = rows_after_gaps(time_us, microseconds(terms.max_gap_s))
    # 1 beyond, −1 calm, 0 neither: a stretch of one of them is confirmed once its delay is over.
    state = beyond.view(np.int8) - calm.view(np.int8)
    first, last = stretches_of(state, parted)
    delays = np.array([0, microseconds(terms.on_delay_s), microseconds(terms.off_delay_s)])
    mark = state[first]
    confirmed_us = time_us[first] + delays[mark]
    held = np.flatnonzero((mark != 0) & (time_us[last] >= confirmed_us))
    # It may be confirmed again and again; what counts is each change from one to the other.
    is_ring = mark[held] > 0
    changes = held[is_ring != np.concatenate(([False], is_ring[:-1]))[: len(held)]]
    at = first[changes]
    if delays.any():
        at = _rows_at(time_us, confirmed_us[changes], at, last[changes], parted)
    begin, end = time_us[at[0::2]], time_us[at[1::2]]
    pairs = np.full((len(begin), 2), NEVER, dtype=np.int64)
    pairs[:, 0] = begin
    pairs[: len(end), 1] = np.maximum(end, begin[: len(end)])
    return pairs


def _rows_at(
    time_us: TimeArray, moments: TimeArray, first: IntArray, last: IntArray, parted: IntArray
) -> IntArray:
    """The first row at or after a moment of each stretch [first, last], (K,)."""
    if (time_us[parted] >= time_us[parted - 1]).all():
        return np.searchsorted(time_us, moments)
    # Where a clock went back times rise only within a stretch, so each is searched on its own.
    return np.array(
        [
            begin + np.searchsorted(time_us[begin : end + 1], moment)
            for begin, end, moment in zip(first.tolist(), last.tolist(), moments, strict=True)
        ],
        dtype=np.int64,
    )


def limit_watch(
    readings: Readings,
    terms: AlarmThresholds,
    direction: Direction = Direction.ABOVE,
    guard: BoolArray | None = None,
) -> TimeArray:
    """Rings of readings above or below a limit; (K, 2) as `rings_of`."""
    sign, terms = _turned(terms, direction)
    if not readings.are_all_good:
        good = readings.good
        guard = None if guard is None else guard[good]
        readings = Readings(readings.time_us[good], readings.value[good], readings.quality[good])
    number = readings.value if sign > 0 else -readings.value
    return rings_of(readings.time_us, number, terms, guard)


def _turned(terms: AlarmThresholds, direction: Direction) -> tuple[float, AlarmThresholds]:
    """The sign and terms by which watching below is watching above."""
    if direction is not Direction.BELOW:
        return 1.0, terms
    clear = None if terms.clear_limit is None else -terms.clear_limit
    return -1.0, AlarmThresholds(
        -terms.limit, terms.max_gap_s, clear, terms.on_delay_s, terms.off_delay_s
    )


def rate_per_h(readings: Readings, *, window_s: float, max_gap_s: float) -> FloatArray:
    """Slope of the readings over the last while, unit/h; (N,) float64.

    Least squares over the good readings with t ≥ t_i − window since the last gap or step back of
    the clock; NaN for fewer than three or a span under half the window.
    """
    rate = np.full(len(readings), np.nan)
    good = np.flatnonzero(readings.good)
    time_us, value = readings.time_us[good], readings.value[good]
    if not len(good):
        return rate
    step = np.diff(time_us)
    parted = np.concatenate(([True], (step > microseconds(max_gap_s)) | (step < 0)))
    part = np.cumsum(parted) - 1
    # Times of each part moved past those of the one before, so that all of them rise.
    first_of_part = np.flatnonzero(parted)
    lengths = time_us[np.append(first_of_part[1:], len(good)) - 1] - time_us[first_of_part]
    window_us = microseconds(window_s)
    offset = np.concatenate(([0], np.cumsum(lengths + window_us + 1)[:-1]))
    rising = time_us - time_us[first_of_part][part] + offset[part]
    after = np.arange(len(good)) + 1
    first = np.searchsorted(rising, rising - window_us)
    slopes = slopes_per_h(rising, value, first, after)
    span = rising - rising[first]
    sure = (after - first >= _FEWEST_FOR_RATE) & (2 * span >= window_us)
    rate[good] = np.where(sure, slopes, np.nan)
    return rate


def rings_by_number(
    readings: Readings,
    number: FloatArray,
    terms: AlarmThresholds,
    direction: Direction,
    guard: BoolArray | None = None,
) -> TimeArray:
    """Rings of a number derived from readings (a rate, a z); rows without one are skipped."""
    judged = readings.good & np.isfinite(number)
    watched = {Direction.ABOVE: number, Direction.BELOW: -number, Direction.BOTH: np.abs(number)}[
        direction
    ]
    return rings_of(
        readings.time_us[judged], watched[judged], terms, None if guard is None else guard[judged]
    )


def usual_level_watch(
    readings: Readings,
    terms: AlarmThresholds,
    *,
    window_s: float,
    min_spread: float,
    exclude_s: float = 0.0,
    min_count: int = 20,
    tod_half_width_s: float | None = None,
    direction: Direction = Direction.ABOVE,
    guard: BoolArray | None = None,
) -> TimeArray:
    """Rings of readings so many spreads from their usual level; (K, 2) as `rings_of`."""
    z = usual_level(
        readings,
        window_s=window_s,
        min_spread=min_spread,
        exclude_s=exclude_s,
        min_count=min_count,
        tod_half_width_s=tod_half_width_s,
    ).z
    return rings_by_number(readings, z, terms, direction, guard)


def silence_watch(
    readings: Readings,
    *,
    timeout_s: float,
    now_us: int,
    start_us: int | None = None,
    any_quality: bool = False,
) -> TimeArray:
    """Rings of a station that says nothing for longer than a time; (K, 2) as `rings_of`.

    Exactly the time is not yet silence. With `start_us`, when the watch was armed, rows that came
    before it are skipped and a station never heard rings as well.
    """
    heard = readings.time_us
    if not any_quality and not (good := readings.good).all():
        heard = heard[good]
    if start_us is not None:
        since = heard >= start_us
        heard = heard[int(np.argmax(since)) if since.any() else len(heard) :]
        heard = np.concatenate((np.array([start_us], dtype=np.int64), heard))
    if not len(heard):
        return np.empty((0, 2), dtype=np.int64)
    timeout_us = microseconds(timeout_s)
    at = rows_after_gaps(heard, timeout_us) - 1
    at = at[heard[at + 1] > heard[at]]
    rings = np.stack((heard[at] + timeout_us, heard[at + 1]), axis=1)
    if now_us - int(heard[-1]) > timeout_us:
        rings = np.concatenate((rings, [[heard[-1] + timeout_us, NEVER]]))
    return rings


def guard_gate(
    time_us: TimeArray,
    guard: Readings,
    *,
    guard_limit: float,
    guard_max_age_s: float,
    guard_direction: Direction = Direction.ABOVE,
    settle_s: float = 0.0,
    allows_unknown: bool = True,
) -> BoolArray:
    """At which moments another series lets a watch ring; (N,) bool.

    The last good guard reading at or before a moment holds for `guard_max_age_s`; without one an
    alarm is let through unless said otherwise. The guard must have been past its limit, without a
    gap, for `settle_s`.
    """
    held_us, value = cleaned(guard)
    sign = 1.0 if guard_direction is Direction.ABOVE else -1.0
    if len(held_us) and len(time_us) > _FEW and is_rising(time_us):
        is_on = value > guard_limit if sign > 0 else value < guard_limit
        return _gate_of_stretches(
            time_us,
            held_us,
            is_on,
            microseconds(guard_max_age_s),
            microseconds(settle_s),
            allows_unknown=allows_unknown,
        )
    at = last_before(time_us, held_us)
    if not len(held_us):
        return np.full(len(time_us), allows_unknown)
    known = (at >= 0) & (time_us - held_us[at] <= microseconds(guard_max_age_s))
    is_on = sign * value > sign * guard_limit
    if settle_s == 0:
        return np.where(known, is_on[at], allows_unknown)
    joined = np.concatenate(([False], np.diff(held_us) <= microseconds(guard_max_age_s)))
    goes_on = is_on & joined & np.concatenate(([False], is_on[:-1]))
    start = np.maximum.accumulate(np.where(goes_on, 0, np.arange(len(held_us))))
    settled = time_us - held_us[start][at] >= microseconds(settle_s)
    return np.where(known, is_on[at] & settled, allows_unknown)


def _gate_of_stretches(
    time_us: TimeArray,
    held_us: TimeArray,
    is_on: BoolArray,
    max_age_us: int,
    settle_us: int,
    *,
    allows_unknown: bool,
) -> BoolArray:
    """`guard_gate` of rising moments by the stretches in which a guard stands alike: few, however
    many its readings are, so that nothing is looked up moment by moment."""
    parted = held_us[1:] - held_us[:-1] > max_age_us
    first = np.concatenate(([0], np.flatnonzero(parted | (is_on[1:] != is_on[:-1])) + 1))
    last = np.append(first[1:] - 1, len(held_us) - 1)
    begin = held_us[first]
    # Known until the next reading, or until the last one is too old.
    end = np.minimum(held_us[last] + max_age_us + 1, np.append(begin[1:], NEVER))
    opens = np.where(is_on[first], np.minimum(begin + settle_us, end), end)
    shut_from, shut_to = begin, opens
    if not allows_unknown:
        # Open only where it is known to be.
        shut_from, shut_to = np.concatenate(([-NEVER], end)), np.append(opens, NEVER)
    lows = np.searchsorted(time_us, shut_from)
    highs = np.searchsorted(time_us, shut_to)
    # One after the other and apart: so each opens and shuts in turn.
    lengths = np.diff(
        np.concatenate(([0], np.stack((lows, highs), axis=1).ravel(), [len(time_us)]))
    )
    is_open = np.arange(len(lengths)) % 2 == 0
    return np.repeat(is_open, lengths)

"""Backtests a watch over kept readings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo

import numpy as np
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_detector import (
    NEVER,
    AlarmThresholds,
    Direction,
    guard_gate,
    rings_of,
    silence_watch,
)
from rook_tally.core.alarms.definitions import RunControl, WatchKind
from rook_tally.core.alarms.schedules import apart_from_remarks
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.hours_of_day import within_hours
from rook_tally.core.remarks import Remark
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.series.readings import Readings

_OTHERS = 5


@dataclass(frozen=True, slots=True)
class JudgedReadings:
    """Rows of one series that count, with their numbers: what rings at any limit is found in it.

    Attributes
    ----------
    time_us, number : (M,)
    may_ring : (M,) bool, or None where nothing guards it
    """

    time_us: TimeArray
    number: FloatArray
    may_ring: BoolArray | None


def leave_to_ring(
    target: WatchedSeries,
    time_us: TimeArray,
    guards: Sequence[Readings],
    remarks: Sequence[Remark],
    zone: tzinfo,
) -> BoolArray | None:
    """At which of (N,) moments a watch may ring; None for all, where it is not guarded at all."""
    watch = target.watch
    parts: list[BoolArray] = [
        guard_gate(
            time_us,
            readings,
            guard_limit=one.limit,
            guard_max_age_s=one.max_age_s,
            guard_direction=Direction.BELOW if one.is_below else Direction.ABOVE,
            settle_s=one.settle_s,
        )
        for one, readings in zip(target.guards, guards, strict=True)
    ]
    if watch.hours is not None:
        parts.append(within_hours(time_us, watch.hours, zone))
    if watch.remark_s is not None:
        parts.append(apart_from_remarks(time_us, remarks, watch.remark_s, target.series.place))
    if target.series.maintenance_us is not None:
        begin, end = target.series.maintenance_us
        parts.append((time_us < begin) | (time_us >= end))
    return np.logical_and.reduce(parts) if parts else None


def judged(
    target: WatchedSeries,
    readings: Readings,
    guards: Sequence[Readings],
    remarks: Sequence[Remark],
    zone: tzinfo,
) -> JudgedReadings:
    """The rows of a series that count for a watch."""
    good = readings.good
    if not good.all():
        readings = Readings(readings.time_us[good], readings.value[good], readings.quality[good])
    number = target.judge.numbers(readings)
    time_us = readings.time_us
    # Of good readings each has a number, but for those that look back.
    if target.judge.reach_s:
        known = np.isfinite(number)
        time_us, number = time_us[known], number[known]
    return JudgedReadings(time_us, number, leave_to_ring(target, time_us, guards, remarks, zone))


def rings(rows: JudgedReadings, terms: AlarmThresholds) -> TimeArray:
    """When it would have rung and cleared: (K, 2) as `core.watching.rings_of`."""
    return rings_of(rows.time_us, rows.number, terms, rows.may_ring)


def silences(target: WatchedSeries, readings: Readings, *, now_us: int) -> TimeArray:
    """When a watch for silence would have rung and cleared."""
    return silence_watch(readings, timeout_s=target.watch.silent_s, now_us=now_us, any_quality=True)


@dataclass(frozen=True, slots=True)
class BacktestCounts:
    """The figures of a backtest over a stretch of `span_us`.

    Attributes
    ----------
    rang : how often
    standing_us, longest_us : in all and at most, up to the end of the stretch
    longest_at_us : when the longest began; None without any
    nuisances : how many were shorter than a set time
    without_wait : how often without the delay before ringing
    ran_us : how long a control would have run
    """

    span_us: int
    rang: int
    standing_us: int
    longest_us: int
    longest_at_us: int | None
    nuisances: int
    without_wait: int
    ran_us: int


def counts_of(
    found: TimeArray,
    rows: JudgedReadings,
    terms: AlarmThresholds,
    run: RunControl | None,
    *,
    start_us: int,
    end_us: int,
    nuisance_s: float,
) -> BacktestCounts:
    """Count the alarms in a stretch; those that began before it count from its beginning."""
    inside = (found[:, 0] < end_us) & (found[:, 1] > start_us)
    begin = np.maximum(found[inside, 0], start_us)
    end = np.minimum(found[inside, 1], end_us)
    lengths = end - begin
    longest = int(np.argmax(lengths)) if len(lengths) else None
    began_here = (found[:, 0] >= start_us) & (found[:, 0] < end_us)
    cleared = found[:, 1] < NEVER
    short = found[:, 1] - found[:, 0] < microseconds(nuisance_s)
    hasty = replace(terms, on_delay_s=0.0)
    at_once = rings(rows, hasty) if terms.on_delay_s else found
    at_once = at_once[(at_once[:, 0] >= start_us) & (at_once[:, 0] < end_us)]
    return BacktestCounts(
        span_us=end_us - start_us,
        rang=int(began_here.sum()),
        standing_us=int(lengths.sum()),
        longest_us=0 if longest is None else int(lengths[longest]),
        longest_at_us=None if longest is None else int(begin[longest]),
        nuisances=int((began_here & cleared & short).sum()),
        without_wait=len(at_once),
        ran_us=0 if run is None else ran_for(found[inside], run, start_us=start_us, end_us=end_us),
    )


def ran_for(found: TimeArray, run: RunControl, *, start_us: int, end_us: int) -> int:
    """Time a control would have run in a stretch, µs: from each alarm until it cleared, within the
    shortest and longest run."""
    if not len(found):
        return 0
    begin = found[:, 0]
    length = np.minimum(found[:, 1], end_us) - begin
    length = np.clip(length, microseconds(run.at_least_s), microseconds(run.at_most_s))
    end = np.minimum(begin + length, end_us)
    # Where the least time of one reaches into the next, it runs on and is counted once.
    reached = np.maximum.accumulate(end)
    begin = np.maximum(begin, start_us)
    begin[1:] = np.maximum(begin[1:], reached[:-1])
    return int(np.maximum(end - begin, 0).sum())


def other_limits(target: WatchedSeries, number: float) -> list[float]:
    """Round limits around one, on the readings' own axis in base units, the one itself among them;
    empty where a limit has no place on it."""
    judge = target.judge
    if judge.sort not in (WatchKind.ABOVE, WatchKind.BELOW):
        return []
    here = judge.on_axis(number)[0]
    size = max(abs(here), 10 * target.series.quantity.accuracy)
    step = _round_step(size / 4)
    return sorted({here, *(here + k * step for k in (-2, -1, 1, 2))})[:_OTHERS]


def _round_step(wanted: float) -> float:
    """The nearest of 1, 2 and 5 times a power of ten at or below a size."""
    power = 10.0 ** np.floor(np.log10(wanted))
    return float(max(one for one in (1.0, 2.0, 5.0) if one * power <= wanted * 1.0001) * power)

"""What number a watch judges its readings by, and the limit that number has.

Every sort of condition comes down to one number that is watched for being above a limit, so that
one logic (`core.watching`) rings and clears for all of them.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.alarms.alarm_detector import AlarmThresholds, rate_per_h
from rook_tally.core.alarms.definitions import Watch, WatchKind
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import NO_LIMITS, Limits
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.baselines import usual_level
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.sensor_faults import MAD_TO_SIGMA
from rook_tally.core.timestamps import HOUR_US

_FEWEST_FOR_USUAL = 20
_HOUR_S = HOUR_US / 1e6


class Condition(msgspec.Struct, frozen=True):
    """The condition of one series: `number_of` its readings against `terms`.

    Attributes
    ----------
    terms : Terms
        Of the number; for a limit on the readings' own axis see `on_axis`.
    sign : float
        A number of one reading: sign·value.
    low, high : float
        For what has two sides: a number is how far a reading lies outside them.
    reach_s : float
        How far back a number looks; 0 when each reading stands for itself.
    """

    sort: WatchKind
    terms: AlarmThresholds
    sign: float = 1.0
    low: float = 0.0
    high: float = 0.0
    window_s: float = 0.0
    min_spread: float = 0.0
    exclude_s: float = 0.0
    limits: Limits = NO_LIMITS

    @property
    def reach_s(self) -> float:
        """The time a number looks back, s."""
        return self.window_s + self.exclude_s

    def number(self, value: float, time_us: int) -> float:
        """The number of one reading that stands for itself."""
        if self.sort is WatchKind.LEVEL:
            return float(self.limits.at(time_us).level_of(value))
        return self.of_axis(value)

    def of_axis(self, value: float) -> float:
        """The number that a value on the readings' own axis is."""
        if self.sort is WatchKind.OUTSIDE:
            return max(value - self.high, self.low - value)
        return self.sign * value

    def numbers(self, readings: Readings) -> FloatArray:
        """The number of each of (N,) readings; NaN where there is none."""
        sort = self.sort
        if sort in (WatchKind.RISING, WatchKind.FALLING):
            rate = rate_per_h(readings, window_s=self.window_s, max_gap_s=self.terms.max_gap_s)
            return self.sign * _without_noise(rate)
        if sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
            told = usual_level(
                readings,
                window_s=self.window_s,
                min_spread=self.min_spread,
                exclude_s=self.exclude_s,
                min_count=_FEWEST_FOR_USUAL,
            )
            if sort is WatchKind.UNUSUAL:
                return np.abs(told.z)
            with np.errstate(divide="ignore", invalid="ignore"):
                return np.where(told.usual > 0, readings.value / told.usual, np.nan)
        if sort is WatchKind.LEVEL:
            return self.limits.levels_at(readings.time_us, readings.value).astype(np.float64)
        if sort is WatchKind.OUTSIDE:
            return np.maximum(readings.value - self.high, self.low - readings.value)
        # As they are, or upside down: nothing is copied that need not be.
        return readings.value if self.sign > 0 else -readings.value

    def newest_number(self, time_us: TimeArray, value: FloatArray) -> float:
        """The number of the last of (N,) good readings, as `numbers` has it; NaN without any.

        Of what is usual the one window is looked at, and no other.
        """
        if not len(time_us):
            return math.nan
        now_us = int(time_us[-1])
        if self.sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
            until_us = now_us - microseconds(self.exclude_s)
            since_us = until_us - microseconds(self.window_s)
            first, after = np.searchsorted(time_us, (since_us, until_us)).tolist()
            window = value[first:after]
            if len(window) < _FEWEST_FOR_USUAL:
                return math.nan
            usual = float(np.median(window))
            if self.sort is WatchKind.TIMES_USUAL:
                return float(value[-1]) / usual if usual > 0 else math.nan
            deviation = MAD_TO_SIGMA * float(np.median(np.abs(window - usual)))
            return abs(float(value[-1]) - usual) / max(deviation, self.min_spread)
        first = int(np.searchsorted(time_us, now_us - microseconds(self.window_s)))
        part = readings_from(time_us[first:], value[first:])
        return float(self.numbers(part)[-1])

    def on_axis(self, number: float) -> tuple[float, ...]:
        """Where a number lies on the readings' own axis: one value, or two for what has two sides;
        nothing when it has no place there."""
        if self.sort is WatchKind.OUTSIDE:
            return (self.low - number, self.high + number)
        return (self.sign * number,) if self.sort.has_limit else ()


def _without_noise(rate: FloatArray) -> FloatArray:
    """Slopes to twelve digits and a billionth of a unit: beyond them a sum says in which order it
    was added. A slope exactly at the limit is neither above it live nor in a backtest."""
    size = np.abs(rate)
    with np.errstate(divide="ignore", invalid="ignore"):
        place = 10.0 ** (11 - np.floor(np.log10(size)))
        return np.where(size < 1e-9, 0.0, np.round(rate * place) / place)


def judge_of(watch: Watch, quantity: Quantity, limits: Limits, gap_s: float) -> Condition:
    """The condition of a watch for readings of a quantity.

    Raises
    ------
    UsageError
        When it cannot be meant for this quantity.
    """
    unit = quantity.unit(watch.unit) if watch.unit else quantity.base
    if unit is None:
        raise UsageError(
            f"{watch.name}: {watch.unit} is no unit of {quantity.name}",
            remedy=f"give the limit in {' or '.join(one.symbol for one in quantity.units)}",
        )
    try:
        return _judge(watch, unit, limits, gap_s)
    except ValueError as error:
        raise UsageError(f"{watch.name}: {error}", remedy="change the watch") from error


def _judge(watch: Watch, unit: Unit, limits: Limits, gap_s: float) -> Condition:
    sort = watch.sort
    delays = {"on_delay_s": watch.for_s, "off_delay_s": watch.calm_s}
    if sort in (WatchKind.ABOVE, WatchKind.BELOW):
        sign = 1.0 if sort is WatchKind.ABOVE else -1.0
        clear = None if watch.clear is None else sign * unit.to_base(watch.clear)
        return Condition(sort, _terms(sign * unit.to_base(watch.limit), clear, gap_s, delays), sign)
    if sort is WatchKind.OUTSIDE:
        low, high = unit.to_base(watch.low), unit.to_base(watch.limit)
        if high <= low:
            raise ValueError(f"the range from {watch.low:g} to {watch.limit:g} is empty")
        clear = None if watch.clear is None else -watch.clear * unit.factor
        # Distances from the limits themselves: a reading exactly at one is at 0, and not beyond.
        return Condition(sort, _terms(0.0, clear, gap_s, delays), low=low, high=high)
    if sort in (WatchKind.RISING, WatchKind.FALLING):
        if watch.window_s <= 0:
            raise ValueError("how fast something moves needs a time to look over")
        clear = None if watch.clear is None else watch.clear * unit.factor
        terms = _terms(watch.limit * unit.factor, clear, gap_s, delays)
        sign = 1.0 if sort is WatchKind.RISING else -1.0
        return Condition(sort, terms, sign, window_s=watch.window_s)
    if sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
        if watch.window_s <= 0:
            raise ValueError("what is usual needs a time to look over")
        spread = watch.min_spread * unit.factor
        if spread <= 0 and sort is WatchKind.UNUSUAL:
            raise ValueError("what is usual needs a least spread, as no sensor is quite still")
        return Condition(
            sort,
            _terms(watch.limit, watch.clear, gap_s, delays),
            window_s=watch.window_s,
            min_spread=spread or 1.0,
            exclude_s=watch.exclude_s,
        )
    if sort is WatchKind.LEVEL:
        clear = None if watch.clear is None else watch.clear - 0.5
        return Condition(sort, _terms(watch.limit - 0.5, clear, gap_s, delays), limits=limits)
    if sort is WatchKind.SO:
        return Condition(sort, _terms(0.5, None, gap_s, delays))
    if watch.guards or watch.hours is not None or watch.remark_s is not None:
        raise ValueError(
            "a watch for silence, or for what is due, minds no guards, hours or remarks"
        )
    if sort is WatchKind.DUE:
        return Condition(sort, AlarmThresholds(0.0, gap_s))
    if watch.silent_s <= 0:
        raise ValueError("silence needs a time after which it counts")
    return Condition(sort, AlarmThresholds(0.0, gap_s))


def _terms(
    limit: float, clear: float | None, gap_s: float, delays: dict[str, float]
) -> AlarmThresholds:
    if clear is not None and clear > limit:
        raise ValueError("it would clear beyond the limit at which it rings")
    return AlarmThresholds(limit, gap_s, clear, delays["on_delay_s"], delays["off_delay_s"])

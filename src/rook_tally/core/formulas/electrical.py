"""Current, charge and energy (section G). Sign (ours): + charges, − discharges."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray, inner
from rook_tally.core.formulas.elementwise import (
    FormulaArgument,
    elementwise,
    every,
    floats,
    heard_of,
    series,
    where,
    within,
)

_HOUR_S = 3600.0
_WALK = 256


@elementwise("drop_mv", "rated_a", "rated_mv")
def shunt_current(drop_mv: FloatArray, rated_a: FloatArray, rated_mv: FloatArray) -> FloatArray:
    """Current through a shunt, A: drop·rated_a/rated_mv (Ohm's law); ratings over 0."""
    return where(
        every(rated_a > 0, rated_mv > 0, rated_mv < math.inf), drop_mv * (rated_a / rated_mv)
    )


def _integral(times: FloatArray, y: FloatArray, max_gap_s: float) -> float:
    times, y = heard_of(times, y)
    step = times[1:] - times[:-1]
    joined = step <= max_gap_s
    if not joined.any():
        return math.nan
    if not joined.all():
        step *= joined
    return (inner(y[:-1], step) + inner(y[1:], step)) / 2 / _HOUR_S


def charge_ah(
    time_s: FormulaArgument, current_a: FormulaArgument, max_gap_s: float = 300.0
) -> float:
    """Charge moved, Ah, by the trapezoid rule; gaps longer than `max_gap_s` (ours) add nothing.

    NaN for fewer than two valid samples, when no interval is left, and for times not rising.
    """
    given = series(time_s, current_a)
    return math.nan if given is None else _integral(given[0], given[1], max_gap_s)


def energy_wh(
    time_s: FormulaArgument,
    voltage_v: FormulaArgument,
    current_a: FormulaArgument,
    max_gap_s: float = 300.0,
) -> float:
    """Energy moved, Wh: as `charge_ah` with volts times amperes of each sample."""
    given = series(time_s, voltage_v, current_a)
    if given is None:
        return math.nan
    times, voltage, current = given
    return _integral(times, voltage * current, max_gap_s)


def integration_coverage(
    time_s: FormulaArgument, value: FormulaArgument, max_gap_s: float = 300.0
) -> float:
    """Share of the time that an integral of these samples speaks for, 0…1 (ours)."""
    given = series(time_s, value)
    if given is None or len(given[0]) < 2:
        return math.nan
    times, _ = heard_of(*given)
    step = times[1:] - times[:-1]
    joined = step <= max_gap_s
    spoken_s = step.sum() if joined.all() else step[joined].sum()
    return float(spoken_s / (given[0][-1] - given[0][0]))


def state_of_charge(
    time_s: FormulaArgument,
    current_a: FormulaArgument,
    capacity_ah: float,
    soc_start_pct: float,
    charge_efficiency: float = 1.0,
    max_gap_s: float = 300.0,
) -> FloatArray:
    """Charge of a battery by counting, % at each sample; NaN at an invalid one.

    Between samples the current is straight, parted where it crosses zero; what flows in counts
    `charge_efficiency` times; after each interval the charge is kept within 0…100, so that
    overcharging does not add up. Over a longer gap it stays. No Peukert, temperature or ageing
    term. All NaN unless capacity > 0, start 0…100, 0 < efficiency ≤ 1.
    """
    given = series(time_s, current_a)
    count = len(floats(time_s))
    options_hold = capacity_ah > 0 and 0 <= soc_start_pct <= 100 and 0 < charge_efficiency <= 1
    if given is None or not options_hold:
        return np.full(count, np.nan)
    times, current = given
    heard = np.isfinite(current)
    result = np.full(count, np.nan)
    if heard.any():
        flows = charge_flows(times[heard], current[heard], charge_efficiency, max_gap_s)
        result[heard] = clamped_walk(100 * flows / capacity_ah, soc_start_pct, 0.0, 100.0)
    return result


def charge_flows(
    times: FloatArray, current: FloatArray, charge_efficiency: float, max_gap_s: float
) -> FloatArray:
    """Ah that flowed before each of (N,) samples since the one before; 0 over a gap."""
    step = np.diff(times)
    left, right = current[:-1], current[1:]
    if charge_efficiency == 1.0:
        # In and out count alike: where the current crosses zero does not matter.
        flows = (left + right) * step / (2 * _HOUR_S)
        return np.concatenate(([0.0], np.where(step <= max_gap_s, flows, 0.0)))
    with np.errstate(divide="ignore", invalid="ignore"):
        # A line through zero: the part before the crossing and the part after it.
        crossing = np.where(left * right < 0, left / (left - right), 1.0)
    first = left * crossing * step / 2 + np.where(crossing == 1.0, right * step / 2, 0.0)
    second = np.where(crossing < 1.0, right * (1 - crossing) * step / 2, 0.0)
    flows = (_counted(first, charge_efficiency) + _counted(second, charge_efficiency)) / _HOUR_S
    return np.concatenate(([0.0], np.where(step <= max_gap_s, flows, 0.0)))


def _counted(flow: FloatArray, charge_efficiency: float) -> FloatArray:
    return np.where(flow > 0, charge_efficiency * flow, flow)


def clamped_walk(steps: FloatArray, start: float, low: float, high: float) -> FloatArray:
    """Sums of steps, each kept within [low, high] before the next is added. (N,) → (N,).

    Held at one bound only, a walk is its sums less how far they ever went beyond it (Skorokhod's
    reflection), which whole arrays give at once. So it goes on until the other bound is met, and
    then the other way round: once for every time it wanders from full to empty or back.
    """
    walk = np.empty(len(steps))
    at, value, side, length = 0, start, 1.0, _WALK
    while at < len(steps):
        free = value + np.cumsum(steps[at : at + length])
        # Seen from the bound it may meet next: the lower one turned upside down.
        bound, other = (high, low) if side > 0 else (-low, -high)
        beyond = np.maximum.accumulate(np.maximum(side * free - bound, 0.0))
        held = side * free - beyond
        past = held < other
        stop = int(np.argmax(past)) if past.any() else len(held)
        walk[at : at + stop] = side * held[:stop]
        at += stop
        if stop < len(held):
            walk[at] = low if side > 0 else high
            at, side, length = at + 1, -side, _WALK
        else:
            length *= 2
        value = float(walk[at - 1])
    return walk


@elementwise("soc_pct", "capacity_ah", "current_a")
def time_to_empty(
    soc_pct: FloatArray, capacity_ah: FloatArray, current_a: FloatArray, reserve_pct: float = 0.0
) -> FloatArray:
    """Hours until a battery is down to its reserve at this current; NaN unless it discharges."""
    left = np.maximum(soc_pct - reserve_pct, 0)
    left = left * (capacity_ah / -100) / current_a
    valid = every(current_a < 0, current_a > -math.inf, within(soc_pct, 0, 100), capacity_ah > 0)
    return where(every(valid, np.asarray(0 <= reserve_pct <= 100)), left)

"""One figure of a list of samples, and what flows over time (sections E to G, K)."""

from __future__ import annotations

from collections.abc import Sequence
from math import exp, floor, inf, isfinite, log, log10, nan, sqrt

import numpy as np
from scipy.special import stdtrit

from benchmarks.loops.cases import Case, Columns, lists_of
from rook_tally.core.arrays import FloatArray

_MAX_GAP_S = 300.0
_HOUR_S = 3600.0
_GRID = 241
_GOLDEN = (sqrt(5) - 1) / 2


def heard(values: Sequence[float]) -> list[float]:
    """The values that are numbers."""
    return [one for one in values if isfinite(one)]


def percentile(values: Sequence[float], share: float) -> float:
    """Hyndman & Fan's type 7."""
    ordered = sorted(values)
    at = share / 100 * (len(ordered) - 1)
    low = floor(at)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (at - low) * (ordered[high] - ordered[low])


def _leq(levels: Sequence[float]) -> float:
    given = heard(levels)
    return 10 * log10(sum(10 ** (level / 10) for level in given) / len(given))


def _rms(samples: Sequence[float]) -> float:
    given = heard(samples)
    mean = sum(given) / len(given)
    return sqrt(sum((one - mean) ** 2 for one in given) / len(given))


def _peak(samples: Sequence[float]) -> float:
    given = heard(samples)
    mean = sum(given) / len(given)
    return max(abs(one - mean) for one in given)


def _crest(samples: Sequence[float]) -> float:
    given = heard(samples)
    rms = _rms(given)
    return _peak(given) / rms if rms > 1e-12 * max(abs(one) for one in given) else nan


def _charge(time_s: Sequence[float], current: Sequence[float]) -> float:
    total, at_s, before = 0.0, nan, nan
    for moment, value in zip(time_s, current, strict=True):
        if isfinite(value):
            if moment - at_s <= _MAX_GAP_S:
                total += (before + value) / 2 * (moment - at_s)
            at_s, before = moment, value
    return total / _HOUR_S


def _energy(time_s: Sequence[float], voltage: Sequence[float], current: Sequence[float]) -> float:
    return _charge(time_s, [v * a for v, a in zip(voltage, current, strict=True)])


def _coverage(time_s: Sequence[float], values: Sequence[float]) -> float:
    joined, at_s = 0.0, nan
    for moment, value in zip(time_s, values, strict=True):
        if isfinite(value):
            if moment - at_s <= _MAX_GAP_S:
                joined += moment - at_s
            at_s = moment
    return joined / (time_s[-1] - time_s[0])


def _state_of_charge(time_s: Sequence[float], current: Sequence[float]) -> list[float]:
    charge, efficiency, at_s, before = 50.0, 1.0, nan, nan
    found = []
    for moment, value in zip(time_s, current, strict=True):
        if not isfinite(value):
            found.append(nan)
            continue
        step = moment - at_s
        if step <= _MAX_GAP_S:
            if before * value < 0:
                share = before / (before - value)
                parts = (before * share * step / 2, value * (1 - share) * step / 2)
            else:
                parts = ((before + value) * step / 2, 0.0)
            flow = sum(efficiency * part if part > 0 else part for part in parts) / _HOUR_S
            charge = min(max(charge + 100 * flow / 50.0, 0.0), 100.0)
        found.append(charge)
        at_s, before = moment, value
    return found


def _air_changes(time_s: Sequence[float], co2: Sequence[float]) -> dict[str, float]:
    used = [
        (moment / _HOUR_S, log(value - 420.0))
        for moment, value in zip(time_s, co2, strict=True)
        if isfinite(value) and value - 420.0 >= 50.0
    ]
    count = len(used)
    mean_x, mean_y = sum(x for x, _ in used) / count, sum(y for _, y in used) / count
    sxx = sum((x - mean_x) ** 2 for x, _ in used)
    syy = sum((y - mean_y) ** 2 for _, y in used)
    slope = sum((x - mean_x) * (y - mean_y) for x, y in used) / sxx
    left = sum((y - mean_y - slope * (x - mean_x)) ** 2 for x, y in used)
    half = float(stdtrit(count - 2, 0.975)) * sqrt(left / (count - 2) / sxx)
    return {
        "ach": -slope,
        "low": -slope - half,
        "high": -slope + half,
        "r2": 1 - left / syy,
        "n": count,
    }


def _minutes_until(time_s: Sequence[float], values: Sequence[float], *, limit: float) -> float:
    used = [
        (moment, value) for moment, value in zip(time_s, values, strict=True) if isfinite(value)
    ]
    mean_x, mean_y = sum(x for x, _ in used) / len(used), sum(y for _, y in used) / len(used)
    spread = sum((x - mean_x) ** 2 for x, _ in used)
    slope = sum((x - mean_x) * (y - mean_y) for x, y in used) / spread
    now = mean_y + slope * (used[-1][0] - mean_x)
    if now >= limit:
        return 0.0
    minutes = (limit - now) / slope / 60 if slope > 0 else inf
    return minutes if minutes <= 1440 else nan


def _fit(time_s: Sequence[float], values: Sequence[float]) -> dict[str, float]:
    """Rates tried as ours are: a grid, then what is left of it parted by the golden section."""
    used = [
        ((moment - time_s[0]) / _HOUR_S, value)
        for moment, value in zip(time_s, values, strict=True)
        if isfinite(value)
    ]
    hours, y = [one for one, _ in used], [value for _, value in used]
    mean_y = sum(y) / len(y)

    def line(ln_k: float) -> tuple[float, float, float]:
        """Of the best a and b at one rate: what they leave, and both."""
        rate = exp(ln_k)
        decay = [exp(-rate * hour) for hour in hours]
        mean = sum(decay) / len(decay)
        power = sum((one - mean) ** 2 for one in decay)
        b = sum((one - mean) * (v - mean_y) for one, v in zip(decay, y, strict=True)) / power
        left = sum((v - mean_y - b * (one - mean)) ** 2 for one, v in zip(decay, y, strict=True))
        return left, mean_y - b * mean, b

    lowest, highest = log(0.05), log(20.0)
    grid = [lowest + (highest - lowest) * number / (_GRID - 1) for number in range(_GRID)]
    squares = [line(ln_k)[0] for ln_k in grid]
    best = squares.index(min(squares))
    if best in (0, _GRID - 1):
        return {"steady": nan, "rate_per_h": nan, "now": nan}
    low, high = grid[best - 1], grid[best + 1]
    while high - low > 1e-10:
        first, second = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
        low, high = (low, second) if line(first)[0] < line(second)[0] else (first, high)
    ln_k = (low + high) / 2
    _, a, b = line(ln_k)
    return {"steady": a, "rate_per_h": exp(ln_k), "now": a + b * exp(-exp(ln_k) * hours[-1])}


def _decay(hours: FloatArray, damp: FloatArray, rate_per_h: float) -> FloatArray:
    """CO₂ in a room that was left, ppm."""
    return 420 + 2000 * np.exp(-rate_per_h * hours) + damp / 100


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of a list of samples in sections E to G and K."""
    damp, walk, time_s = columns.damp, columns.walk, columns.time_s
    # As slow as leaves something to see at the end, and as fast as the fit looks for.
    hours = (time_s - time_s[0]) / _HOUR_S
    slow, fast = _decay(hours, damp, 1 / hours[-1]), _decay(hours, damp, 0.4)
    flow = {"time_s": time_s, "current_a": walk}
    return {
        "leq": Case({"levels_db": damp}, lambda n: _leq(damp[:n].tolist())),
        "exceedance_level": Case(
            {"levels_db": damp, "exceeded_pct": 10},
            lambda n: percentile(heard(damp[:n].tolist()), 90),
        ),
        "vibration_rms": Case({"samples": walk}, lambda n: _rms(walk[:n].tolist())),
        "vibration_peak": Case({"samples": walk}, lambda n: _peak(walk[:n].tolist())),
        "crest_factor": Case({"samples": walk}, lambda n: _crest(walk[:n].tolist())),
        "charge_ah": Case(flow, lambda n: _charge(*lists_of(n, time_s, walk))),
        "energy_wh": Case(
            {**flow, "voltage_v": damp}, lambda n: _energy(*lists_of(n, time_s, damp, walk))
        ),
        "integration_coverage": Case(
            {"time_s": time_s, "value": walk}, lambda n: _coverage(*lists_of(n, time_s, walk))
        ),
        "state_of_charge": Case(
            {**flow, "capacity_ah": 50.0, "soc_start_pct": 50.0},
            lambda n: _state_of_charge(*lists_of(n, time_s, walk)),
        ),
        "air_changes_per_hour": Case(
            {"time_s": time_s, "co2_ppm": slow}, lambda n: _air_changes(*lists_of(n, time_s, slow))
        ),
        "minutes_until_limit_linear": Case(
            {"time_s": time_s, "values": walk, "limit": 1e9},
            lambda n: _minutes_until(*lists_of(n, time_s, walk), limit=1e9),
        ),
        "exponential_approach_fit": Case(
            {"time_s": time_s, "values": fast}, lambda n: _fit(*lists_of(n, time_s, fast))
        ),
    }

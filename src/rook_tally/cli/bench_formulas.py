"""Formulas over whole arrays against the loop anybody would write first.

A loop over all readings takes a minute for some: those are run over a part of them and counted up,
which is fair, as each takes as long for one reading as for the next.
"""

from __future__ import annotations

import itertools
import math
import statistics
import time
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np

from rook_tally.cli import bench_loops
from rook_tally.cli.bench_loops import Loop
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.formulas import by_name

_READINGS = 100_000
_PART = 20
_ROUNDS = 5
_MINUTE_US = 60_000_000
_HOUR = 60


def formula_times_ms() -> dict[str, tuple[float, float]]:
    """By name, our time and the loop's over 100,000 readings, ms."""
    return {
        name: (_ours_ms(partial(by_name[name], **given)), _loop_ms(loop))
        for name, (given, loop) in _cases().items()
    }


def _ours_ms(call: Callable[[], object]) -> float:
    call()
    times = []
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        call()
        times.append(time.perf_counter() - began)
    return 1000 * statistics.median(times)


def _loop_ms(loop: Loop) -> float:
    count = _READINGS // _PART
    began = time.perf_counter()
    loop(count)
    return 1000 * (time.perf_counter() - began) * _PART


def _cases() -> dict[str, tuple[dict[str, Any], Loop]]:
    rng = np.random.default_rng(1)
    warm, damp = rng.uniform(0, 30, _READINGS), rng.uniform(20, 90, _READINGS)
    walk = rng.normal(0, 0.1, _READINGS).cumsum() + rng.normal(0, 1, _READINGS)
    t_us = np.arange(_READINGS, dtype=np.int64) * _MINUTE_US
    time_s = t_us / 1e6
    resistance = np.abs(walk) + 1
    t, rh, v = warm.tolist(), damp.tolist(), walk.tolist()
    ohm = resistance.tolist()
    series = {"t_us": t_us, "value": walk}

    def es(temperature: float) -> float:
        return 6.1094 * math.exp(17.625 * temperature / (243.04 + temperature))

    def each(formula: Callable[[float, float], float]) -> Loop:
        def loop(count: int) -> list[float]:
            found = []
            for a, b in zip(t[:count], rh[:count], strict=True):
                found.append(formula(a, b) if -40 <= a <= 50 and 0 < b <= 100 else math.nan)
            return found

        return loop

    def dew(a: float, b: float) -> float:
        g = math.log(b / 100) + 17.625 * a / (243.04 + a)
        return 243.04 * g / (17.625 - g)

    return {
        "saturation_vapour_pressure": ({"temperature_c": warm}, each(lambda a, _: es(a))),
        "dew_point": ({"temperature_c": warm, "relative_humidity_pct": damp}, each(dew)),
        "vapour_pressure_deficit": (
            {"temperature_c": warm, "relative_humidity_pct": damp},
            each(lambda a, b: es(a) * (1 - b / 100) / 10),
        ),
        "wet_bulb_stull": (
            {"temperature_c": warm, "relative_humidity_pct": damp},
            each(lambda a, b: a * math.atan(0.151977 * math.sqrt(b + 8.313659))
                 + math.atan(a + b) - math.atan(b - 1.676331)
                 + 0.00391838 * b**1.5 * math.atan(0.023101 * b) - 4.686035),
        ),
        **_momentary(warm, damp),
        **_over_series(t_us, walk),
        **bench_loops.of_a_moment(warm, damp),
        **bench_loops.of_samples(t_us, walk, damp),
        **bench_loops.of_pairs(t_us, warm, damp),
        **bench_loops.of_pieces(t_us, walk),
        **bench_loops.of_watching(t_us, walk),
        "vector_sum": (
            {"x": warm, "y": damp, "z": walk},
            lambda n: [math.sqrt(a * a + b * b + c * c)
                       for a, b, c in zip(t[:n], rh[:n], v[:n], strict=True)],
        ),
        "charge_ah": ({"time_s": time_s, "current_a": walk}, lambda n: _charge(v[:n])),
        "leq": (
            {"levels_db": damp},
            lambda n: 10 * math.log10(sum(10 ** (level / 10) for level in rh[:n]) / n),
        ),
        "bias": ({"a": warm, "b": damp},
                 lambda n: sum(b - a for a, b in zip(t[:n], rh[:n], strict=True)) / n),
        "state_of_charge": (
            {"time_s": time_s, "current_a": walk, "capacity_ah": 50.0, "soc_start_pct": 50.0},
            lambda n: _state_of_charge(v[:n]),
        ),
        "rolling_median_baseline": (
            {**series, "window_s": 3600},
            lambda n: [float(np.median(walk[max(0, i - 30) : i + 31])) for i in range(n)],
        ),
        "usual_level": (
            {**series, "window_s": 3600, "min_spread": 0.1},
            lambda n: [_usual(walk[max(0, i - _HOUR) : i], v[i]) for i in range(n)],
        ),
        "gas_baseline": (
            {"time_s": time_s, "resistance_ohm": resistance, "window_s": 3600},
            lambda n: [float(np.percentile(ohm[max(0, i - 59) : i + 1], 95)) for i in range(n)],
        ),
        "rate_per_h": (
            {**series, "window_s": 600, "max_gap_s": 180},
            lambda n: [_slope(time_s[max(0, i - 10) : i + 1], walk[max(0, i - 10) : i + 1])
                       for i in range(n)],
        ),
        "time_weighted_mean": (
            {**series, "max_gap_s": 180, "cadence_s": 60}, lambda n: _mean(t_us[:n].tolist(), v[:n])
        ),
        "limit_watch": (
            {**series, "limit": 1.0, "clear_limit": 0.5, "max_gap_s": 180, "on_delay_s": 120,
             "off_delay_s": 120},
            lambda n: _limit_watch(t_us[:n].tolist(), v[:n]),
        ),
        "hampel": (
            {**series, "max_gap_s": 180},
            lambda n: [_hampel(walk[max(0, i - 3) : i + 4], v[i]) for i in range(n)],
        ),
    }  # fmt: skip


def _momentary(warm: FloatArray, damp: FloatArray) -> dict[str, tuple[dict[str, Any], Loop]]:
    """Formulas of one moment that are short to write out."""
    t, rh = warm.tolist(), damp.tolist()
    hpa = (950 + damp).tolist()
    pressure = np.array(hpa)

    def es(value: float) -> float:
        return 6.1094 * math.exp(17.625 * value / (243.04 + value))

    def loop(formula: Callable[[float, float], float], a: list[float], b: list[float]) -> Loop:
        def run(count: int) -> list[float]:
            return [
                formula(x, y) if -1e9 < x < 1e9 and -1e9 < y < 1e9 else math.nan
                for x, y in zip(a[:count], b[:count], strict=True)
            ]

        return run

    both = {"temperature_c": warm, "relative_humidity_pct": damp}
    return {
        "vapour_pressure": (both, loop(lambda a, b: es(a) * b / 100, t, rh)),
        "absolute_humidity": (
            both, loop(lambda a, b: 1000 * es(a) * b / (461.5 * (a + 273.15)), t, rh),
        ),
        "mixing_ratio": (
            {**both, "pressure_hpa": 1000.0},
            loop(lambda a, b: 621.945 * es(a) * b / 100 / (1000 - es(a) * b / 100), t, rh),
        ),
        "wind_chill": (
            {"temperature_c": warm - 30, "wind_speed_kmh": damp},
            loop(lambda a, b: 13.12 + 0.6215 * a + (0.3965 * a - 11.37) * b**0.16, t, rh),
        ),
        "pressure_altitude": (
            {"pressure_hpa": pressure},
            loop(lambda a, _: 44330.77 * (1 - (a / 1013.25) ** 0.190263), hpa, rh),
        ),
        "isa_pressure": (
            {"altitude_m": damp}, loop(lambda a, _: 1013.25 * (1 - a / 44330.77) ** 5.25588, rh, t),
        ),
        "sea_level_pressure": (
            {"station_pressure_hpa": pressure, "altitude_m": 120.0, "temperature_c": warm},
            loop(lambda a, b: a * (1 + 0.78 / (b + 273.15)) ** 5.25588, hpa, t),
        ),
        "piecewise_score": (
            {"value": damp, "x_points": [0, 30, 60, 100], "score_points": [0, 100, 100, 0]},
            loop(lambda a, _: a / 0.3 if a < 30 else 100 if a < 60 else (100 - a) / 0.4, rh, t),
        ),
        "relative_gas_index": (
            {"resistance_ohm": damp, "baseline_ohm": damp + warm + 1},
            loop(lambda a, b: 100 * min(max(math.log((a + b + 1) / a) / 2.303, 0), 1), rh, t),
        ),
        "ratio_to_base": (
            {"value": warm, "base": damp}, loop(lambda a, b: a / b if b > 0 else math.nan, t, rh),
        ),
        "shunt_current": (
            {"drop_mv": warm, "rated_a": 50.0, "rated_mv": 60.0},
            loop(lambda a, _: a * 50 / 60, t, rh),
        ),
        "convert_unit": (
            {"value": warm, "from_unit": "degC", "to_unit": "degF"},
            loop(lambda a, _: 1.8 * a + 32, t, rh),
        ),
        "ppm_to_mgm3": (
            {"ppm": damp}, loop(lambda a, _: a * 44.0095 * 101325 / (8.314462618 * 298150), rh, t),
        ),
        "lden": (
            {"lday_db": damp, "levening_db": damp, "lnight_db": damp},
            loop(lambda a, _: 10 * math.log10((12 * 10 ** (a / 10) + 4 * 10 ** ((a + 5) / 10)
                                               + 8 * 10 ** ((a + 10) / 10)) / 24), rh, t),
        ),
        "mae": ({"a": warm, "b": damp},
                lambda n: sum(abs(b - a) for a, b in zip(t[:n], rh[:n], strict=True)) / n),
        "rmse": ({"a": warm, "b": damp},
                 lambda n: math.sqrt(sum((b - a) ** 2
                                         for a, b in zip(t[:n], rh[:n], strict=True)) / n)),
        "vibration_rms": ({"samples": warm}, lambda n: _rms(t[:n])),
        "exceedance_level": ({"levels_db": damp, "exceeded_pct": 10},
                             lambda n: sorted(rh[:n])[round(0.9 * (n - 1))]),
    }  # fmt: skip


def _over_series(t_us: TimeArray, walk: FloatArray) -> dict[str, tuple[dict[str, Any], Loop]]:
    """Figures over time whose loop remembers the reading before."""
    moments, values = t_us.tolist(), walk.tolist()
    series = {"t_us": t_us, "value": walk}
    pieces = {**series, "max_gap_s": 180, "cadence_s": 60}

    def over(piece: Callable[[float, float, float], float]) -> Loop:
        def run(count: int) -> float:
            total = 0.0
            for at in range(count - 1):
                step = (moments[at + 1] - moments[at]) / 1e6
                if step <= 180:
                    total += piece(values[at], values[at + 1], step)
            return total

        return run

    def above(a: float, b: float, step: float) -> float:
        high, low = max(a, b) - 1.0, min(a, b) - 1.0
        return step if low >= 0 else step * high / (high - low) if high > 0 else 0.0

    def runs(count: int) -> list[list[int]]:
        found: list[list[int]] = []
        for at in range(count):
            if at == 0 or moments[at] - moments[at - 1] > 180e6:
                found.append([moments[at], moments[at], 0])
            found[-1][1] = moments[at]
            found[-1][2] += 1
        return found

    return {
        "exposure": (pieces, over(lambda a, b, step: (a + b) / 2 * step)),
        "time_above_s": ({**pieces, "limit": 1.0}, over(above)),
        "find_runs": ({**series, "max_gap_s": 180}, runs),
        "silence_watch": (
            {**series, "timeout_s": 180, "now_us": int(t_us[-1])},
            lambda n: [one for one in range(n - 1) if moments[one + 1] - moments[one] > 180e6],
        ),
        "align_nearest": (
            {"t_a_us": t_us, "value_a": walk, "t_b_us": t_us + 20_000_000, "value_b": walk,
             "tolerance_s": 30},
            lambda n: [min(range(max(0, i - 2), i + 1), key=lambda j: abs(moments[j] - moments[i]))
                       for i in range(n)],
        ),
    }  # fmt: skip


def _rms(samples: Sequence[float]) -> float:
    mean = sum(samples) / len(samples)
    return math.sqrt(sum((one - mean) ** 2 for one in samples) / len(samples))


def _charge(current: Sequence[float]) -> float:
    total = 0.0
    for a, b in itertools.pairwise(current):
        if math.isfinite(a) and math.isfinite(b):
            total += (a + b) / 2 * 60 / 3600
    return total


def _state_of_charge(current: Sequence[float]) -> list[float]:
    charge, found = 50.0, [50.0]
    for a, b in itertools.pairwise(current):
        if a * b < 0:
            share = a / (a - b)
            flow = (a * share + b * (1 - share)) / 2 * 60 / 3600
        else:
            flow = (a + b) / 2 * 60 / 3600
        charge = min(max(charge + 100 * flow / 50, 0.0), 100.0)
        found.append(charge)
    return found


def _usual(before: Any, value: float) -> float:
    if len(before) < 20:
        return math.nan
    usual = float(np.median(before))
    spread = max(1.4826 * float(np.median(np.abs(before - usual))), 0.1)
    return (value - usual) / spread


def _slope(seconds: Any, values: Any) -> float:
    if len(seconds) < 3:
        return math.nan
    x = seconds - seconds.mean()
    return float((x * (values - values.mean())).sum() / (x * x).sum()) * 3600


def _mean(moments: Sequence[int], values: Sequence[float]) -> float:
    total = weight = 0.0
    for at in range(len(moments) - 1):
        step = (moments[at + 1] - moments[at]) / 1e6
        if step <= 180:
            total += (values[at] + values[at + 1]) / 2 * step
            weight += step
    return total / weight


def _limit_watch(moments: Sequence[int], values: Sequence[float]) -> list[list[int | None]]:
    rings: list[list[int | None]] = []
    beyond_us = calm_us = last_us = None
    for moment, value in zip(moments, values, strict=True):
        if last_us is not None and not 0 <= moment - last_us <= 180_000_000:
            beyond_us = calm_us = None
        last_us = moment
        is_ringing = bool(rings) and rings[-1][1] is None
        beyond_us = (moment if beyond_us is None else beyond_us) if value > 1.0 else None
        calm_us = (moment if calm_us is None else calm_us) if value <= 0.5 else None
        if not is_ringing and beyond_us is not None and moment - beyond_us >= 120_000_000:
            rings.append([moment, None])
            calm_us = None
        elif is_ringing and calm_us is not None and moment - calm_us >= 120_000_000:
            rings[-1][1] = moment
            beyond_us = None
    return rings


def _hampel(around: Any, value: float) -> bool:
    middle = float(np.median(around))
    return abs(value - middle) > 3 * 1.4826 * float(np.median(np.abs(around - middle)))

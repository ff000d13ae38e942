"""The loops anybody would write first, of the formulas `bench_formulas` has not: of one moment, of
lists of samples, of pairs, and of what is watched.

Left out are those that no long list goes into: look-ups (`who_guideline`, `who_guideline_table`),
the three hours of a pressure tendency, the twelve values of a NowCast, and one moment's score.
"""

from __future__ import annotations

import bisect
import itertools
import math
import operator
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray

Loop = Callable[[int], object]
Cases = dict[str, tuple[dict[str, Any], Loop]]
_MAGNUS_A, _MAGNUS_B = 17.625, 243.04
_PM25_US = (
    (0.0, 9.0, 0, 50), (9.1, 35.4, 51, 100), (35.5, 55.4, 101, 150), (55.5, 125.4, 151, 200),
    (125.5, 225.4, 201, 300), (225.5, 325.4, 301, 500),
)  # fmt: skip
_PM25_UK = (12, 24, 36, 42, 48, 54, 59, 65, 71)
_HOUR_S = 3600.0


def of_a_moment(warm: FloatArray, damp: FloatArray) -> Cases:
    """Formulas that take one reading, or two of the same moment."""
    t, rh = warm.tolist(), damp.tolist()
    dew = (warm - 3).tolist()

    def loop(formula: Callable[[float, float], float], a: list[float], b: list[float]) -> Loop:
        def run(count: int) -> list[float]:
            return [
                formula(x, y) if math.isfinite(x) and math.isfinite(y) else math.nan
                for x, y in zip(a[:count], b[:count], strict=True)
            ]

        return run

    both = {"temperature_c": warm, "relative_humidity_pct": damp}
    return {
        "relative_humidity_from_dew_point": (
            {"temperature_c": warm, "dew_point_c": warm - 3},
            loop(lambda a, b: 100 * math.exp(_MAGNUS_A * b / (_MAGNUS_B + b)
                                             - _MAGNUS_A * a / (_MAGNUS_B + a)), t, dew),
        ),
        "heat_index": (both, loop(_heat_index, t, rh)),
        "humidex": (
            {"temperature_c": warm, "dew_point_c": warm - 3},
            loop(lambda a, b: a + 5 / 9 * (6.11 * math.exp(5417.753 * (1 / 273.16
                                           - 1 / (273.15 + b))) - 10), t, dew),
        ),
        "pressure_tendency_term": (
            {"tendency_hpa": warm - 15}, loop(lambda a, _: _tendency(a - 15), t, rh),
        ),
        "aqi_us_epa": ({"concentration_ugm3": damp}, loop(lambda a, _: _us(a), rh, t)),
        "daqi_uk": (
            {"concentration_ugm3": damp},
            loop(lambda a, _: bisect.bisect_left(_PM25_UK, math.floor(a + 0.5)) + 1, rh, t),
        ),
        "who_ratio": (
            {"concentration": damp, "pollutant": "pm25", "averaging": "24h"},
            loop(lambda a, _: a / 15, rh, t),
        ),
        "gas_ppm_power_law": (
            {"rs_ohm": damp, "r0_ohm": 50.0, "a": 116.6, "b": -2.769},
            loop(lambda a, _: 116.6 * (a / 50.0) ** -2.769, rh, t),
        ),
        "time_to_empty": (
            {"soc_pct": damp, "capacity_ah": 50.0, "current_a": -warm - 1},
            loop(lambda a, b: max(a, 0) / 100 * 50 / (b + 1) if 0 <= a <= 100 else math.nan, rh, t),
        ),
        "minutes_until_limit_exponential": (
            {"current": warm, "steady": 100.0, "rate_per_h": 1.0, "limit": damp},
            loop(lambda a, b: 0.0 if a >= b else 60 * math.log((100 - a) / (100 - b)), t, rh),
        ),
        "mgm3_to_ppm": (
            {"mgm3": damp},
            loop(lambda a, _: a * 8.314462618 * 298150 / (44.0095 * 101325), rh, t),
        ),
    }  # fmt: skip


def _heat_index(celsius: float, humidity: float) -> float:
    t = 1.8 * celsius + 32
    simple = 0.5 * (t + 61 + (t - 68) * 1.2 + humidity * 0.094)
    if (simple + t) / 2 < 80:
        return (simple - 32) / 1.8
    full = (-42.379 + 2.04901523 * t + 10.14333127 * humidity - 0.22475541 * t * humidity
            - 6.83783e-3 * t * t - 5.481717e-2 * humidity**2 + 1.22874e-3 * t * t * humidity
            + 8.5282e-4 * t * humidity**2 - 1.99e-6 * t * t * humidity**2)  # fmt: skip
    if humidity < 13 and 80 <= t <= 112:
        full -= (13 - humidity) / 4 * math.sqrt((17 - abs(t - 95)) / 17)
    elif humidity > 85 and 80 <= t <= 87:
        full += (humidity - 85) / 10 * (87 - t) / 5
    return (full - 32) / 1.8


def _tendency(change: float) -> float:
    size = abs(change)
    for number, limit in enumerate((0.1, 1.6, 3.6, 6.1)):
        if size < limit:
            return math.copysign(number, change)
    return math.copysign(4, change)


def _us(concentration: float) -> float:
    cut = math.floor(concentration * 10) / 10
    for low, high, index_low, index_high in _PM25_US:
        if cut <= high:
            return math.floor(
                index_low + (index_high - index_low) * (cut - low) / (high - low) + 0.5
            )
    return math.nan


def of_samples(t_us: TimeArray, walk: FloatArray, damp: FloatArray) -> Cases:
    """Figures of one list, and of one list over time."""
    time_s, values, rh = (t_us / 1e6).tolist(), walk.tolist(), damp.tolist()
    decay = 420 + 2000 * np.exp(-np.arange(len(t_us)) / len(t_us)) + damp / 100
    co2 = decay.tolist()
    series = {"t_us": t_us, "value": walk}

    def heard(count: int) -> list[float]:
        return [one for one in values[:count] if math.isfinite(one)]

    def peak(count: int) -> float:
        given = heard(count)
        mean = sum(given) / len(given)
        return max(abs(one - mean) for one in given)

    def crest(count: int) -> float:
        given = heard(count)
        mean = sum(given) / len(given)
        return peak(count) / math.sqrt(sum((one - mean) ** 2 for one in given) / len(given))

    def energy(count: int) -> float:
        total = 0.0
        for at in range(count - 1):
            step = time_s[at + 1] - time_s[at]
            if step <= 300:
                total += (values[at] * rh[at] + values[at + 1] * rh[at + 1]) / 2 * step
        return total / _HOUR_S

    def coverage(count: int) -> float:
        joined = 0.0
        for at in range(count - 1):
            step = time_s[at + 1] - time_s[at]
            if step <= 300 and math.isfinite(values[at]) and math.isfinite(values[at + 1]):
                joined += step
        return float(joined / (time_s[count - 1] - time_s[0]))

    def changes(count: int) -> float:
        used = [(a / _HOUR_S, math.log(b - 420)) for a, b in zip(time_s[:count], co2[:count],
                strict=True) if math.isfinite(b) and b - 420 >= 50]  # fmt: skip
        return _line(used)

    def extreme(better: Callable[[float, float], bool]) -> Loop:
        def run(count: int) -> tuple[float, float]:
            best, at = values[0], time_s[0]
            for moment, value in zip(time_s[:count], values[:count], strict=True):
                if math.isfinite(value) and better(value, best):
                    best, at = value, moment
            return best, at

        return run

    return {
        "vibration_peak": ({"samples": walk}, peak),
        "crest_factor": ({"samples": walk}, crest),
        "energy_wh": ({"time_s": t_us / 1e6, "voltage_v": damp, "current_a": walk}, energy),
        "integration_coverage": ({"time_s": t_us / 1e6, "value": walk}, coverage),
        "air_changes_per_hour": ({"time_s": t_us / 1e6, "co2_ppm": decay}, changes),
        "minutes_until_limit_linear": (
            {"time_s": t_us / 1e6, "values": walk, "limit": 1e9},
            lambda n: _line([(a, b) for a, b in zip(time_s[:n], values[:n], strict=True)
                             if math.isfinite(a) and math.isfinite(b)]),
        ),
        "exponential_approach_fit": (
            {"time_s": t_us / 1e6, "values": decay}, lambda n: _fit(time_s[:n], co2[:n]),
        ),
        "lowest": (series, extreme(operator.lt)),
        "highest": (series, extreme(operator.gt)),
        "percentiles": (
            {**series, "q": [5, 50, 95]},
            lambda n: [_percentile(sorted(heard(n)), share) for share in (5, 50, 95)],
        ),
    }  # fmt: skip


def _line(points: Sequence[tuple[float, float]]) -> float:
    """The slope; errors and r² come out of the same sums."""
    count = len(points)
    mean_x = sum(x for x, _ in points) / count
    mean_y = sum(y for _, y in points) / count
    sxx = sum((x - mean_x) ** 2 for x, _ in points)
    sxy = sum((x - mean_x) * (y - mean_y) for x, y in points)
    slope = sxy / sxx
    sum((y - mean_y - slope * (x - mean_x)) ** 2 for x, y in points)
    return slope


def _fit(time_s: Sequence[float], y: Sequence[float]) -> float:
    """Rates tried as ours are: a grid, then halving what is left of it."""
    mean_y = sum(y) / len(y)
    best, found = math.inf, 0.0
    for number in range(241 + 50):
        rate = 0.05 * 400 ** (min(number, 240) / 240)
        decay = [math.exp(-rate * (one - time_s[0]) / _HOUR_S) for one in time_s]
        mean = sum(decay) / len(decay)
        power = sum((one - mean) ** 2 for one in decay)
        b = sum((one - mean) * (v - mean_y) for one, v in zip(decay, y, strict=True)) / power
        left = sum((v - mean_y - b * (one - mean)) ** 2 for one, v in zip(decay, y, strict=True))
        if left < best:
            best, found = left, rate
    return found


def _percentile(ordered: Sequence[float], share: float) -> float:
    at = share / 100 * (len(ordered) - 1)
    low = math.floor(at)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (at - low) * (ordered[high] - ordered[low])


def of_pairs(t_us: TimeArray, warm: FloatArray, damp: FloatArray) -> Cases:
    """Two columns side by side."""
    t, rh, moments = warm.tolist(), damp.tolist(), t_us.tolist()
    both = {"a": warm, "b": damp}

    def pairs(count: int) -> list[tuple[float, float]]:
        return [
            (a, b) for a, b in zip(t[:count], rh[:count], strict=True)
            if math.isfinite(a) and math.isfinite(b)
        ]  # fmt: skip

    def ranked(column: Sequence[float]) -> list[float]:
        order = sorted(range(len(column)), key=column.__getitem__)
        rank = [0.0] * len(column)
        for number, row in enumerate(order):
            rank[row] = float(number)
        return rank

    def agreement(count: int) -> tuple[float, float]:
        differences = [b - a for a, b in pairs(count)]
        mean = sum(differences) / len(differences)
        variance = sum((one - mean) ** 2 for one in differences) / (len(differences) - 1)
        return mean - 1.96 * math.sqrt(variance), mean + 1.96 * math.sqrt(variance)

    return {
        "pearson_r": (both, lambda n: _correlation(pairs(n))),
        "spearman_r": (
            both,
            lambda n: _correlation(list(zip(ranked([a for a, _ in pairs(n)]),
                                            ranked([b for _, b in pairs(n)]), strict=True))),
        ),
        "limits_of_agreement": (both, agreement),
        "deming": (both, lambda n: _correlation(pairs(n))),
        # Ours takes 2,000 of the pairs, and so two million slopes; so does the loop.
        "theil_sen": (both, lambda n: _slopes(pairs(n)[: n // 50], n)),
        "drift_per_month": ({"t_us": t_us, **both}, lambda n: _slopes(
            [(moments[at], b - a) for at, (a, b) in enumerate(pairs(n)[: n // 50])], n)),
        "lag_s": (
            {"t_a_us": t_us, "value_a": warm, "t_b_us": t_us, "value_b": warm, "step_s": 60,
             "max_lag_s": 600, "max_gap_s": 180},
            lambda n: [_correlation(list(zip(t[max(0, -lag) : n - max(0, lag)],
                                             t[max(0, lag) : n - max(0, -lag)], strict=True)))
                       for lag in range(-10, 11)],
        ),
    }  # fmt: skip


def _correlation(points: Sequence[tuple[float, float]]) -> float:
    count = len(points)
    mean_a = sum(a for a, _ in points) / count
    mean_b = sum(b for _, b in points) / count
    saa = sum((a - mean_a) ** 2 for a, _ in points)
    sbb = sum((b - mean_b) ** 2 for _, b in points)
    sab = sum((a - mean_a) * (b - mean_b) for a, b in points)
    return sab / math.sqrt(saa * sbb)


def _slopes(points: Sequence[tuple[float, float]], count: int) -> float:
    """The median of as many slopes as make a twentieth of 2,000 × 1,999 / 2."""
    wanted = 2000 * 1999 // 2 // 20
    found: list[float] = []
    for (x0, y0), (x1, y1) in itertools.combinations(list(points) * (count // len(points) + 1), 2):
        if x1 != x0:
            found.append((y1 - y0) / (x1 - x0))
        if len(found) >= wanted:
            break
    return sorted(found)[len(found) // 2]


def of_pieces(t_us: TimeArray, walk: FloatArray) -> Cases:
    """Figures over time, gaps left out, and what looks wrong in a series."""
    moments, values = t_us.tolist(), walk.tolist()
    series = {"t_us": t_us, "value": walk}
    pieces = {**series, "max_gap_s": 180, "cadence_s": 60}
    steady = np.round(walk)
    level = steady.tolist()

    def steps(count: int) -> Iterable[tuple[float, float, float]]:
        for at in range(count - 1):
            seconds = (moments[at + 1] - moments[at]) / 1e6
            if seconds <= 180 and math.isfinite(values[at]):
                yield values[at], values[at + 1], seconds

    def deviation(count: int) -> float:
        total = weight = square = 0.0
        for a, b, seconds in steps(count):
            total += (a + b) / 2 * seconds
            square += (a * a + a * b + b * b) / 3 * seconds
            weight += seconds
        return math.sqrt(max(0.0, square / weight - (total / weight) ** 2))

    def excess(sign: float, takes_time: bool) -> Loop:
        def run(count: int) -> float:
            total = 0.0
            for a, b, seconds in steps(count):
                high, low = max(sign * a, sign * b) - 1.0, min(sign * a, sign * b) - 1.0
                if high <= 0:
                    continue
                share = 1.0 if low >= 0 else high / (high - low)
                mean = (high + max(low, 0.0)) / 2
                total += share * seconds * (1.0 if takes_time else mean)
            return total

        return run

    def silent(count: int) -> list[tuple[int, int]]:
        return [
            (moments[at], moments[at + 1]) for at in range(count - 1)
            if moments[at + 1] - moments[at] > 180e6 and math.isfinite(values[at])
        ]  # fmt: skip

    def z(count: int) -> list[float]:
        ordered = sorted(values[:count])
        middle = ordered[count // 2]
        spread = sorted(abs(one - middle) for one in ordered)[count // 2] * 1.4826
        return [(one - middle) / spread for one in values[:count]]

    return {
        "find_gaps": ({**series, "max_gap_s": 180}, silent),
        "covered_s": (pieces, lambda n: sum(seconds for _, _, seconds in steps(n))),
        "completeness": (
            {**pieces, "start_us": 0, "end_us": moments[-1]},
            lambda n: (sum(seconds for _, _, seconds in steps(n)), silent(n)),
        ),
        "time_weighted_std": (pieces, deviation),
        "time_below_s": ({**pieces, "limit": -1.0}, excess(-1, True)),
        "degree_hours_above": ({**pieces, "limit": 1.0}, excess(1, False)),
        "degree_hours_below": ({**pieces, "limit": -1.0}, excess(-1, False)),
        "robust_z": ({"value": walk}, z),
        "spells": (
            {**pieces, "threshold": 1.0},
            lambda n: _spells(moments[:n], values[:n]),
        ),
        "lone_zero": (
            {**series, "min_neighbour": 1.0, "max_gap_s": 180},
            lambda n: [at for at in range(1, n - 1) if abs(values[at]) <= 0.0
                       and abs(values[at - 1]) > 1.0 and abs(values[at + 1]) > 1.0
                       and moments[at + 1] - moments[at] <= 180e6
                       and moments[at] - moments[at - 1] <= 180e6],
        ),
        "stuck": (
            {"t_us": t_us, "value": steady, "min_count": 5, "min_duration_s": 300,
             "max_gap_s": 180},
            lambda n: _stretches(moments[:n], [False] + [
                a == b for a, b in itertools.pairwise(level[:n])]),
        ),
    }  # fmt: skip


def _stretches(moments: Sequence[int], holds: Sequence[bool]) -> list[list[int]]:
    """First and last moment and the number of rows of every stretch that holds."""
    found: list[list[int]] = []
    was, before = False, 0
    for moment, is_so in zip(moments, holds, strict=True):
        if is_so and (not was or moment - before > 180e6):
            found.append([moment, moment, 1])
        elif is_so:
            found[-1][1] = moment
            found[-1][2] += 1
        was, before = is_so, moment
    return found


def _spells(moments: Sequence[int], values: Sequence[float]) -> list[dict[str, float]]:
    """Stretches over 1 with the crossings, the peak and the area over 0."""
    found: list[dict[str, float]] = []
    was = False
    for at, (moment, value) in enumerate(zip(moments, values, strict=True)):
        before, seconds = (values[at - 1], (moment - moments[at - 1]) / 1e6) if at else (value, 0.0)
        is_joined = 0 < seconds <= 180 and math.isfinite(before) and math.isfinite(value)
        crossing = moment
        if is_joined and before != value:
            crossing = round(moments[at - 1] + (1.0 - before) / (value - before) * seconds * 1e6)
        high, low = max(before, value, 0.0), max(min(before, value), 0.0)
        area = (high + low) / 2 * seconds / 3600 if is_joined else 0.0
        if value > 1.0 and not (was and is_joined):
            found.append({"start": crossing, "end": moment, "peak": value, "peak_at": moment,
                          "area": area})  # fmt: skip
        elif value > 1.0:
            found[-1]["end"] = moment
            found[-1]["area"] += area
            if value > found[-1]["peak"]:
                found[-1].update(peak=value, peak_at=moment)
        elif was:
            found[-1]["end"] = crossing
            found[-1]["area"] += area
        was = value > 1.0
    return found


def of_watching(t_us: TimeArray, walk: FloatArray) -> Cases:
    """What is derived before it is watched, and the gate before a watch."""
    series = {"t_us": t_us, "value": walk}
    moments, values = t_us.tolist(), walk.tolist()

    def rates(count: int) -> list[list[int]]:
        found = []
        for at in range(count):
            first = max(0, at - 10)
            points = list(zip(range(first, at + 1), values[first : at + 1], strict=True))
            found.append(len(points) > 2 and _line(points) * 60 > 30)
        return _stretches(moments[:count], found)

    def usual(count: int) -> list[list[int]]:
        found = []
        for at in range(count):
            before = walk[max(0, at - 60) : at]
            if len(before) < 20:
                found.append(False)
                continue
            middle = float(np.median(before))
            spread = max(1.4826 * float(np.median(np.abs(before - middle))), 0.1)
            found.append((values[at] - middle) / spread > 3)
        return _stretches(moments[:count], found)

    def gate(count: int) -> list[bool]:
        found, newest = [], 0
        for moment in moments[:count]:
            while newest + 1 < count and moments[newest + 1] <= moment:
                newest += 1
            is_known = moment - moments[newest] <= 180_000_000 and math.isfinite(values[newest])
            found.append(values[newest] > 0 if is_known else True)
        return found

    return {
        "rate_watch": (
            {**series, "limit_per_h": 30.0, "window_s": 600, "max_gap_s": 180}, rates
        ),
        "usual_level_watch": (
            {**series, "window_s": 3600, "min_spread": 0.1, "z_limit": 3.0, "max_gap_s": 180},
            usual,
        ),
        "guard_gate": (
            {"t_us": t_us, "guard_t_us": t_us, "guard_value": walk, "guard_limit": 0.0,
             "guard_max_age_s": 180},
            gate,
        ),
    }  # fmt: skip

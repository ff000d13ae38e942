"""Air quality, scores, levels, currents and units, reading by reading (sections C to G, K, M)."""

from __future__ import annotations

from bisect import bisect_left
from functools import partial
from math import floor, inf, isfinite, log, log10, nan, sqrt

from benchmarks.loops.cases import Case, Columns, asked_of_each
from benchmarks.loops.scores import along

_PM25_US = (
    (0.0, 9.0, 0, 50),
    (9.1, 35.4, 51, 100),
    (35.5, 55.4, 101, 150),
    (55.5, 125.4, 151, 200),
    (125.5, 225.4, 201, 300),
    (225.5, 325.4, 301, 500),
)
_PM25_UK = (11, 23, 35, 41, 47, 53, 58, 64, 70)
_CURVE = ((0.0, 0.0), (30.0, 100.0), (60.0, 100.0), (100.0, 0.0))
_PPM_CO2 = 44.0095 * (100 * 1013.25) / (8.314462618 * (25.0 + 273.15)) * 1e-3


def _us(concentration: float) -> float:
    if not 0 <= concentration < inf:
        return nan
    cut = floor(concentration * 10 + 1e-6) / 10
    for row, (low, high, index_low, index_high) in enumerate(_PM25_US):
        if row + 1 == len(_PM25_US) or cut < _PM25_US[row + 1][0]:
            slope = (index_high - index_low) / (high - low)
            return float(floor(slope * (cut - low) + index_low + 1e-9 + 0.5))
    raise AssertionError("the last segment goes on for ever")


def _uk(concentration: float) -> float:
    if not 0 <= concentration < inf:
        return nan
    return float(bisect_left(_PM25_UK, floor(concentration + 0.5)) + 1)


def _power_law(rs: float) -> float:
    return float(116.6 * (rs / 50.0) ** -2.769) if 0 < rs < inf else nan


def _gassiness(resistance: float, baseline: float) -> float:
    if not (0 < resistance < inf and 0 < baseline < inf):
        return nan
    return 100 * min(max(log(baseline / resistance) / log(10.0), 0.0), 1.0)


def _day_evening_night(day: float, evening: float, night: float) -> float:
    if not (isfinite(day) and isfinite(evening) and isfinite(night)):
        return nan
    energy = 12 * 10 ** (day / 10) + 4 * 10 ** ((evening + 5) / 10) + 8 * 10 ** ((night + 10) / 10)
    return 10 * log10(energy / 24)


def _size(x: float, y: float, z: float) -> float:
    size = sqrt(x * x + y * y + z * z)
    return size if size < inf else nan


def _ratio(value: float, base: float) -> float:
    return value / base if 0 < base < inf and 0 <= value < inf else nan


def _hours_left(charge: float, current: float) -> float:
    if not (-inf < current < 0 and 0 <= charge <= 100):
        return nan
    return charge / 100 * 50.0 / -current


def _minutes_left(current: float, limit: float) -> float:
    if not (isfinite(current) and isfinite(limit)):
        return nan
    if current >= limit:
        return 0.0
    if not limit < 100.0:
        return nan
    minutes = 60 / 1.0 * log((100.0 - current) / (100.0 - limit))
    return minutes if minutes <= 1440 else nan


def _fahrenheit(celsius: float) -> float:
    return 1.8 * celsius + 32 if -273.15 - 1e-9 <= celsius < inf else nan


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of one moment of sections C to G, K and M."""
    warm, damp, walk = columns.warm, columns.damp, columns.walk
    clean = damp + warm + 1
    return {
        "aqi_us_epa": Case({"concentration_ugm3": damp}, asked_of_each(_us, damp)),
        "daqi_uk": Case({"concentration_ugm3": damp}, asked_of_each(_uk, damp)),
        "who_ratio": Case(
            {"concentration": damp, "pollutant": "pm25", "averaging": "24h"},
            asked_of_each(lambda one: one / 15 if 0 <= one < inf else nan, damp),
        ),
        "gas_ppm_power_law": Case(
            {"rs_ohm": damp, "r0_ohm": 50.0, "a": 116.6, "b": -2.769},
            asked_of_each(_power_law, damp),
        ),
        "relative_gas_index": Case(
            {"resistance_ohm": damp, "baseline_ohm": clean}, asked_of_each(_gassiness, damp, clean)
        ),
        "piecewise_score": Case(
            {
                "value": damp,
                "x_points": [x for x, _ in _CURVE],
                "score_points": [y for _, y in _CURVE],
            },
            asked_of_each(partial(along, _CURVE), damp),
        ),
        "lden": Case(
            {"lday_db": damp, "levening_db": damp - 5, "lnight_db": damp - 10},
            asked_of_each(_day_evening_night, damp, damp - 5, damp - 10),
        ),
        "vector_sum": Case(
            {"x": warm, "y": damp, "z": walk}, asked_of_each(_size, warm, damp, walk)
        ),
        "ratio_to_base": Case({"value": warm, "base": damp}, asked_of_each(_ratio, warm, damp)),
        "shunt_current": Case(
            {"drop_mv": warm, "rated_a": 50.0, "rated_mv": 60.0},
            asked_of_each(lambda drop: drop * 50.0 / 60.0 if isfinite(drop) else nan, warm),
        ),
        "time_to_empty": Case(
            {"soc_pct": damp, "capacity_ah": 50.0, "current_a": -warm - 1},
            asked_of_each(_hours_left, damp, -warm - 1),
        ),
        "minutes_until_limit_exponential": Case(
            {"current": warm, "steady": 100.0, "rate_per_h": 1.0, "limit": damp},
            asked_of_each(_minutes_left, warm, damp),
        ),
        "convert_unit": Case(
            {"value": warm, "from_unit": "degC", "to_unit": "degF"},
            asked_of_each(_fahrenheit, warm),
        ),
        "ppm_to_mgm3": Case(
            {"ppm": damp},
            asked_of_each(lambda one: one * _PPM_CO2 if 0 <= one < inf else nan, damp),
        ),
        "mgm3_to_ppm": Case(
            {"mgm3": damp},
            asked_of_each(lambda one: one / _PPM_CO2 if 0 <= one < inf else nan, damp),
        ),
    }

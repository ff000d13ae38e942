"""Moist air and pressure, reading by reading (sections A and B)."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import atan, copysign, exp, floor, inf, isfinite, log, nan, sqrt

from benchmarks.loops.cases import Case, Columns, asked_of_each, lists_of


def saturation_vapour_pressure(t: float) -> float:
    """hPa over water."""
    return 6.1094 * exp(17.625 * t / (243.04 + t)) if -40 <= t <= 50 else nan


def _in_range(t: float, rh: float) -> bool:
    return -40 <= t <= 50 and 0 <= rh <= 100


def _vapour_pressure(t: float, rh: float) -> float:
    return saturation_vapour_pressure(t) * rh / 100 if _in_range(t, rh) else nan


def _dew_point(t: float, rh: float) -> float:
    if not (-40 <= t <= 50 and 0 < rh <= 100):
        return nan
    g = log(rh / 100) + 17.625 * t / (243.04 + t)
    dew = 243.04 * g / (17.625 - g)
    return dew if dew >= -40 else nan


def _humidity(t: float, dew: float) -> float:
    if not (-40 <= t <= 50 and -40 <= dew <= t):
        return nan
    return 100 * saturation_vapour_pressure(dew) / saturation_vapour_pressure(t)


def _absolute_humidity(t: float, rh: float) -> float:
    if not _in_range(t, rh):
        return nan
    return 1000 * 100 * _vapour_pressure(t, rh) / (461.5 * (t + 273.15))


def _mixing_ratio(t: float, rh: float) -> float:
    if not _in_range(t, rh):
        return nan
    e = _vapour_pressure(t, rh)
    return 1000 * 0.621945 * e / (1000.0 - e)


def _deficit(t: float, rh: float) -> float:
    if not _in_range(t, rh):
        return nan
    return (saturation_vapour_pressure(t) - _vapour_pressure(t, rh)) / 10


def _wet_bulb(t: float, rh: float) -> float:
    if not (-20 <= t <= 50 and 5 <= rh <= 99 and rh >= 27.7 - 2.27 * t):
        return nan
    damp: float = rh**1.5
    return (
        t * atan(0.151977 * sqrt(rh + 8.313659))
        + atan(t + rh)
        - atan(rh - 1.676331)
        + 0.00391838 * damp * atan(0.023101 * rh)
        - 4.686035
    )


def _heat_index(celsius: float, rh: float) -> float:
    t = 1.8 * celsius + 32
    if not (t >= 40 - 1e-9 and celsius <= 50 and 0 <= rh <= 100):
        return nan
    simple = 0.5 * (t + 61.0 + 1.2 * (t - 68.0) + 0.094 * rh)
    if simple < 80:
        return (simple - 32) / 1.8
    full = (
        -42.379
        + 2.04901523 * t
        + 10.14333127 * rh
        - 0.22475541 * t * rh
        - 0.00683783 * t * t
        - 0.05481717 * rh * rh
        + 0.00122874 * t * t * rh
        + 0.00085282 * t * rh * rh
        - 0.00000199 * t * t * rh * rh
    )
    if rh < 13 and 80 <= t <= 112:
        full -= (13 - rh) / 4 * sqrt((17 - abs(t - 95)) / 17)
    elif rh > 85 and 80 <= t <= 87:
        full += (rh - 85) / 10 * ((87 - t) / 5)
    return (full - 32) / 1.8


def _wind_chill(t: float, v: float) -> float:
    if not (-50 <= t <= 10 and 4.8 < v < inf):
        return nan
    power: float = v**0.16
    return 13.12 + 0.6215 * t - 11.37 * power + 0.3965 * t * power


def _humidex(t: float, dew: float) -> float:
    if not (20 <= t <= 50 and -40 <= dew <= t):
        return nan
    e = 6.11 * exp(5417.7530 * (1 / 273.16 - 1 / (273.15 + dew)))
    return t + 5 / 9 * (e - 10)


_EXPONENT = 9.80665 / (287.05287 * 0.0065)


def _pressure_altitude(p: float) -> float:
    if not 0 < p < inf:
        return nan
    height = 288.15 / 0.0065 * (1 - (p / 1013.25) ** (1 / _EXPONENT))
    return height if -5000 <= height <= 11000 else nan


def _isa_pressure(h: float) -> float:
    if not -5000 <= h <= 11000:
        return nan
    pressure: float = 1013.25 * (1 - 0.0065 * h / 288.15) ** _EXPONENT
    return pressure


def _sea_level_pressure(p: float, t: float) -> float:
    if not (300 <= p <= 1100 and -60 <= t <= 60):
        return nan
    reduced: float = p * (1 + 0.0065 * 120.0 / (t + 273.15)) ** _EXPONENT
    return reduced


def _tendency_term(change: float) -> float:
    if not isfinite(change):
        return nan
    tenths = floor(abs(change) * 10 + 0.5 + 1e-9)
    for term, most in enumerate((0, 15, 35, 60)):
        if tenths <= most:
            return copysign(term, change)
    return copysign(4, change)


def _tendency(time_s: Sequence[float], pressure: Sequence[float]) -> float:
    """The newest less what lay on the line three hours before it."""
    good = [(at, p) for at, p in zip(time_s, pressure, strict=True) if isfinite(p)]
    newest_s, newest = good[-1]
    then = newest_s - 10_800
    for (before_s, before), (after_s, after) in pairwise(good):
        if before_s <= then <= after_s:
            if before_s == then:
                return newest - before
            if after_s == then:
                return newest - after
            if after_s - before_s > 3600:
                return nan
            share = (then - before_s) / (after_s - before_s)
            return newest - (before + share * (after - before))
    return nan


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of sections A and B."""
    warm, damp = columns.warm, columns.damp
    both = {"temperature_c": warm, "relative_humidity_pct": damp}
    dew, summer, winter = warm - 3, 20 + warm / 2, warm - 30
    hpa = 950 + damp
    return {
        "saturation_vapour_pressure": Case(
            {"temperature_c": warm}, asked_of_each(saturation_vapour_pressure, warm)
        ),
        "vapour_pressure": Case(both, asked_of_each(_vapour_pressure, warm, damp)),
        "dew_point": Case(both, asked_of_each(_dew_point, warm, damp)),
        "relative_humidity_from_dew_point": Case(
            {"temperature_c": warm, "dew_point_c": dew}, asked_of_each(_humidity, warm, dew)
        ),
        "absolute_humidity": Case(both, asked_of_each(_absolute_humidity, warm, damp)),
        "mixing_ratio": Case(
            {**both, "pressure_hpa": 1000.0}, asked_of_each(_mixing_ratio, warm, damp)
        ),
        "vapour_pressure_deficit": Case(both, asked_of_each(_deficit, warm, damp)),
        "wet_bulb_stull": Case(both, asked_of_each(_wet_bulb, warm, damp)),
        "heat_index": Case(
            {"temperature_c": summer, "relative_humidity_pct": damp},
            asked_of_each(_heat_index, summer, damp),
        ),
        "wind_chill": Case(
            {"temperature_c": winter, "wind_speed_kmh": damp},
            asked_of_each(_wind_chill, winter, damp),
        ),
        "humidex": Case(
            {"temperature_c": summer, "dew_point_c": dew}, asked_of_each(_humidex, summer, dew)
        ),
        "pressure_altitude": Case({"pressure_hpa": hpa}, asked_of_each(_pressure_altitude, hpa)),
        "isa_pressure": Case({"altitude_m": 10 * damp}, asked_of_each(_isa_pressure, 10 * damp)),
        "sea_level_pressure": Case(
            {"station_pressure_hpa": hpa, "altitude_m": 120.0, "temperature_c": warm},
            asked_of_each(_sea_level_pressure, hpa, warm),
        ),
        "pressure_tendency_3h": Case(
            {"time_s": columns.time_s, "pressure_hpa": hpa},
            lambda count: _tendency(*lists_of(count, columns.time_s, hpa)),
        ),
        "pressure_tendency_term": Case(
            {"tendency_hpa": warm - 15}, asked_of_each(_tendency_term, warm - 15)
        ),
    }

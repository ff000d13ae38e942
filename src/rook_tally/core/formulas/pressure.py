"""Pressure and height (section B of our formulas).

Constants of the standard atmosphere: ISO 2533:1975; ICAO Doc 7488/3 (1993). Altitudes are
geopotential metres; geometric ones are treated as equal.
"""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.elementwise import (
    FormulaArgument,
    elementwise,
    every,
    floats,
    heard_of,
    power,
    series,
    where,
    within,
)

_T0, _LAPSE, _P0, _G, _R = 288.15, 0.0065, 1013.25, 9.80665, 287.05287
_N = _G / (_R * _LAPSE)
_HEIGHTS = (-5000.0, 11_000.0)
_THREE_HOURS_S = 10_800.0


@elementwise("pressure_hpa", "reference_hpa")
def pressure_altitude(pressure_hpa: FloatArray, reference_hpa: FormulaArgument = _P0) -> FloatArray:
    """Height above the level of a reference pressure, m; results −5000…11 000 m.

    (T0/L)·(1 − (p/p_ref)^(1/n)), the standard atmosphere turned round.
    """
    p, reference = pressure_hpa, floats(reference_hpa)
    height = _T0 / _LAPSE * (1 - power(p / reference, 1 / _N))
    return where(every(p > 0, reference > 0, within(height, *_HEIGHTS)), height)


@elementwise("altitude_m")
def isa_pressure(altitude_m: FloatArray) -> FloatArray:
    """Pressure of the standard atmosphere, hPa: p0·(1 − L·h/T0)^n; −5000…11 000 m."""
    colder = 1 - _LAPSE / _T0 * altitude_m
    return where(within(altitude_m, *_HEIGHTS), _P0 * power(colder, _N))


@elementwise("station_pressure_hpa", "altitude_m", "temperature_c")
def sea_level_pressure(
    station_pressure_hpa: FloatArray, altitude_m: FormulaArgument, temperature_c: FloatArray
) -> FloatArray:
    """Pressure reduced to sea level, hPa: p·(1 + L·h/(T+273.15))^n.

    Hydrostatic, dry, with the standard lapse rate down from the station's temperature: ours, built
    on ISO 2533. 300…1100 hPa, −500…5000 m, −60…60 °C; little meaning above about 750 m.
    """
    p, h, t = station_pressure_hpa, floats(altitude_m), temperature_c
    valid = every(within(p, 300, 1100), within(h, -500, 5000), within(t, -60, 60))
    return where(valid, p * power(1 + _LAPSE * h / (t + 273.15), _N))


def pressure_tendency_3h(
    time_s: FormulaArgument, pressure_hpa: FormulaArgument, max_gap_s: float = 3600.0
) -> float:
    """Change of pressure over the last 3 h, hPa (WMO-No. 306, SYNOP); use station pressure.

    The earlier value is a sample or lies between neighbours at most `max_gap_s` (ours) apart; NaN
    otherwise, for less than 3 h, and for times that do not rise.
    """
    given = series(time_s, pressure_hpa)
    if given is None:
        return math.nan
    times, pressure = heard_of(*given)
    if len(times) < 2:
        return math.nan
    then = times[-1] - _THREE_HOURS_S
    after = int(np.searchsorted(times, then))
    if times[after] != then and (after == 0 or times[after] - times[after - 1] > max_gap_s):
        return math.nan
    return float(pressure[-1] - np.interp(then, times, pressure))


@elementwise("tendency_hpa")
def pressure_tendency_term(tendency_hpa: FloatArray) -> FloatArray:
    """Class of a 3 h pressure tendency, −4 (falling very rapidly) … 0 (steady) … 4.

    |Δ| rounded to 0.1: up to 0 steady, 1.5 slowly, 3.5 (no adverb), 6.0 quickly, above very
    rapidly: UK Met Office marine forecast glossary.
    """
    size = np.floor(np.abs(tendency_hpa) * 10 + 0.5 + 1e-9)
    # For so few bounds cheaper than a search: how many of them lie below.
    term = np.add.reduce([size > bound for bound in (0.0, 15.0, 35.0, 60.0)], dtype=np.int8)
    return where(np.isfinite(tendency_hpa), np.sign(tendency_hpa) * term)

"""Moist air (section A of our formulas).

es(T) is over liquid water also below 0 °C, the meteorological convention for relative humidity; the
enhancement factor (about 0.4 % at sea level) is left out. Ranges are those of the sources unless a
docstring says that they are ours.
"""

from __future__ import annotations

import enum

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray
from rook_tally.core.formulas.elementwise import elementwise, every, power, where, within


class SaturatedOver(enum.Enum):
    """The surface that saturated air stands over."""

    WATER = "water"
    ICE = "ice"


_T = (-40.0, 50.0)
_RH = (0.0, 100.0)
_VAPOUR_GAS_CONSTANT = 461.5  # J/(kg·K), AMS Glossary of Meteorology
_MASS_RATIO = 0.621945  # ASHRAE Handbook Fundamentals, ch. 1
_ZERO_CELSIUS_K = 273.15


def _es(t: FloatArray) -> FloatArray:
    return 6.1094 * np.exp(_es_exponent(t))


def _es_exponent(t: FloatArray) -> FloatArray:
    return 17.625 * t / (243.04 + t)


def _moist(t: FloatArray, rh: FloatArray) -> FloatArray:
    return _es(t) * (rh / 100)


@elementwise("temperature_c")
def saturation_vapour_pressure(temperature_c: FloatArray, over: str = "water") -> FloatArray:
    """Saturation vapour pressure, hPa: over water −40…50 °C, over ice −80…0 °C.

    6.1094·exp(17.625·T/(243.04+T)) and 6.1121·exp(22.587·T/(273.86+T)): Alduchov & Eskridge 1996,
    J. Appl. Meteor. 35:601–609 (AERK, AERKi). ValueError for another `over`.
    """
    t = temperature_c
    if SaturatedOver(over) is SaturatedOver.WATER:
        return where(within(t, *_T), _es(t))
    return where(within(t, -80, 0), 6.1121 * np.exp(22.587 * t / (273.86 + t)))


@elementwise("temperature_c", "relative_humidity_pct")
def vapour_pressure(temperature_c: FloatArray, relative_humidity_pct: FloatArray) -> FloatArray:
    """Vapour pressure es(T)·RH/100, hPa; −40…50 °C, 0…100 %. Definition: WMO-No. 8."""
    t, rh = temperature_c, relative_humidity_pct
    return where(every(within(t, *_T), within(rh, *_RH)), _moist(t, rh))


@elementwise("temperature_c", "relative_humidity_pct")
def dew_point(temperature_c: FloatArray, relative_humidity_pct: FloatArray) -> FloatArray:
    """Dew point, °C (not the frost point below zero); −40…50 °C, over 0 to 100 %.

    g = ln(RH/100) + 17.625·T/(243.04+T), Td = 243.04·g/(17.625−g): Lawrence 2005, BAMS 86:225–233,
    with the AERK constants. NaN where the result leaves the fit (below −40 °C).
    """
    t, rh = temperature_c, relative_humidity_pct
    g = np.log(rh / 100) + 17.625 * t / (243.04 + t)
    dew = 243.04 * g / (17.625 - g)
    return where(every(within(t, *_T), rh > 0, rh <= 100, dew >= -40), dew)


@elementwise("temperature_c", "dew_point_c")
def relative_humidity_from_dew_point(
    temperature_c: FloatArray, dew_point_c: FloatArray
) -> FloatArray:
    """Relative humidity 100·es(Td)/es(T), %; both −40…50 °C, Td ≤ T. Source as `dew_point`."""
    t, dew = temperature_c, dew_point_c
    valid = every(within(t, *_T), within(dew, *_T), dew <= t)
    # The quotient of two exponentials is one of a difference.
    return where(valid, 100 * np.exp(_es_exponent(dew) - _es_exponent(t)))


@elementwise("temperature_c", "relative_humidity_pct")
def absolute_humidity(temperature_c: FloatArray, relative_humidity_pct: FloatArray) -> FloatArray:
    """Water in a volume of air 1000·e/(Rv·T), g/m³; −40…50 °C, 0…100 %.

    Ideal gas, Rv = 461.5 J/(kg·K) (AMS Glossary of Meteorology).
    """
    t, rh = temperature_c, relative_humidity_pct
    # 100 Pa a hPa and 1000 g a kg.
    result = (1e5 / _VAPOUR_GAS_CONSTANT) * _moist(t, rh) / (t + _ZERO_CELSIUS_K)
    return where(every(within(t, *_T), within(rh, *_RH)), result)


@elementwise("temperature_c", "relative_humidity_pct", "pressure_hpa")
def mixing_ratio(
    temperature_c: FloatArray, relative_humidity_pct: FloatArray, pressure_hpa: FloatArray
) -> FloatArray:
    """Water by mass of dry air, g/kg: 1000·0.621945·e/(p−e).

    ASHRAE Handbook Fundamentals ch. 1 (2009 and later). −40…50 °C, 0…100 %, 300…1100 hPa (ours).
    """
    t, rh, p = temperature_c, relative_humidity_pct, pressure_hpa
    e = _moist(t, rh)
    valid = every(within(t, *_T), within(rh, *_RH), within(p, 300, 1100))
    return where(valid, 1000 * _MASS_RATIO * e / (p - e))


@elementwise("temperature_c", "relative_humidity_pct")
def vapour_pressure_deficit(
    temperature_c: FloatArray, relative_humidity_pct: FloatArray
) -> FloatArray:
    """Vapour pressure deficit (es−e)/10, kPa; −40…50 °C, 0…100 %.

    Definition: FAO Irrigation & Drainage Paper 56 (Allen et al. 1998); es is AERK, not FAO's form.
    """
    t, rh = temperature_c, relative_humidity_pct
    result = _es(t) * (1 - rh / 100) / 10
    return where(every(within(t, *_T), within(rh, *_RH)), result)


@elementwise("temperature_c", "relative_humidity_pct", dear=True)
def wet_bulb_stull(temperature_c: FloatArray, relative_humidity_pct: FloatArray) -> FloatArray:
    """Wet-bulb temperature at sea-level pressure, °C; −20…50 °C, 5…99 %.

    Stull 2011, J. Appl. Meteor. Climatol. 50:2267–2269. Its cold and dry corner, given there only
    as a graph, is cut by a line of ours: NaN where RH < 27.7 − 2.27·T.
    """
    t, rh = temperature_c, relative_humidity_pct
    root = np.sqrt(rh + 8.313659)
    root *= 0.151977
    result = t * _arctan(root)
    damp = np.sqrt(rh)
    damp *= rh
    damp *= 0.00391838
    damp *= _arctan(0.023101 * rh)
    result += damp
    # atan(T+RH) − atan(RH−1.676331), both positive where the fit holds, as the one arctangent of
    # (a−b)/(1+ab): it is the dearest step.
    product = t + rh
    product *= rh - 1.676331
    product += 1
    result += _arctan((t + 1.676331) / product)
    result -= 4.686035
    valid = every(within(t, -20, 50), within(rh, 5, 99), rh + 2.27 * t >= 27.7)
    return where(valid, result)


def _arctan(steps: FloatArray) -> FloatArray:
    """Arctangents, written over what is given; of a plain number a new one."""
    return np.asarray(np.arctan(steps, out=steps) if np.ndim(steps) else np.arctan(steps))


@elementwise("temperature_c", "relative_humidity_pct", dear=True)
def heat_index(temperature_c: FloatArray, relative_humidity_pct: FloatArray) -> FloatArray:
    """Heat index, °C; 40 °F to 50 °C (both ours), 0…100 %.

    Rothfusz 1990, NWS Technical Attachment SR 90-23, with the simple form, the adjustments and the
    threshold of 80 °F of the NWS WPC heat index equation page.
    """
    t, rh = temperature_c, relative_humidity_pct
    # The simple form, °F: 0.5·(T + 61 + 1.2·(T − 68) + 0.094·RH), put in °C and gathered.
    felt = np.asarray(1.98 * t + (0.047 * rh + 24.9))
    # Rooms are rarely that hot: the long polynomial is worked out only where it counts.
    hot = np.flatnonzero(felt >= 80)
    if hot.size:
        celsius, damp = (_taken(one, felt.shape, hot) for one in (t, rh))
        felt.reshape(-1)[hot] = _rothfusz(1.8 * celsius + 32, damp)
    felt -= 32
    felt /= 1.8
    return where(every(within(t, (40 - 32 - 1e-9) / 1.8, 50), within(rh, *_RH)), felt)


def _taken(values: FloatArray, shape: tuple[int, ...], at: IntArray) -> FloatArray:
    """Elements of an array at some places, once it is broadcast to a shape."""
    whole = values if values.shape == shape else np.broadcast_to(values, shape)
    return np.asarray(whole.reshape(-1)[at])


def _rothfusz(t: FloatArray, rh: FloatArray) -> FloatArray:
    """The regression for heat, °F, with its adjustments for dry and for damp air."""
    # Its nine terms by powers of t: half as many passes as one after the other.
    full = (-42.379 + rh * (10.14333127 - 0.05481717 * rh)) + t * (
        (2.04901523 + rh * (0.00085282 * rh - 0.22475541))
        + t * (-0.00683783 + rh * (0.00122874 - 0.00000199 * rh))
    )
    dry = np.flatnonzero((rh < 13) & within(t, 80, 112))
    damp = np.flatnonzero((rh > 85) & within(t, 80, 87))
    full[dry] -= (13 - rh[dry]) / 4 * np.sqrt((17 - np.abs(t[dry] - 95)) / 17)
    full[damp] += (rh[damp] - 85) / 10 * ((87 - t[damp]) / 5)
    return full


@elementwise("temperature_c", "wind_speed_kmh", dear=True)
def wind_chill(temperature_c: FloatArray, wind_speed_kmh: FloatArray) -> FloatArray:
    """Wind chill, °C, for wind at 10 m; −50 (ours)…10 °C, over 4.8 km/h.

    13.12 + 0.6215·T − 11.37·V^0.16 + 0.3965·T·V^0.16: Environment Canada / NWS 2001 index;
    Osczevski & Bluestein 2005, BAMS 86:1453–1458.
    """
    t, v = temperature_c, wind_speed_kmh
    # Wind without end gives NaN by itself.
    chill = power(v, 0.16)
    result = t * (0.6215 + 0.3965 * chill)
    result += 13.12 - 11.37 * chill
    return where(every(within(t, -50, 10), v > 4.8), result)


@elementwise("temperature_c", "dew_point_c")
def humidex(temperature_c: FloatArray, dew_point_c: FloatArray) -> FloatArray:
    """Humidex, read as °C; 20…50 °C, dew point −40 °C to the temperature (limits ours).

    T + (5/9)·(e−10), e = 6.11·exp(5417.7530·(1/273.16 − 1/(273.15+Td))): Masterton & Richardson
    1979, Environment Canada CLI 1-79.
    """
    t, dew = temperature_c, dew_point_c
    e = 6.11 * np.exp(5417.7530 * (1 / 273.16 - 1 / (_ZERO_CELSIUS_K + dew)))
    valid = every(within(t, 20, 50), dew >= -40, dew <= t)
    return where(valid, t + 5 / 9 * (e - 10))

"""Air quality indices and guidelines, and what a gas sensor's resistance says (section C)."""

from __future__ import annotations

import enum
import math

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.elementwise import (
    FormulaArgument,
    elementwise,
    every,
    floats,
    rounded_half_up,
    series,
    where,
)
from rook_tally.core.series.rolling import OrderStatistics


class Particles(enum.Enum):
    """The particle fractions that national indices know."""

    PM25 = "pm25"
    PM10 = "pm10"


# Concentrations at which each segment of the index begins and ends, and the decimals kept.
_EPA_INDEX = np.array([[0, 50], [51, 100], [101, 150], [151, 200], [201, 300], [301, 500]], float)
_EPA = {
    Particles.PM25: (
        10.0,
        np.array(
            [[0, 9.0], [9.1, 35.4], [35.5, 55.4], [55.5, 125.4], [125.5, 225.4], [225.5, 325.4]]
        ),
    ),
    Particles.PM10: (
        1.0,
        np.array([[0, 54], [55, 154], [155, 254], [255, 354], [355, 424], [425, 604]], float),
    ),
}
_DAQI = {
    Particles.PM25: np.array([11, 23, 35, 41, 47, 53, 58, 64, 70], float),
    Particles.PM10: np.array([16, 33, 50, 58, 66, 75, 83, 91, 100], float),
}
NOWCAST_HOURS = 12


def _truncated(value: FloatArray, per_unit: float) -> FloatArray:
    """Cut to steps of 1/per_unit; 35.4 stays 35.4 although 35.4·10 is a little less than 354."""
    return np.floor(value * per_unit + 1e-6) / per_unit


@elementwise("concentration_ugm3", dear=True)
def aqi_us_epa(concentration_ugm3: FloatArray, pollutant: str = "pm25") -> FloatArray:
    """US air quality index of a 24 h mean (or NowCast), whole numbers from 0.

    40 CFR 58 App. G as amended 2024 (89 FR 16202); EPA AQI Technical Assistance Document, May 2024.
    Above the table its last segment goes on. Negative: NaN. ValueError for another pollutant.
    """
    per_unit, edges = _EPA[Particles(pollutant)]
    c = _truncated(concentration_ugm3, per_unit)
    # A handful of edges: counting those passed is quicker than looking each value up.
    segment = sum((c >= edge).view(np.int8) for edge in edges[1:, 0])
    slope = (_EPA_INDEX[:, 1] - _EPA_INDEX[:, 0]) / (edges[:, 1] - edges[:, 0])
    index = slope.take(segment) * (c - edges[:, 0].take(segment)) + _EPA_INDEX[:, 0].take(segment)
    return where(concentration_ugm3 >= 0, rounded_half_up(index + 1e-9))


def nowcast_pm(hourly_ugm3: FormulaArgument, pollutant: str = "pm25") -> float:
    """US EPA NowCast of hourly means, oldest first, NaN for a missing hour; µg/m³.

    Σwⁱcᵢ/Σwⁱ over the last 12 hours, w = max(cmin/cmax, ½), i the hours before the newest; cut to
    0.1 (PM2.5) or 1 (PM10). NaN with fewer than two of the newest three. US EPA NowCast (2013).
    """
    hours = floats(hourly_ugm3)[-NOWCAST_HOURS:]
    return float(nowcasts_of(hours[None, :], pollutant)[0])


def nowcasts_of(hourly_ugm3: FloatArray, pollutant: str = "pm25") -> FloatArray:
    """`nowcast_pm` at many moments: (M, H ≤ 12) hourly means, oldest first, → (M,); µg/m³."""
    per_unit, _ = _EPA[Particles(pollutant)]
    hours = hourly_ugm3[:, ::-1]
    heard = np.isfinite(hours) & (hours >= 0)
    values = np.where(heard, hours, 0.0)
    most = values.max(axis=1, initial=0.0)
    least = np.where(heard, hours, np.inf).min(axis=1, initial=np.inf)
    with np.errstate(divide="ignore", invalid="ignore"):
        # Nothing but zeros weighs all hours alike.
        weight = np.maximum(np.where(most > 0, least / most, 1.0), 0.5)
        powers = np.where(heard, weight[:, None] ** np.arange(hours.shape[1]), 0.0)
        mean = (powers * values).sum(axis=1) / powers.sum(axis=1)
    return np.where(heard[:, :3].sum(axis=1) >= 2, _truncated(mean, per_unit), np.nan)


@elementwise("concentration_ugm3")
def daqi_uk(concentration_ugm3: FloatArray, pollutant: str = "pm25") -> FloatArray:
    """UK daily air quality index of a 24 h mean, 1 (low) … 10 (very high).

    Defra, Update on Implementation of the Daily Air Quality Index, 2013; COMEAP 2011. The mean is
    rounded to a whole number, halves upwards (ours). Negative: NaN.
    """
    c = rounded_half_up(concentration_ugm3)
    band = 1 + sum((c > edge).view(np.int8) for edge in _DAQI[Particles(pollutant)])
    valid = every(concentration_ugm3 >= 0, concentration_ugm3 < np.inf)
    return where(valid, np.asarray(band, np.float64))


_WHO: dict[str, dict[str, tuple[float, ...]]] = {
    "pm25": {"annual": (5, 35, 25, 15, 10), "24h": (15, 75, 50, 37.5, 25)},
    "pm10": {"annual": (15, 70, 50, 30, 20), "24h": (45, 150, 100, 75, 50)},
    "o3": {"peak_season": (60, 100, 70), "8h": (100, 160, 120)},
    "no2": {"annual": (10, 40, 30, 20), "24h": (25, 120, 50), "1h": (200,)},
    "so2": {"24h": (40, 125, 50), "10min": (500,)},
    "co": {"24h": (4, 7), "8h": (10,), "1h": (35,), "15min": (100,)},
}
_WHO_LEVELS = ("aqg", "it1", "it2", "it3", "it4")


def who_guideline_table(pollutant: str) -> dict[str, dict[str, float]]:
    """WHO guideline (aqg) and interim targets (it1–it4) by averaging time, µg/m³ (CO: mg/m³).

    WHO global air quality guidelines, 2021. ValueError for another pollutant.
    """
    if pollutant not in _WHO:
        raise ValueError(f"pollutant is one of {', '.join(_WHO)}, got {pollutant!r}")
    return {
        averaging: dict(zip(_WHO_LEVELS, map(float, values), strict=False))
        for averaging, values in _WHO[pollutant].items()
    }


def who_guideline(pollutant: str, averaging: str, level: str = "aqg") -> float:
    """One value of `who_guideline_table`; NaN where there is none. ValueError for unknown words."""
    known = {averaging for table in _WHO.values() for averaging in table}
    if level not in _WHO_LEVELS or averaging not in known:
        raise ValueError(f"no such guideline: {pollutant!r} {averaging!r} {level!r}")
    return who_guideline_table(pollutant).get(averaging, {}).get(level, math.nan)


@elementwise("concentration")
def who_ratio(concentration: FloatArray, pollutant: str, averaging: str) -> FloatArray:
    """Ratio of a concentration to the WHO guideline (µg/m³; CO: mg/m³). Negative: NaN."""
    guideline = who_guideline(pollutant, averaging)
    return where(concentration >= 0, concentration / guideline)


def gas_baseline(
    time_s: FormulaArgument,
    resistance_ohm: FormulaArgument,
    window_s: float = 86_400.0,
    percentile: float = 95.0,
    min_count: int = 10,
) -> FloatArray:
    """A gas sensor's clean-air resistance, Ω: a high percentile of the last while (ours).

    Returns
    -------
    (N,) float64: at each moment t the percentile (Hyndman & Fan 1996, type 7) of the positive
    readings in (t − window_s, t]; NaN for fewer than `min_count`.
    """
    given = series(time_s, resistance_ohm)
    count = len(floats(time_s))
    if given is None or not 0 <= percentile <= 100:
        return np.full(count, np.nan)
    times, resistance = given
    valid = np.isfinite(resistance) & (resistance > 0)
    good_s, good = times[valid], resistance[valid]
    first = np.searchsorted(good_s, times - window_s, side="right")
    after = np.searchsorted(good_s, times, side="right")
    return OrderStatistics(good).quantile(
        first, after, percentile / 100, fewest=max(int(min_count), 1)
    )


@elementwise("resistance_ohm", "baseline_ohm")
def relative_gas_index(
    resistance_ohm: FloatArray, baseline_ohm: FloatArray, full_scale_ratio: float = 10.0
) -> FloatArray:
    """Index of gas against the sensor's own clean air, 0 (clean) … 100 (ours, relative only).

    100·clip(ln(Rb/R)/ln(full_scale_ratio), 0, 1), for sensors whose resistance falls with gas.
    """
    r, baseline = resistance_ohm, baseline_ohm
    if not 1 < full_scale_ratio < math.inf:
        return np.full(np.broadcast_shapes(r.shape, baseline.shape), np.nan)
    share = np.log(baseline / r) / math.log(full_scale_ratio)
    valid = every(r > 0, r < np.inf, baseline > 0, baseline < np.inf)
    return where(valid, 100 * np.clip(share, 0, 1))


@elementwise("rs_ohm", "r0_ohm", "a", "b", dear=True)
def gas_ppm_power_law(
    rs_ohm: FloatArray,
    r0_ohm: FloatArray,
    a: FloatArray,
    b: FloatArray,
    ratio_min: float | None = None,
    ratio_max: float | None = None,
) -> FloatArray:
    """Concentration a·(Rs/R0)^b, ppm, by the straight line of a datasheet's log-log curve.

    NaN where Rs/R0 leaves [ratio_min, ratio_max] or anything but b is not positive.
    """
    # By logarithms: what belongs to the sensor is one number, and a ratio is a difference.
    ln_rs, ln_r0 = np.log(rs_ohm), np.log(r0_ohm)
    ln_ppm = b * ln_rs + (np.log(a) - b * ln_r0)
    valid = [np.isfinite(ln_rs), np.isfinite(ln_r0), a > 0]
    if ratio_min is not None:
        valid.append(rs_ohm / r0_ohm >= ratio_min)
    if ratio_max is not None:
        valid.append(rs_ohm / r0_ohm <= ratio_max)
    return where(every(*valid), np.exp(ln_ppm))

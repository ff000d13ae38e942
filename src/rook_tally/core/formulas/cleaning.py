"""Fresh air a person, decays, and what a cleaner delivers (section P)."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, inner
from rook_tally.core.comparing.independence import effective_n
from rook_tally.core.comparing.intervals import checked_confidence, student_quantile
from rook_tally.core.formulas.elementwise import FormulaArgument, floats
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

_HOUR_US = 3600 * SECOND_US
_FEWEST = 3
_LEVEL = 1e-12


def ventilation_per_person(
    co2_steady_ppm: FormulaArgument,
    persons: FormulaArgument,
    outdoor_ppm: FormulaArgument = 420.0,
    generation_l_s: FormulaArgument = 0.0052,
    min_excess_ppm: float = 50.0,
) -> dict[str, FloatArray]:
    """Outdoor air in l/s, all and a person, from the steady CO₂ of people breathing in a room.

    generation·10⁶/(C − Cout): steady single-zone mass balance, ASTM D6245; 0.0052 l/s is its
    long-used value for a seated adult (by age and activity see Persily & de Jonge 2017). Not yet
    steady gives too high a result. NaN unless there is `min_excess_ppm` above outdoors.
    """
    steady, count, outdoor, breathed = np.broadcast_arrays(
        *(floats(one) for one in (co2_steady_ppm, persons, outdoor_ppm, generation_l_s))
    )
    excess = steady - outdoor
    known = (excess >= min_excess_ppm) & (excess > 0) & (count > 0) & (breathed > 0)
    known &= np.isfinite(excess) & np.isfinite(count) & np.isfinite(breathed)
    with np.errstate(invalid="ignore", divide="ignore"):
        each = np.where(known, breathed * 1e6 / excess, np.nan)
    return {"l_s": each * count, "l_s_person": each}


class DecayRate(msgspec.Struct, frozen=True):
    """How fast an excess goes, a hour, with interval and standard error; NaN if unknown."""

    rate_per_h: float
    low: float
    high: float
    se: float
    half_life_min: float
    r2: float
    n: int


def decay_rate(
    readings: Readings, *, background: float, min_excess: float, confidence: float = 0.95
) -> DecayRate:
    """Least squares of ln(v − background) on time over good readings far enough above it.

    Rows low in the noise bend the line: `min_excess` several times the noise. Unknown for fewer
    than three rows, no fall, or all alike. ValueError for a `min_excess` not above 0.
    """
    checked_confidence(confidence)
    if not min_excess > 0:
        raise ValueError(f"the least excess is above 0, got {min_excess:g}")
    hours, logs = _logs_of_excess(readings, background, min_excess)
    n, nan = len(logs), math.nan
    unknown = DecayRate(nan, nan, nan, nan, nan, nan, n)
    if n < _FEWEST or float(np.ptp(logs)) <= _LEVEL * max(1.0, float(np.abs(logs).max())):
        return unknown
    dx, dy = hours - hours.mean(), logs - logs.mean()
    sxx, syy = inner(dx, dx), inner(dy, dy)
    slope = inner(dx, dy) / sxx if sxx > 0 else 0.0
    if slope >= 0:
        return unknown
    left = dy - slope * dx
    squares = inner(left, left)
    error = math.sqrt(squares / (n - 2) / sxx)
    half = student_quantile(confidence, n - 2) * error
    return DecayRate(
        -slope,
        -slope - half,
        -slope + half,
        error,
        60.0 * math.log(2.0) / -slope,
        1.0 - squares / syy,
        n,
    )


def _logs_of_excess(
    readings: Readings, background: float, min_excess: float
) -> tuple[FloatArray, FloatArray]:
    """Hours since the first and ln(v − background) of good rows far enough above it: (K,) each."""
    with np.errstate(invalid="ignore"):
        excess = readings.value - background
        used = readings.good & (excess >= min_excess)
    times = readings.time_us[used]
    return (times - times[:1]) / _HOUR_US, np.log(excess[used])


def sure_decay_rate(readings: Readings, *, background: float, min_excess: float) -> DecayRate:
    """`decay_rate` with a 95 % interval that a sensor's own noise does not make too narrow.

    Noise that does not shrink with the excess weighs more the lower it is, and neighbouring
    readings err alike: the standard error is the larger of the plain one and HC3 (MacKinnon &
    White 1985), for as many readings as those that are left over are worth.
    """
    rate = decay_rate(readings, background=background, min_excess=min_excess)
    if not math.isfinite(rate.rate_per_h):
        return rate
    hours, logs = _logs_of_excess(readings, background, min_excess)
    dx, dy = hours - hours.mean(), logs - logs.mean()
    sxx, left = inner(dx, dx), dy + rate.rate_per_h * dx
    weighed = dx * left / np.maximum(1.0 - 1.0 / rate.n - dx * dx / sxx, _LEVEL)
    square = max(rate.se**2, inner(weighed, weighed) / sxx**2)
    worth = effective_n(left).n_eff
    times_wider = rate.n / worth if math.isfinite(worth) else 1.0
    error = math.sqrt(square * times_wider)
    half = student_quantile(0.95, max(1.0, rate.n / times_wider - 2)) * error
    return msgspec.structs.replace(
        rate, low=rate.rate_per_h - half, high=rate.rate_per_h + half, se=error
    )


def clean_air_delivery(
    rate_with_per_h: FormulaArgument,
    rate_without_per_h: FormulaArgument,
    volume_m3: FormulaArgument,
    se_with: FormulaArgument = 0.0,
    se_without: FormulaArgument = 0.0,
    u_volume_m3: FormulaArgument = 0.0,
) -> dict[str, FloatArray]:
    """Clean air in m³/h that a cleaner delivers in this room, and its standard uncertainty.

    V·(with − without), by the GUM; the form as in ANSI/AHAM AC-1, whose chamber and dusts are not
    ours. A negative result is kept. NaN for no volume; ValueError for a negative uncertainty.
    """
    given = (rate_with_per_h, rate_without_per_h, volume_m3, se_with, se_without, u_volume_m3)
    faster, slower, volume, error_a, error_b, error_v = np.broadcast_arrays(
        *(floats(one) for one in given)
    )
    if any(bool((one < 0).any()) for one in (error_a, error_b, error_v)):
        raise ValueError("an uncertainty is not negative")
    room = np.where(volume > 0, volume, np.nan)
    gained = faster - slower
    square = room**2 * (error_a**2 + error_b**2) + gained**2 * error_v**2
    return {"m3_h": room * gained, "u": np.sqrt(square)}


class MedianInterval(msgspec.Struct, frozen=True):
    """The median of many rates and its interval; `coverage`: how sure that interval is."""

    median: float
    low: float
    high: float
    coverage: float
    used: int
    given: int


def decays_median(
    rate_per_h: FloatArray,
    r2: FloatArray | None = None,
    *,
    min_r2: float = 0.9,
    confidence: float = 0.95,
) -> MedianInterval:
    """Median of one rate a night and its order-statistic interval (sign test, e.g. Conover).

    Unknown rates and poor fits are left out. Fewer than six have no interval of 95 %. Nights in a
    row are not quite independent.
    """
    from scipy.special import bdtr

    checked_confidence(confidence)
    if r2 is not None and len(r2) != len(rate_per_h):
        raise ValueError(f"{len(rate_per_h)} rates and {len(r2)} fits")
    used = np.isfinite(rate_per_h)
    if r2 is not None:
        used &= r2 >= min_r2
    rates = np.sort(rate_per_h[used])
    n, nan = len(rates), math.nan
    if not n:
        return MedianInterval(nan, nan, nan, nan, 0, len(rate_per_h))
    ranks = np.arange(1, n // 2 + 1)
    coverages = 1.0 - 2.0 * bdtr(ranks - 1.0, n, 0.5)
    sure = np.flatnonzero(coverages >= confidence)
    low = high = coverage = nan
    if len(sure):
        at = int(sure[-1])
        low, high, coverage = float(rates[at]), float(rates[n - 1 - at]), float(coverages[at])
    return MedianInterval(float(np.median(rates)), low, high, coverage, n, len(rate_per_h))

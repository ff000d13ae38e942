"""Air changes, and how long until a limit (section K)."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray, inner
from rook_tally.core.formulas.elementwise import FormulaArgument, elementwise, every, floats, where

_HOUR_S = 3600.0
_GRID = 241
_GOLDEN = (math.sqrt(5) - 1) / 2
FEWEST_FOR_A_LINE = 3
_FEWEST_FOR_A_CURVE = 5


def air_changes_per_hour(
    time_s: FormulaArgument,
    co2_ppm: FormulaArgument,
    outdoor_ppm: float = 420.0,
    min_excess_ppm: float = 50.0,
    confidence: float = 0.95,
) -> dict[str, float]:
    """Air changes per hour from a CO₂ decay, with bounds, r² and the samples used.

    Least squares of ln(C − Cout) on time: tracer decay, ASTM E741-11, ISO 12569:2017. Needs an
    empty, mixed room; 420 and 50 ppm are ours. NaN for fewer than three samples or no decay.
    """
    from scipy.special import stdtrit

    times, logarithm = floats(time_s), ln_excess(floats(co2_ppm), outdoor_ppm, min_excess_ppm)
    used = np.isfinite(times) & np.isfinite(logarithm)
    hours, y = times[used] / _HOUR_S, logarithm[used]
    count = len(y)
    unknown = {"ach": math.nan, "low": math.nan, "high": math.nan, "r2": math.nan, "n": count}
    if count < FEWEST_FOR_A_LINE:
        return unknown
    centred, deviation = hours - hours.mean(), y - y.mean()
    sxx, syy = float((centred**2).sum()), float((deviation**2).sum())
    if sxx == 0:
        return unknown
    slope = float((centred * deviation).sum()) / sxx
    if slope >= 0:
        return unknown
    error_squares = float(((deviation - slope * centred) ** 2).sum())
    error = math.sqrt(error_squares / (count - 2) / sxx)
    half = float(stdtrit(count - 2, 0.5 + confidence / 2)) * error
    return {
        "ach": -slope,
        "low": -slope - half,
        "high": -slope + half,
        "r2": 1 - error_squares / syy if syy else math.nan,
        "n": count,
    }


def ln_excess(
    co2_ppm: FloatArray, outdoor_ppm: float = 420.0, min_excess_ppm: float = 50.0
) -> FloatArray:
    """ln(C − Cout) of ppm, NaN where there is too little above outdoors to say anything."""
    excess = co2_ppm - outdoor_ppm
    enough = (excess >= max(min_excess_ppm, 1e-12)) & (excess < np.inf)
    return np.log(np.where(enough, excess, np.nan))


def minutes_until_limit_linear(
    time_s: FormulaArgument,
    values: FormulaArgument,
    limit: float,
    direction: str = "up",
    max_minutes: float = 1440.0,
) -> float:
    """Minutes until a straight line through the samples meets a limit; 0 when it is past it.

    NaN when it goes the other way, for more than `max_minutes` (ours), for fewer than three.
    """
    _sign(direction)
    times, y = floats(time_s), floats(values)
    heard = np.isfinite(times) & np.isfinite(y)
    times, y = times[heard], y[heard]
    if len(y) < FEWEST_FOR_A_LINE or not math.isfinite(limit):
        return math.nan
    centred = times - times.mean()
    spread = float((centred**2).sum())
    slope = float((centred * (y - y.mean())).sum()) / spread if spread else 0.0
    now = y.mean() + slope * centred[-1]
    left = seconds_until_limit(np.array([now]), np.array([slope]), limit, direction, max_minutes)
    return float(left[0]) / 60


def seconds_until_limit(
    now: FloatArray,
    slope_per_s: FloatArray,
    limit: float,
    direction: str = "up",
    max_minutes: float = 1440.0,
) -> FloatArray:
    """Return the seconds until each line meets a limit; `now` is where the line stands.

    0 when it is past the limit; NaN when it goes the other way or needs more than `max_minutes`.
    """
    sign = _sign(direction)
    ahead, rise = sign * (limit - now), sign * slope_per_s
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        left = np.where(rise > 0, ahead / rise, np.nan)
    left = np.where(ahead <= 0, 0.0, left)
    return np.where(left <= max_minutes * 60, left, np.nan)


def _sign(direction: str) -> float:
    if direction not in ("up", "down"):
        raise ValueError(f"direction is up or down, got {direction!r}")
    return 1.0 if direction == "up" else -1.0


@elementwise("current", "steady", "rate_per_h", "limit", dear=True)
def minutes_until_limit_exponential(
    current: FloatArray,
    steady: FloatArray,
    rate_per_h: FloatArray,
    limit: FloatArray,
    direction: str = "up",
    max_minutes: float = 1440.0,
) -> FloatArray:
    """Minutes until C(t) = Css + (C0−Css)·e^(−kt) meets a limit; 0 when it is past it.

    (60/k)·ln((Css−C0)/(Css−limit)): single-zone mass balance, e.g. ASTM D6245. NaN when the steady
    value never reaches the limit, k ≤ 0, or it takes more than `max_minutes` (ours).
    """
    sign = _sign(direction)
    c0, css, bound = (current, steady, limit) if sign > 0 else (-current, -steady, -limit)
    minutes = np.asarray((60 / rate_per_h) * np.log((css - c0) / (css - bound)))
    # What is past it is past it whatever the rate; only then does infinity ask for a check.
    past = every(
        c0 >= bound, c0 < np.inf, bound > -np.inf, np.isfinite(css), np.isfinite(rate_per_h)
    )
    reached = every(css > bound, rate_per_h > 0, rate_per_h < np.inf, minutes <= max_minutes)
    minutes = np.where(past, 0.0, minutes)
    return where(past | reached, minutes)


def exponential_approach_fit(
    time_s: FormulaArgument,
    values: FormulaArgument,
    rate_min_per_h: float = 0.05,
    rate_max_per_h: float = 20.0,
) -> dict[str, float]:
    """The steady value and rate of a + b·e^(−kt) through the samples, and its value at the last.

    For each k, a and b are linear (variable projection, Golub & Pereyra 1973); the squares are
    made least over ln k, on a grid and then by golden section. NaN for fewer than five
    samples, none of them different, or k at a bound (bounds ours).
    """
    unknown = {"steady": math.nan, "rate_per_h": math.nan, "now": math.nan}
    times, y = floats(time_s), floats(values)
    heard = np.isfinite(times) & np.isfinite(y)
    hours, y = (times[heard] - times[heard][:1]) / _HOUR_S, y[heard]
    if len(y) < _FEWEST_FOR_A_CURVE or float(np.ptp(y)) == 0:
        return unknown

    centred_y = y - y.mean()

    def squares(ln_k: float) -> float:
        """Σ of squares left by the best a and b at one rate."""
        decay = np.exp(-math.exp(ln_k) * hours)
        decay -= decay.mean()
        power = inner(decay, decay)
        b = inner(decay, centred_y) / power if power > 0 else 0.0
        left = centred_y - b * decay
        return inner(left, left)

    grid = np.linspace(math.log(rate_min_per_h), math.log(rate_max_per_h), _GRID)
    best = int(np.argmin([squares(ln_k) for ln_k in grid.tolist()]))
    if best in (0, _GRID - 1):
        return unknown
    low, high = float(grid[best - 1]), float(grid[best + 1])
    while high - low > 1e-10:
        first, second = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
        low, high = (low, second) if squares(first) < squares(second) else (first, high)
    rate = math.exp((low + high) / 2)
    decay = np.exp(-rate * hours)
    centred = decay - decay.mean()
    b = float((centred * y).sum() / (centred**2).sum())
    a = float(y.mean() - b * decay.mean())
    return {"steady": a, "rate_per_h": rate, "now": a + b * float(decay[-1])}

"""A sensor beside a reference instrument, against the target values of the US EPA (section N).

One comparison at home is not that test, which asks for three sensors at two sites for 30 days each:
say "within the target values".
"""

from __future__ import annotations

import enum
import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, inner
from rook_tally.core.comparing.paired_comparison import pairs_of, pearson_r, rmse

_FEWEST = 3


class Pollutant(enum.StrEnum):
    """What the target values are there for."""

    PM25 = "pm25"
    O3 = "o3"


class _Targets(msgspec.Struct, frozen=True):
    slope_within: float
    intercept_within: float
    least_r2: float
    most_rmse: float
    most_nrmse_pct: float | None


# EPA/600/R-20/280 (PM2.5, 24 h means, ug/m3) and EPA/600/R-20/279 (ozone, 1 h means, ppb), 2021.
_TARGETS = {
    Pollutant.PM25: _Targets(0.35, 5.0, 0.70, 7.0, 30.0),
    Pollutant.O3: _Targets(0.20, 5.0, 0.80, 5.0, None),
}


class SensorPerformance(msgspec.Struct, frozen=True):
    """How a sensor follows a reference; the verdicts are None where they are unknown."""

    slope: float
    intercept: float
    r2: float
    rmse: float
    nrmse_pct: float
    n: int
    slope_ok: bool | None
    intercept_ok: bool | None
    r2_ok: bool | None
    error_ok: bool | None
    meets: bool | None


def sensor_performance(
    reference: FloatArray, sensor: FloatArray, pollutant: Pollutant | None = None
) -> SensorPerformance:
    """Least squares of the sensor on the reference, the error between them, and the verdicts."""
    x, y = pairs_of(reference, sensor)
    n = len(x)
    slope = intercept = r2 = math.nan
    if n >= _FEWEST and float(np.ptp(x)) > 0:
        dx = x - x.mean()
        slope = inner(dx, y - y.mean()) / inner(dx, dx)
        intercept = float(y.mean()) - slope * float(x.mean())
        r2 = pearson_r(x, y) ** 2
    error = rmse(x, y)
    mean = float(x.mean()) if n else math.nan
    nrmse_pct = 100.0 * error / mean if mean > 0 else math.nan
    verdicts: tuple[bool | None, bool | None, bool | None, bool | None] = (None,) * 4
    if pollutant is not None and n >= _FEWEST:
        targets = _TARGETS[pollutant]
        verdicts = (
            _within(abs(slope - 1.0), targets.slope_within),
            _within(abs(intercept), targets.intercept_within),
            _within(-r2, -targets.least_r2),
            _error_verdict(error, nrmse_pct, targets),
        )
    slope_ok, intercept_ok, r2_ok, error_ok = verdicts
    return SensorPerformance(
        slope,
        intercept,
        r2,
        error,
        nrmse_pct,
        n,
        slope_ok,
        intercept_ok,
        r2_ok,
        error_ok,
        _all_of(verdicts),
    )


def _within(value: float, most: float) -> bool | None:
    # A limit of 0.35 around 1.0 is met by 1.35, which no double tells exactly.
    return value <= most + 1e-12 if math.isfinite(value) else None


def _error_verdict(error: float, nrmse_pct: float, targets: _Targets) -> bool | None:
    absolute = _within(error, targets.most_rmse)
    if absolute or targets.most_nrmse_pct is None:
        return absolute
    relative = _within(nrmse_pct, targets.most_nrmse_pct)
    return None if relative is None or absolute is None else relative


def _all_of(verdicts: tuple[bool | None, ...]) -> bool | None:
    if False in verdicts:
        return False
    return None if None in verdicts else True

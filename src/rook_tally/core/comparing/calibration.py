"""A sensor against known values: gain, offset, and how sure they are (section N of our formulas).

The intervals cover scatter only. What all points share, a wrong meter or a bad place, is not in
them.
"""

from __future__ import annotations

import enum
import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, inner
from rook_tally.core.comparing.intervals import checked_confidence

_NO_DIFFERENCE = 1e-9


class CalibrationModel(enum.StrEnum):
    """What is fitted to the points: corrected = reading + offset, or gain·reading + offset."""

    OFFSET = "offset"
    LINE = "line"


class Calibration(msgspec.Struct, frozen=True):
    """corrected = gain·reading + offset, with standard errors and the covariance of the two.

    `se_gain` 0 of an offset means that the gain is assumed to be 1, not shown to be. `model` is
    None without a point. `scatter_ratio` well above 1: the points or their uncertainties are not to
    be trusted. `p_gain` is the two-sided probability that a gain of 1 would scatter so.
    """

    model: CalibrationModel | None
    gain: float
    offset: float
    se_gain: float
    se_offset: float
    cov: float
    residual_sd: float
    scatter_ratio: float
    p_gain: float
    from_reading: float
    to_reading: float
    n: int


class _Fit(msgspec.Struct, frozen=True):
    gain: float
    offset: float
    se_gain: float
    se_offset: float
    cov: float
    residual_sd: float
    # Σ w·residual² / (n − p); NaN where no point is left over to tell.
    scatter: float


def calibrate_points(
    reading: FloatArray,
    reference: FloatArray,
    u_reference: FloatArray | None = None,
    *,
    model: CalibrationModel | None = None,
    confidence: float = 0.95,
) -> Calibration:
    """Fit what turns readings into reference values.

    Parameters
    ----------
    reading, reference : (N,)
        Rows with anything unknown are left out.
    u_reference : (N,), optional
        Standard uncertainty of each reference value, above 0.
    model : CalibrationModel, optional
        Left out: an offset, unless the gain differs from 1 as surely as `confidence` asks, or two
        points say the line without anything left to check it.

    Notes
    -----
    Weighted least squares; more scatter than the uncertainties explain widens the errors (Birge
    1932), less does not narrow them. Noise in the readings makes the gain too small; where both
    sides are noisy, `paired_comparison.deming` is the better one.
    """
    checked_confidence(confidence)
    if len(reading) != len(reference):
        raise ValueError(f"{len(reading)} readings and {len(reference)} reference values")
    if u_reference is not None and len(u_reference) != len(reading):
        raise ValueError(f"{len(reading)} readings and {len(u_reference)} uncertainties")
    if u_reference is not None and bool((u_reference <= 0).any()):
        raise ValueError("the uncertainty of a reference value is above 0")
    weight = np.ones(len(reading)) if u_reference is None else 1.0 / u_reference**2
    known = np.isfinite(reading) & np.isfinite(reference) & np.isfinite(weight)
    x, y, w = reading[known], reference[known], weight[known]
    nan = math.nan
    n = len(x)
    if not n:
        return Calibration(None, nan, nan, nan, nan, nan, nan, nan, nan, nan, nan, 0)
    has_u = u_reference is not None
    line = _line(x, y, w, has_u=has_u)
    p_gain = _probability_of_gain_one(x, y, line, has_u=has_u)
    if model is None:
        model = (
            CalibrationModel.OFFSET
            if line is None or p_gain >= 1.0 - confidence
            else CalibrationModel.LINE
        )
    if model is CalibrationModel.OFFSET:
        fit = _offset(x, y, w, has_u=has_u)
    else:
        fit = line or _Fit(nan, nan, nan, nan, nan, nan, nan)
    return Calibration(
        model=model,
        gain=fit.gain,
        offset=fit.offset,
        se_gain=fit.se_gain,
        se_offset=fit.se_offset,
        cov=fit.cov,
        residual_sd=fit.residual_sd,
        scatter_ratio=math.sqrt(fit.scatter) if has_u else nan,
        p_gain=p_gain,
        from_reading=float(x.min()),
        to_reading=float(x.max()),
        n=n,
    )


def _line(x: FloatArray, y: FloatArray, w: FloatArray, *, has_u: bool) -> _Fit | None:
    """The weighted straight line; None when it cannot be: one point, or all readings equal."""
    n, total = len(x), float(w.sum())
    middle_x, middle_y = inner(w, x) / total, inner(w, y) / total
    dx, dy = x - middle_x, y - middle_y
    sxx = inner(w * dx, dx)
    if n < 2 or float(np.ptp(x)) == 0 or sxx <= 0:
        return None
    gain = inner(w * dx, dy) / sxx
    left = dy - gain * dx
    scatter = inner(w * left, left) / (n - 2) if n > 2 else math.nan
    widening = _widening(scatter, has_u=has_u)
    return _Fit(
        gain,
        middle_y - gain * middle_x,
        math.sqrt(widening / sxx),
        math.sqrt(widening * (1.0 / total + middle_x**2 / sxx)),
        -widening * middle_x / sxx,
        _residual_sd(left, w, 2),
        scatter,
    )


def _offset(x: FloatArray, y: FloatArray, w: FloatArray, *, has_u: bool) -> _Fit:
    n, total = len(x), float(w.sum())
    offset = inner(w, y - x) / total
    left = y - x - offset
    scatter = inner(w * left, left) / (n - 1) if n > 1 else math.nan
    error = math.sqrt(_widening(scatter, has_u=has_u) / total)
    return _Fit(1.0, offset, 0.0, error, 0.0, _residual_sd(left, w, 1), scatter)


def _widening(scatter: float, *, has_u: bool) -> float:
    """By what the covariance of the fit is multiplied."""
    if not has_u:
        return scatter
    return max(1.0, scatter) if math.isfinite(scatter) else 1.0


def _residual_sd(left: FloatArray, w: FloatArray, fitted: int) -> float:
    n = len(left)
    if n <= fitted:
        return math.nan
    return math.sqrt(n / (n - fitted) * inner(w * left, left) / float(w.sum()))


def _probability_of_gain_one(
    x: FloatArray, y: FloatArray, line: _Fit | None, *, has_u: bool
) -> float:
    from scipy.special import ndtr, stdtr

    if line is None:
        return math.nan
    size = max(float(np.abs(x).max()), float(np.abs(y).max()))
    away = abs(line.gain - 1.0)
    if away * float(np.ptp(x)) <= _NO_DIFFERENCE * size:
        return 1.0
    if not math.isfinite(line.se_gain):
        return math.nan
    if line.se_gain == 0:
        return 0.0
    z = away / line.se_gain
    by_residuals = not has_u or line.scatter > 1
    tail = stdtr(len(x) - 2, -z) if by_residuals else ndtr(-z)
    return 2.0 * float(tail)


class CorrectedUncertainty(msgspec.Struct, frozen=True):
    """Corrected values and their standard uncertainties (k = 1), in the shape of the readings."""

    corrected: FloatArray
    u: FloatArray


def corrected_uncertainty(
    reading: FloatArray,
    gain: float,
    offset: float,
    se_gain: float,
    se_offset: float,
    cov: float = 0.0,
    u_reading: FloatArray | float = 0.0,
) -> CorrectedUncertainty:
    """Correct readings and say how sure that is (GUM, JCGM 100:2008, 5.2.2).

    u² = se_offset² + 2·x·cov + x²·se_gain² + gain²·u_reading². `u_reading`: spread and resolution
    of one reading, 0 for a long mean. Any unknown part gives u NaN, the value all the same.

    Raises
    ------
    ValueError
        For a negative part, or a covariance larger than its errors allow.
    """
    noise = np.asarray(u_reading, np.float64)
    if se_gain < 0 or se_offset < 0 or bool((noise < 0).any()):
        raise ValueError("an uncertainty is not negative")
    if abs(cov) > se_gain * se_offset * (1 + _NO_DIFFERENCE):
        raise ValueError("the covariance is larger than the two standard errors allow")
    x = np.asarray(reading, np.float64)
    square = se_offset**2 + 2 * x * cov + x**2 * se_gain**2 + gain**2 * noise**2
    return CorrectedUncertainty(gain * x + offset, np.sqrt(np.maximum(square, 0.0)))

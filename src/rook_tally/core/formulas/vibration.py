"""Vibration (section F). Limits of ISO 20816-1 need band-limited velocity, not these figures."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray, finite_of, inner
from rook_tally.core.formulas.elementwise import FormulaArgument, elementwise, every, floats, where


def _moving(samples: FormulaArgument, remove_mean: bool) -> FloatArray:
    given = finite_of(floats(samples))
    return given - given.mean() if remove_mean and len(given) else given


def vibration_rms(samples: FormulaArgument, remove_mean: bool = True) -> float:
    """Root mean square, unit of the samples (ISO 2041:2018); NaN for fewer than two samples.

    Taking the mean away first (ours) removes gravity and offset.
    """
    moving = _moving(samples, remove_mean)
    return math.sqrt(inner(moving, moving) / len(moving)) if len(moving) >= 2 else math.nan


def vibration_peak(samples: FormulaArgument, remove_mean: bool = True) -> float:
    """Largest size, unit of the samples (ISO 2041:2018); NaN for fewer than two samples."""
    moving = _moving(samples, remove_mean)
    return float(np.abs(moving).max()) if len(moving) >= 2 else math.nan


def crest_factor(samples: FormulaArgument, remove_mean: bool = True) -> float:
    """Peak over root mean square (ISO 2041:2018); NaN where nothing moves."""
    given = finite_of(floats(samples))
    rms = vibration_rms(given, remove_mean)
    if not len(given) or not rms > 1e-12 * float(np.abs(given).max()):
        return math.nan
    return vibration_peak(given, remove_mean) / rms


@elementwise("x", "y", "z")
def vector_sum(x: FloatArray, y: FloatArray, z: FloatArray) -> FloatArray:
    """Total value √(x²+y²+z²), unit of the axes (ISO 5349-1:2001, unit axis factors)."""
    return np.sqrt(x * x + y * y + z * z)


@elementwise("value", "base")
def ratio_to_base(value: FloatArray, base: FloatArray) -> FloatArray:
    """Ratio of a value to its base (ours): value/base, base > 0, value ≥ 0."""
    return where(every(base > 0, base < np.inf, value >= 0), value / base)

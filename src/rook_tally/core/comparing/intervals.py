"""What every interval of ours is made of: quantiles of the normal and the Student law."""

from __future__ import annotations

import math


def checked_confidence(confidence: float) -> float:
    """A confidence as given; ValueError unless it lies strictly between 0 and 1."""
    if not 0.0 < confidence < 1.0:
        raise ValueError(f"a confidence lies strictly between 0 and 1, got {confidence:g}")
    return confidence


def normal_quantile(confidence: float) -> float:
    """Half the width of a two-sided interval of the normal law, in standard errors."""
    # Loaded late, as everywhere: a window opens without an interval.
    from scipy.special import ndtri

    return float(ndtri(0.5 + confidence / 2))


def student_quantile(confidence: float, degrees: float) -> float:
    """The same of Student's law with `degrees` of freedom, which need not be whole; NaN for < 0."""
    from scipy.special import stdtrit

    return float(stdtrit(degrees, 0.5 + confidence / 2)) if degrees > 0 else math.nan

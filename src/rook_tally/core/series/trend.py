"""Rising or falling, how fast and how sure."""

from __future__ import annotations

import math

import msgspec

from rook_tally.core.series.gaps import cleaned
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import HOUR_US

# A slope smaller than this many of its standard errors is not called a trend.
SURE_STANDARD_ERRORS = 2.0
FEWEST_READINGS = 5


class Trend(msgspec.Struct, frozen=True):
    """A straight line through readings: slope and its standard error, unit per hour."""

    per_hour: float
    standard_error: float

    @property
    def is_sure(self) -> bool:
        """True if the slope stands out from its own uncertainty."""
        return abs(self.per_hour) > SURE_STANDARD_ERRORS * self.standard_error


def trend_of(readings: Readings) -> Trend | None:
    """Ordinary least squares through the good readings; None for fewer than five.

    Slope = Σ(t−t̄)(v−v̄)/Σ(t−t̄)², standard error = √(Σr²/(n−2)/Σ(t−t̄)²) (any textbook of
    regression, e.g. Draper & Smith, Applied Regression Analysis, ch. 1).
    """
    time_us, value = cleaned(readings)
    if len(time_us) < FEWEST_READINGS:
        return None
    hours = (time_us - time_us[0]) / HOUR_US
    hours = hours - hours.mean()
    spread = float((hours**2).sum())
    centred = value - value.mean()
    slope = float((hours * centred).sum()) / spread
    residual = float(((centred - slope * hours) ** 2).sum())
    return Trend(slope, math.sqrt(residual / (len(time_us) - 2) / spread))

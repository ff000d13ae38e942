"""Sound levels over time (section E)."""

from __future__ import annotations

import math

import numpy as np

from rook_tally.core.arrays import FloatArray, finite_of, inner, quantiles_of
from rook_tally.core.formulas.elementwise import FormulaArgument, elementwise, every, floats, where

_LN_10_TENTH = math.log(10) / 10


def leq(levels_db: FormulaArgument, durations_s: FormulaArgument | None = None) -> float:
    """Equivalent continuous level 10·lg(Σdᵢ·10^(Lᵢ/10)/Σdᵢ), dB (ISO 1996-1:2016).

    Equal durations when left out; those not above 0 are dropped; NaN without a level.
    """
    levels = floats(levels_db)
    if durations_s is None:
        return _equivalent(finite_of(levels), None)
    durations = floats(durations_s)
    heard = np.isfinite(levels) & np.isfinite(durations) & (durations > 0)
    return _equivalent(levels[heard], durations[heard])


def _equivalent(levels: FloatArray, durations: FloatArray | None) -> float:
    if not len(levels):
        return math.nan
    # From the highest level on: powers of a thousand decibels would not fit a double.
    highest = float(levels.max())
    # e^(x·ln 10) takes a tenth of the time of 10^x.
    power = levels - highest
    power *= _LN_10_TENTH
    np.exp(power, out=power)
    if durations is None:
        energy = float(power.mean())
    else:
        energy = inner(durations, power) / float(durations.sum())
    return highest + 10 * math.log10(energy)


def exceedance_level(levels_db: FormulaArgument, exceeded_pct: float) -> float:
    """Level exceeded for a share of the time (10 for L10), dB; equally spaced samples.

    The (100−N)th percentile, Hyndman & Fan 1996 type 7 (ours); ISO 1996-1:2016.
    """
    levels = finite_of(floats(levels_db))
    if not len(levels) or not 0 <= exceeded_pct <= 100:
        return math.nan
    return float(quantiles_of(levels.copy(), [1 - exceeded_pct / 100])[0])


@elementwise("lday_db", "levening_db", "lnight_db", dear=True)
def lden(
    lday_db: FloatArray,
    levening_db: FloatArray,
    lnight_db: FloatArray,
    day_h: float = 12.0,
    evening_h: float = 4.0,
    night_h: float = 8.0,
) -> FloatArray:
    """Day-evening-night level, dB: evenings count 5 dB more, nights 10 (2002/49/EC, Annex I).

    NaN unless the hours are 24 together.
    """
    energy = (
        day_h * np.exp(lday_db * _LN_10_TENTH)
        + evening_h * np.exp((levening_db + 5) * _LN_10_TENTH)
        + night_h * np.exp((lnight_db + 10) * _LN_10_TENTH)
    )
    is_a_day = math.isclose(day_h + evening_h + night_h, 24) and min(day_h, evening_h, night_h) >= 0
    heard = every(lday_db > -np.inf, levening_db > -np.inf, lnight_db > -np.inf)
    return where(every(np.asarray(is_a_day), heard), 10 * np.log10(energy / 24))

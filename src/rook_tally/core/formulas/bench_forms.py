"""The calculations of the Bench (sections N, O and P) in the form `by_name` calls them.

Plain lists in, plain numbers, lists and dictionaries out; what they compute lives in
`core.comparing` and in `cleaning`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import asdict

from rook_tally.core.arrays import IntArray
from rook_tally.core.comparing import calibration, independence, performance, profiles, responses
from rook_tally.core.comparing.slope_interval import drift_interval as _drift_interval
from rook_tally.core.formulas import cleaning
from rook_tally.core.formulas.elementwise import FormulaArgument, floats
from rook_tally.core.series.readings import Readings, readings_from


def readings_of(
    t_us: FormulaArgument, value: FormulaArgument, quality: FormulaArgument | None
) -> Readings:
    """Readings of plain lists; ValueError for lists of different lengths."""
    values = floats(value)
    readings = readings_from(t_us, values, quality)
    if not len(readings.time_us) == len(values) == len(readings.quality):
        raise ValueError("times, values and qualities are equally many")
    return readings


def whole(numbers: FormulaArgument) -> IntArray:
    """A list as whole numbers, (N,) int64; also an empty one."""
    return np.asarray(numbers, np.int64).reshape(-1)


def calibrate_points(
    reading: FormulaArgument,
    reference: FormulaArgument,
    u_reference: FormulaArgument | None = None,
    model: str = "auto",
    confidence: float = 0.95,
) -> Any:
    """`calibration.calibrate_points` as a dictionary; one uncertainty serves all points."""
    readings = np.atleast_1d(floats(reading))
    u = None if u_reference is None else floats(u_reference)
    if u is not None and u.ndim == 0:
        u = np.full(len(readings), float(u))
    found = calibration.calibrate_points(
        readings,
        np.atleast_1d(floats(reference)),
        u,
        model=None if model == "auto" else calibration.CalibrationModel(model),
        confidence=confidence,
    )
    told = asdict(found)
    told["model"] = None if found.model is None else found.model.value
    return told


def corrected_uncertainty(
    reading: FormulaArgument,
    gain: FormulaArgument,
    offset: FormulaArgument,
    se_gain: FormulaArgument,
    se_offset: FormulaArgument,
    cov: FormulaArgument = 0.0,
    u_reading: FormulaArgument = 0.0,
) -> Any:
    """`calibration.corrected_uncertainty` as a dictionary."""
    return asdict(
        calibration.corrected_uncertainty(
            floats(reading),
            float(floats(gain)),
            float(floats(offset)),
            float(floats(se_gain)),
            float(floats(se_offset)),
            float(floats(cov)),
            floats(u_reading),
        )
    )


def drift_interval(
    t_us: FormulaArgument, a: FormulaArgument, b: FormulaArgument, **options: Any
) -> Any:
    """`slope_interval.drift_interval` as a dictionary."""
    return asdict(_drift_interval(whole(t_us), floats(a), floats(b), **options))


def effective_n(values: FormulaArgument) -> Any:
    """`independence.effective_n` as a dictionary."""
    return asdict(independence.effective_n(floats(values)))


def mean_difference_interval(
    a: FormulaArgument, b: FormulaArgument, confidence: float = 0.95
) -> Any:
    """`independence.mean_difference_interval` as a dictionary."""
    return asdict(
        independence.mean_difference_interval(floats(a), floats(b), confidence=confidence)
    )


def sensor_performance(
    reference: FormulaArgument, sensor: FormulaArgument, pollutant: str | None = None
) -> Any:
    """`performance.sensor_performance` as a dictionary."""
    against = None if pollutant is None else performance.Pollutant(pollutant)
    return asdict(performance.sensor_performance(floats(reference), floats(sensor), against))


def day_profile(
    local_s_of_day: FormulaArgument,
    value: FormulaArgument,
    quality: FormulaArgument | None = None,
    bin_s: float = 3600.0,
) -> Any:
    """`profiles.day_profile` as a dictionary."""
    seconds = floats(local_s_of_day)
    readings = readings_of(np.arange(len(seconds)), value, quality)
    return asdict(profiles.day_profile(seconds, readings.value, readings.good, bin_s=bin_s))


def week_table(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    cadence_s: float,
    edges_us: FormulaArgument,
    slot: FormulaArgument,
    quality: FormulaArgument | None = None,
    slots: int = profiles.HOURS_OF_WEEK,
) -> Any:
    """`profiles.week_table` as a dictionary."""
    return asdict(
        profiles.week_table(
            readings_of(t_us, value, quality),
            whole(edges_us),
            whole(slot),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            slots=slots,
        )
    )


def event_response(
    t_us: FormulaArgument,
    value: FormulaArgument,
    events_us: FormulaArgument,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`responses.event_response` as a dictionary."""
    readings = readings_of(t_us, value, quality)
    return asdict(responses.event_response(readings, whole(events_us), **options))


def before_after(
    t_us: FormulaArgument,
    value: FormulaArgument,
    change_us: int,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`responses.before_after` as a dictionary."""
    return asdict(responses.before_after(readings_of(t_us, value, quality), change_us, **options))


def decay_rate(
    t_us: FormulaArgument,
    value: FormulaArgument,
    background: float,
    min_excess: float,
    quality: FormulaArgument | None = None,
    confidence: float = 0.95,
) -> Any:
    """`cleaning.decay_rate` as a dictionary."""
    return asdict(
        cleaning.decay_rate(
            readings_of(t_us, value, quality),
            background=background,
            min_excess=min_excess,
            confidence=confidence,
        )
    )


def decays_median(
    rate_per_h: FormulaArgument, r2: FormulaArgument | None = None, **options: Any
) -> Any:
    """`cleaning.decays_median` as a dictionary."""
    fits = None if r2 is None else floats(r2)
    return asdict(cleaning.decays_median(floats(rate_per_h), fits, **options))

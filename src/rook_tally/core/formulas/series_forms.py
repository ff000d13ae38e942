"""The calculations over series (sections H, I, J and L) in the form `by_name` calls them.

Plain arrays in, plain numbers, lists and dictionaries out; what they compute lives in the modules
named after their subjects. `t_us` are microseconds, `value` in any unit, `quality` 0 for good.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import fields
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import asdict

from rook_tally.core.comparing import paired_comparison as comparing
from rook_tally.core.formulas.elementwise import FormulaArgument, floats
from rook_tally.core.series import baselines, statistics
from rook_tally.core.series import sensor_faults as faults
from rook_tally.core.series.exceedances import spells as find_spells
from rook_tally.core.series.gaps import find_gaps, find_runs
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.statistics import Window, pieces_of


def readings_given(
    t_us: FormulaArgument, value: FormulaArgument, quality: FormulaArgument | None
) -> Readings:
    """Readings of what a vector gives: good ones where it says nothing else."""
    times = np.asarray(t_us, dtype=np.int64)
    marks = np.zeros(len(times), np.uint8) if quality is None else np.asarray(quality, np.uint8)
    return Readings(times, floats(value), marks)


def members_of(one: Any) -> dict[str, Any]:
    """The members of a value, by name; not `dataclasses.asdict`, which copies every array."""
    if isinstance(one, msgspec.Struct):
        return asdict(one)
    return {field.name: getattr(one, field.name) for field in fields(one)}


def runs(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
) -> Any:
    """`gaps.find_runs` as [first_us, last_us, count] each."""
    found = find_runs(readings_given(t_us, value, quality), max_gap_s=max_gap_s)
    return np.stack((found.first_us, found.last_us, found.count), axis=1).tolist()


def gaps(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    end_us: int | None = None,
) -> Any:
    """`gaps.find_gaps` as [from_us, to_us] each."""
    readings = readings_given(t_us, value, quality)
    return find_gaps(readings, max_gap_s=max_gap_s, start_us=start_us, end_us=end_us).tolist()


def _over_pieces(what: str, figure: Callable[..., float]) -> Callable[..., float]:
    """A statistic of the pieces of a window; further keywords are the statistic's own."""

    def asked(
        t_us: FormulaArgument,
        value: FormulaArgument,
        max_gap_s: float,
        cadence_s: float,
        quality: FormulaArgument | None = None,
        start_us: int | None = None,
        end_us: int | None = None,
        **options: float,
    ) -> float:
        pieces = pieces_of(
            readings_given(t_us, value, quality),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            window=Window(start_us, end_us),
        )
        return figure(pieces, **options)

    asked.__doc__ = what
    return asked


covered_s = _over_pieces("How long the readings speak for, s.", lambda pieces: pieces.covered_s)

time_weighted_mean = _over_pieces("Time-weighted mean.", statistics.mean_of)

time_weighted_std = _over_pieces("Time-weighted standard deviation.", statistics.std_of)

exposure = _over_pieces("Integral of the value, unit·h.", statistics.exposure_of)

time_above_s = _over_pieces(
    "Time strictly above `limit`, s.", lambda pieces, limit: statistics.excess_of(pieces, limit)[0]
)

time_below_s = _over_pieces(
    "Time strictly below `limit`, s.",
    lambda pieces, limit: statistics.excess_of(statistics.mirrored(pieces), -limit)[0],
)

degree_hours_above = _over_pieces(
    "Integral of what is above `limit`, unit·h.",
    lambda pieces, limit: statistics.excess_of(pieces, limit)[1] / statistics.HOUR_S,
)

degree_hours_below = _over_pieces(
    "Integral of what is below `limit`, unit·h.",
    lambda pieces, limit: (
        statistics.excess_of(statistics.mirrored(pieces), -limit)[1] / statistics.HOUR_S
    ),
)


def lowest(
    t_us: FormulaArgument,
    value: FormulaArgument,
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    end_us: int | None = None,
) -> Any:
    """`statistics.lowest` as a dictionary."""
    readings = readings_given(t_us, value, quality)
    return members_of(statistics.lowest(readings, Window(start_us, end_us)))


def highest(
    t_us: FormulaArgument,
    value: FormulaArgument,
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    end_us: int | None = None,
) -> Any:
    """`statistics.highest` as a dictionary."""
    readings = readings_given(t_us, value, quality)
    return members_of(statistics.highest(readings, Window(start_us, end_us)))


def percentiles(
    t_us: FormulaArgument,
    value: FormulaArgument,
    q: Sequence[float],
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    end_us: int | None = None,
) -> Any:
    """`statistics.percentiles`, one a share asked for."""
    readings = readings_given(t_us, value, quality)
    return statistics.percentiles(readings, q, Window(start_us, end_us))


def completeness(
    t_us: FormulaArgument,
    value: FormulaArgument,
    start_us: int,
    end_us: int,
    max_gap_s: float,
    cadence_s: float,
    quality: FormulaArgument | None = None,
) -> Any:
    """`statistics.completeness` as a dictionary."""
    return members_of(
        statistics.completeness(
            readings_given(t_us, value, quality),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            start_us=start_us,
            end_us=end_us,
        )
    )


def rolling_median_baseline(
    t_us: FormulaArgument,
    value: FormulaArgument,
    window_s: float,
    quality: FormulaArgument | None = None,
    mode: str = "centred",
    min_count: int = 3,
) -> Any:
    """`baselines.rolling_median_baseline`."""
    return baselines.rolling_median_baseline(
        readings_given(t_us, value, quality), window_s=window_s, mode=mode, min_count=min_count
    )


def robust_z(
    value: FormulaArgument,
    quality: FormulaArgument | None = None,
    baseline: FormulaArgument | None = None,
) -> Any:
    """`baselines.robust_z`; times do not matter to it."""
    readings = readings_given(np.arange(len(floats(value))), value, quality)
    return baselines.robust_z(readings, None if baseline is None else floats(baseline))


def spells(
    t_us: FormulaArgument,
    value: FormulaArgument,
    threshold: float,
    max_gap_s: float,
    cadence_s: float,
    quality: FormulaArgument | None = None,
    baseline: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`spells.spells` as dictionaries."""
    found = find_spells(
        readings_given(t_us, value, quality),
        threshold=threshold,
        max_gap_s=max_gap_s,
        cadence_s=cadence_s,
        baseline=None if baseline is None else floats(baseline),
        **options,
    )
    rows = zip(*(column.tolist() for column in members_of(found).values()), strict=True)
    return [
        {
            "start_us": start_us,
            "end_us": end_us,
            "peak": peak,
            "peak_us": peak_us,
            "area_h": area_h,
            "cut_start": cut_start,
            "cut_end": cut_end,
        }
        for start_us, end_us, peak, peak_us, area_h, cut_start, cut_end in rows
    ]


def hampel(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`faults.hampel`."""
    return faults.hampel(readings_given(t_us, value, quality), max_gap_s=max_gap_s, **options)


def lone_zero(
    t_us: FormulaArgument,
    value: FormulaArgument,
    min_neighbour: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    eps: float = 0.0,
) -> Any:
    """`faults.lone_zero`."""
    return faults.lone_zero(
        readings_given(t_us, value, quality),
        max_gap_s=max_gap_s,
        min_neighbour=min_neighbour,
        eps=eps,
    )


def stuck(
    t_us: FormulaArgument,
    value: FormulaArgument,
    min_count: int,
    min_duration_s: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    eps: float = 0.0,
) -> Any:
    """`faults.stuck` as dictionaries."""
    found = faults.stuck(
        readings_given(t_us, value, quality),
        min_count=min_count,
        min_duration_s=min_duration_s,
        max_gap_s=max_gap_s,
        eps=eps,
    )
    return [asdict(one) for one in found]


def align_nearest(
    t_a_us: FormulaArgument,
    value_a: FormulaArgument,
    t_b_us: FormulaArgument,
    value_b: FormulaArgument,
    tolerance_s: float,
    quality_a: FormulaArgument | None = None,
    quality_b: FormulaArgument | None = None,
) -> Any:
    """`comparing.align_nearest` as a dictionary."""
    return members_of(
        comparing.align_nearest(
            readings_given(t_a_us, value_a, quality_a),
            readings_given(t_b_us, value_b, quality_b),
            tolerance_s=tolerance_s,
        )
    )


def lag_s(
    t_a_us: FormulaArgument,
    value_a: FormulaArgument,
    t_b_us: FormulaArgument,
    value_b: FormulaArgument,
    quality_a: FormulaArgument | None = None,
    quality_b: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`comparing.lag_s` as a dictionary."""
    a, b = readings_given(t_a_us, value_a, quality_a), readings_given(t_b_us, value_b, quality_b)
    return members_of(comparing.lag_s(a, b, **options))


def bias(a: FormulaArgument, b: FormulaArgument) -> float:
    """`comparing.bias`."""
    return comparing.bias(floats(a), floats(b))


def mae(a: FormulaArgument, b: FormulaArgument) -> float:
    """`comparing.mae`."""
    return comparing.mae(floats(a), floats(b))


def rmse(a: FormulaArgument, b: FormulaArgument) -> float:
    """`comparing.rmse`."""
    return comparing.rmse(floats(a), floats(b))


def pearson_r(a: FormulaArgument, b: FormulaArgument) -> float:
    """`comparing.pearson_r`."""
    return comparing.pearson_r(floats(a), floats(b))


def spearman_r(a: FormulaArgument, b: FormulaArgument) -> float:
    """`comparing.spearman_r`."""
    return comparing.spearman_r(floats(a), floats(b))


def limits_of_agreement(a: FormulaArgument, b: FormulaArgument, z: float = 1.96) -> Any:
    """`comparing.limits_of_agreement` as a dictionary."""
    return members_of(comparing.limits_of_agreement(floats(a), floats(b), z))


def deming(a: FormulaArgument, b: FormulaArgument, variance_ratio: float = 1.0) -> Any:
    """`comparing.deming` as a dictionary."""
    return members_of(comparing.deming(floats(a), floats(b), variance_ratio))


def theil_sen(a: FormulaArgument, b: FormulaArgument, max_n: int = 2000) -> Any:
    """`comparing.theil_sen` as a dictionary."""
    return members_of(comparing.theil_sen(floats(a), floats(b), max_n))


def drift_per_month(
    t_us: FormulaArgument,
    a: FormulaArgument,
    b: FormulaArgument,
    min_span_days: float = 7.0,
    max_n: int = 2000,
) -> Any:
    """`comparing.drift_per_month` as a dictionary."""
    times = np.asarray(t_us, dtype=np.int64)
    return members_of(comparing.drift_per_month(times, floats(a), floats(b), min_span_days, max_n))

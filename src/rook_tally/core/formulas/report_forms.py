"""The calculations of reports (section Q) in the form `by_name` calls them.

Plain lists in, plain numbers, lists and dictionaries out; what they compute lives in
`core.comparing`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import asdict

from rook_tally.core.arrays import BoolArray, FloatArray
from rook_tally.core.comparing import day_figures, directions, totals
from rook_tally.core.formulas.bench_forms import readings_of, whole
from rook_tally.core.formulas.elementwise import FormulaArgument, floats
from rook_tally.core.series.statistics import Window


def _list(values: FormulaArgument) -> FloatArray:
    return np.atleast_1d(floats(values))


def _maybe(values: FormulaArgument | None) -> FloatArray | None:
    return None if values is None else _list(values)


def _verdicts(valid: Any) -> BoolArray | None:
    """Whether each day counts; a missing entry does not."""
    return None if valid is None else np.array([bool(one) for one in valid], np.bool_)


def valid_day_means(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    cadence_s: float,
    day_edges_us: FormulaArgument,
    quality: FormulaArgument | None = None,
    min_covered: float = 0.75,
) -> Any:
    """`day_figures.valid_day_means` as a dictionary."""
    return asdict(
        day_figures.valid_day_means(
            readings_of(t_us, value, quality),
            whole(day_edges_us),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            min_covered=min_covered,
        )
    )


def days_above(day_mean: FormulaArgument, limit: float, valid: Any = None) -> Any:
    """`day_figures.days_above` as a dictionary."""
    return asdict(day_figures.days_above(_list(day_mean), limit, _verdicts(valid)))


def annual_mean(day_mean: FormulaArgument, valid: Any = None, min_share: float = 0.9) -> Any:
    """`day_figures.annual_mean` as a dictionary."""
    return asdict(day_figures.annual_mean(_list(day_mean), _verdicts(valid), min_share))


def running_mean_max(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    cadence_s: float,
    day_edges_us: FormulaArgument,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`day_figures.running_mean_max` as a dictionary."""
    return asdict(
        day_figures.running_mean_max(
            readings_of(t_us, value, quality),
            whole(day_edges_us),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            **options,
        )
    )


def degree_days(
    day_mean: FormulaArgument | None = None,
    base: float = 18.0,
    kind: str = "heating",
    limit: float | None = None,
    upper: float | None = None,
    day_min: FormulaArgument | None = None,
    day_max: FormulaArgument | None = None,
    valid: Any = None,
) -> Any:
    """`day_figures.degree_days` as a dictionary."""
    return asdict(
        day_figures.degree_days(
            _maybe(day_mean),
            base,
            day_figures.DegreeDayKind(kind),
            limit=limit,
            upper=upper,
            day_min=_maybe(day_min),
            day_max=_maybe(day_max),
            valid=_verdicts(valid),
        )
    )


def wind_rose(
    direction_deg: FormulaArgument,
    speed: FormulaArgument,
    weights: FormulaArgument | None = None,
    sectors: int = 16,
    speed_edges: FormulaArgument = (2, 4, 6, 8, 10),
    calm_below: float = 0.5,
) -> Any:
    """`directions.wind_rose` as a dictionary."""
    return asdict(
        directions.wind_rose(
            _list(direction_deg),
            _list(speed),
            _maybe(weights),
            sectors=sectors,
            speed_edges=_list(speed_edges),
            calm_below=calm_below,
        )
    )


def vector_mean_direction(
    direction_deg: FormulaArgument,
    speed: FormulaArgument | None = None,
    weights: FormulaArgument | None = None,
) -> Any:
    """`directions.vector_mean_direction` as a dictionary."""
    return asdict(
        directions.vector_mean_direction(_list(direction_deg), _maybe(speed), _maybe(weights))
    )


def yamartino_sd(direction_deg: FormulaArgument, weights: FormulaArgument | None = None) -> float:
    """`directions.yamartino_sd`."""
    return directions.yamartino_sd(_list(direction_deg), _maybe(weights))


def circular_range(direction_deg: FormulaArgument) -> Any:
    """`directions.circular_range` as a dictionary."""
    return asdict(directions.circular_range(_list(direction_deg)))


def energetic_mean_db(
    levels_db: Any,
    place_weights: FormulaArgument | None = None,
    time_weights: FormulaArgument | None = None,
    min_share: float = 0.0,
) -> Any:
    """`totals.energetic_mean_db` as a dictionary; one list is one place."""
    several = list(levels_db)
    rows = several if several and isinstance(several[0], list | tuple) else [several]
    if len({len(one) for one in rows}) > 1:
        raise ValueError("every place has as many times")
    levels = np.array([floats(one) for one in rows], np.float64).reshape(len(rows), -1)
    return asdict(
        totals.energetic_mean_db(levels, _maybe(place_weights), _maybe(time_weights), min_share)
    )


def counter_total(
    t_us: FormulaArgument,
    counter: FormulaArgument,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`totals.counter_total` as a dictionary."""
    return asdict(totals.counter_total(readings_of(t_us, counter, quality), **options))


def battery_life(
    t_us: FormulaArgument,
    level: FormulaArgument,
    empty: float,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`totals.battery_life` as a dictionary."""
    return asdict(totals.battery_life(readings_of(t_us, level, quality), empty=empty, **options))


def histogram_time(
    t_us: FormulaArgument,
    value: FormulaArgument,
    max_gap_s: float,
    cadence_s: float,
    edges: FormulaArgument,
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    end_us: int | None = None,
) -> Any:
    """`totals.histogram_time` as a dictionary."""
    return asdict(
        totals.histogram_time(
            readings_of(t_us, value, quality),
            _list(edges),
            max_gap_s=max_gap_s,
            cadence_s=cadence_s,
            window=Window(start_us, end_us),
        )
    )

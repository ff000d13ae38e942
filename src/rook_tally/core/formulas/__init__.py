"""Every calculation of our formulas, by the name it goes by.

Each is in the module of its subject, takes keywords with their units in the names, and answers NaN
(or None where a time is meant) for what it cannot know. Sources are cited from memory.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from rook_tally.core.formulas import (
    air,
    air_quality,
    conversion,
    electrical,
    pressure,
    scoring,
    series_forms,
    sound,
    ventilation,
    vibration,
)

_NAMED: tuple[Callable[..., Any], ...] = (
    air.saturation_vapour_pressure, air.vapour_pressure, air.dew_point,
    air.relative_humidity_from_dew_point, air.absolute_humidity, air.mixing_ratio,
    air.vapour_pressure_deficit, air.wet_bulb_stull, air.heat_index, air.wind_chill, air.humidex,
    pressure.pressure_altitude, pressure.isa_pressure, pressure.sea_level_pressure,
    pressure.pressure_tendency_3h, pressure.pressure_tendency_term,
    air_quality.aqi_us_epa, air_quality.nowcast_pm, air_quality.daqi_uk,
    air_quality.who_guideline, air_quality.who_guideline_table, air_quality.who_ratio,
    air_quality.gas_baseline, air_quality.relative_gas_index, air_quality.gas_ppm_power_law,
    scoring.piecewise_score, scoring.composite_score, scoring.composite_worst,
    sound.leq, sound.exceedance_level, sound.lden,
    vibration.vibration_rms, vibration.vibration_peak, vibration.crest_factor,
    vibration.vector_sum, vibration.ratio_to_base,
    electrical.shunt_current, electrical.charge_ah, electrical.energy_wh,
    electrical.integration_coverage, electrical.state_of_charge, electrical.time_to_empty,
    ventilation.air_changes_per_hour, ventilation.minutes_until_limit_linear,
    ventilation.minutes_until_limit_exponential, ventilation.exponential_approach_fit,
    conversion.convert_unit, conversion.ppm_to_mgm3, conversion.mgm3_to_ppm,
    series_forms.lowest, series_forms.highest, series_forms.percentiles,
    series_forms.completeness, series_forms.rolling_median_baseline, series_forms.robust_z,
    series_forms.spells, series_forms.hampel, series_forms.lone_zero, series_forms.stuck,
    series_forms.align_nearest, series_forms.bias, series_forms.mae, series_forms.rmse,
    series_forms.pearson_r, series_forms.spearman_r, series_forms.lag_s,
    series_forms.limits_of_agreement, series_forms.deming, series_forms.theil_sen,
    series_forms.drift_per_month,
    series_forms.limit_watch, series_forms.rate_per_h, series_forms.rate_watch,
    series_forms.usual_level, series_forms.usual_level_watch, series_forms.silence_watch,
    series_forms.guard_gate, series_forms.alarm_replay,
)  # fmt: skip

by_name: Mapping[str, Callable[..., Any]] = MappingProxyType({
    **{one.__name__: one for one in _NAMED},
    "find_runs": series_forms.runs,
    "find_gaps": series_forms.gaps,
    "covered_s": series_forms.covered_s,
    "time_weighted_mean": series_forms.time_weighted_mean,
    "time_weighted_std": series_forms.time_weighted_std,
    "exposure": series_forms.exposure,
    "time_above_s": series_forms.time_above_s,
    "time_below_s": series_forms.time_below_s,
    "degree_hours_above": series_forms.degree_hours_above,
    "degree_hours_below": series_forms.degree_hours_below,
})  # fmt: skip
"""The functions by their names; each takes its inputs as keywords."""

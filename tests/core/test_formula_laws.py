"""Laws that formulas keep whatever they are given."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas import (
    air,
    air_quality,
    by_name,
    conversion,
    electrical,
    pressure,
    scoring,
    sound,
    ventilation,
    vibration,
)
from rook_tally.core.formulas.chunked import BLOCK
from rook_tally.core.formulas.elementwise import elementwise

WARM = st.floats(-39, 49)
DAMP = st.floats(1, 100)
ANY = st.floats(allow_nan=True, allow_infinity=True, width=64)


@given(WARM, DAMP)
def test_dew_point_and_humidity_are_one_another_turned_round(warm: float, damp: float) -> None:
    dew = float(air.dew_point(warm, damp))
    if math.isfinite(dew):
        assert dew <= warm + 1e-6
        back = float(air.relative_humidity_from_dew_point(warm, min(dew, warm)))
        assert back == pytest.approx(damp, rel=1e-3)


@given(WARM, DAMP)
def test_vapour_is_shared_between_what_is_there_and_what_is_missing(
    warm: float, damp: float
) -> None:
    there, missing = air.vapour_pressure(warm, damp), air.vapour_pressure_deficit(warm, damp)
    assert float(there + 10 * missing) == pytest.approx(
        float(air.saturation_vapour_pressure(warm)), rel=1e-9
    )


@given(st.lists(WARM, min_size=2, max_size=20).map(sorted), DAMP)
def test_warmer_air_holds_more_water(warm: list[float], damp: float) -> None:
    held = air.absolute_humidity(np.array(warm), damp)
    assert (np.diff(held) >= -1e-12).all()


@given(st.floats(-4900, 10_900))
def test_height_and_pressure_are_one_another_turned_round(height: float) -> None:
    told = pressure.pressure_altitude(pressure.isa_pressure(height))
    assert float(told) == pytest.approx(height, abs=1e-4)


@given(st.floats(300, 1100), st.floats(-60, 60))
def test_at_sea_level_there_is_nothing_to_reduce(hpa: float, warm: float) -> None:
    assert float(pressure.sea_level_pressure(hpa, 0.0, warm)) == pytest.approx(hpa)


@given(st.floats(-7, 7))
def test_a_tendency_is_called_alike_up_and_down(tendency: float) -> None:
    up, down = pressure.pressure_tendency_term([tendency, -tendency]).tolist()
    assert up == -down
    assert abs(up) in (0, 1, 2, 3, 4)


@given(
    st.lists(st.floats(0, 700), min_size=2, max_size=20).map(sorted),
    st.sampled_from(["pm25", "pm10"]),
)
def test_indices_rise_with_the_dust(dust: list[float], pollutant: str) -> None:
    for index in (air_quality.aqi_us_epa, air_quality.daqi_uk):
        told = index(np.array(dust), pollutant)
        assert (np.diff(told) >= 0).all()
        assert (told == np.round(told)).all()


@given(st.lists(st.floats(0, 500) | st.just(math.nan), max_size=14))
def test_nowcast_lies_between_what_was_heard(hours: list[float]) -> None:
    told = air_quality.nowcast_pm(hours)
    heard = [one for one in hours[-12:] if math.isfinite(one)]
    if math.isfinite(told):
        assert min(heard) - 0.1001 <= told <= max(heard) + 1e-6
    else:
        assert sum(math.isfinite(one) for one in hours[-3:]) < 2


@pytest.mark.parametrize(
    "call",
    [
        lambda: air_quality.aqi_us_epa(1.0, "soot"),
        lambda: air_quality.who_guideline_table("soot"),
        lambda: air_quality.who_guideline("pm25", "weekly"),
        lambda: air.saturation_vapour_pressure(1.0, "oil"),
        lambda: conversion.convert_unit(1.0, "degC", "hPa"),
        lambda: conversion.convert_unit(1.0, "furlong", "hPa"),
        lambda: scoring.piecewise_score(1.0, [1], [1]),
        lambda: scoring.piecewise_score(1.0, [1, 1], [1, 2]),
        lambda: scoring.piecewise_score(1.0, [1, 2], [1, 101]),
        lambda: scoring.composite_score([1.0], [[0, 1]], [[0, 100]], [-1]),
        lambda: scoring.composite_score([1.0, 2.0], [[0, 1]], [[0, 100]], [1]),
        lambda: ventilation.minutes_until_limit_linear([0, 1], [0, 1], 5, direction="sideways"),
    ],
)
def test_words_and_curves_that_cannot_be_meant_are_refused(call: object) -> None:
    with pytest.raises(ValueError, match=r"."):
        call()  # type: ignore[operator]


@given(st.lists(st.floats(0, 100), min_size=1, max_size=20), st.floats(-30, 30))
def test_louder_by_so_much_is_louder_by_so_much(levels: list[float], more: float) -> None:
    plain = sound.leq(levels)
    assert sound.leq([one + more for one in levels]) == pytest.approx(plain + more, abs=1e-6)
    assert min(levels) - 1e-9 <= plain <= max(levels) + 1e-9


@given(st.lists(st.floats(-50, 50), min_size=3, max_size=30), st.floats(-9, 9))
def test_vibration_does_not_care_for_gravity(samples: list[float], gravity: float) -> None:
    moved = [one + gravity for one in samples]
    assert vibration.vibration_rms(moved) == pytest.approx(
        vibration.vibration_rms(samples), abs=1e-6
    )
    rms, peak = vibration.vibration_rms(samples), vibration.vibration_peak(samples)
    assert peak >= rms - 1e-9


@given(st.lists(st.tuples(st.floats(10, 400), st.floats(-40, 40)), min_size=2, max_size=40))
def test_charge_adds_up_where_nothing_is_missing(told: list[tuple[float, float]]) -> None:
    times = np.cumsum([step for step, _ in told])
    current = np.array([one for _, one in told])
    half = len(times) // 2
    whole = electrical.charge_ah(times, current, max_gap_s=1000)
    parts = [
        electrical.charge_ah(times[: half + 1], current[: half + 1], max_gap_s=1000),
        electrical.charge_ah(times[half:], current[half:], max_gap_s=1000),
    ]
    assert whole == pytest.approx(np.nansum(parts), abs=1e-9)
    assert electrical.integration_coverage(times, current, max_gap_s=1000) == pytest.approx(1.0)


@given(
    st.lists(st.floats(-60, 60), min_size=1, max_size=60),
    st.floats(0, 100),
    st.sampled_from([(0.0, 100.0), (10.0, 30.0)]),
)
def test_a_walk_between_two_walls_is_walked_step_by_step(
    steps: list[float], start: float, walls: tuple[float, float]
) -> None:
    low, high = walls
    start = min(max(start, low), high)
    at, expected = start, []
    for step in steps:
        at = min(max(at + step, low), high)
        expected.append(at)
    found = electrical.clamped_walk(np.array(steps), start, low, high)
    assert found == pytest.approx(expected, abs=1e-9)


@given(
    st.lists(st.tuples(st.floats(10, 400), st.floats(-40, 40)), min_size=2, max_size=40),
    st.sampled_from([1.0, 0.8]),
)
def test_a_battery_is_counted_interval_by_interval(
    told: list[tuple[float, float]], efficiency: float
) -> None:
    times = np.cumsum([step for step, _ in told]).tolist()
    current = [one for _, one in told]
    charge, expected = 50.0, [50.0]
    for i in range(len(times) - 1):
        step, a, b = times[i + 1] - times[i], current[i], current[i + 1]
        if step <= 300:
            fine = np.linspace(a, b, 20_001)
            middle = (fine[:-1] + fine[1:]) / 2
            counted = np.where(middle > 0, efficiency * middle, middle).mean()
            charge = min(max(charge + 100 * counted * step / 3600 / 2.0, 0.0), 100.0)
        expected.append(charge)
    found = electrical.state_of_charge(times, current, 2.0, 50.0, efficiency)
    assert found == pytest.approx(expected, abs=2e-3)


@given(st.floats(0.3, 8), st.floats(300, 3000), st.integers(5, 40))
def test_a_decay_tells_its_air_changes(changes: float, excess: float, minutes: int) -> None:
    times = np.arange(minutes + 3) * 60.0
    told = ventilation.air_changes_per_hour(times, 420 + excess * np.exp(-changes * times / 3600))
    used = excess * np.exp(-changes * times / 3600) >= 50
    if used.sum() >= 3:
        assert told["ach"] == pytest.approx(changes, rel=1e-6)
        assert told["low"] <= told["ach"] <= told["high"]
    assert told["n"] == used.sum()


@given(st.floats(0.2, 6), st.floats(800, 2000), st.floats(400, 700))
def test_an_approach_tells_where_it_leads(rate: float, steady: float, begin: float) -> None:
    times = np.arange(0, 4 * 3600, 240.0)
    values = steady + (begin - steady) * np.exp(-rate * times / 3600)
    told = ventilation.exponential_approach_fit(times, values)
    assert told["steady"] == pytest.approx(steady, rel=1e-3)
    assert told["rate_per_h"] == pytest.approx(rate, rel=1e-3)
    limit = (begin + steady) / 2
    minutes = float(ventilation.minutes_until_limit_exponential(begin, steady, rate, limit))
    assert minutes == pytest.approx(60 * math.log(2) / rate, rel=1e-6)


@given(st.floats(-100, 100), st.sampled_from([("degC", "degF"), ("hPa", "mmHg"), ("kn", "km/h")]))
def test_a_unit_and_back_is_the_same(value: float, units: tuple[str, str]) -> None:
    source, target = units
    there = float(conversion.convert_unit(value, source, target))
    if math.isfinite(there):
        assert float(conversion.convert_unit(there, target, source)) == pytest.approx(
            value, abs=1e-9
        )
    gas = float(conversion.ppm_to_mgm3(abs(value)))
    assert float(conversion.mgm3_to_ppm(gas)) == pytest.approx(abs(value))


_MOMENTARY = (
    "saturation_vapour_pressure",
    "dew_point",
    "heat_index",
    "wind_chill",
    "humidex",
    "pressure_altitude",
    "aqi_us_epa",
    "daqi_uk",
    "relative_gas_index",
    "lden",
    "vector_sum",
    "ratio_to_base",
    "shunt_current",
    "time_to_empty",
    "ppm_to_mgm3",
    "mixing_ratio",
    "wet_bulb_stull",
    "sea_level_pressure",
    "minutes_until_limit_exponential",
)


@pytest.mark.parametrize("name", _MOMENTARY)
@given(st.lists(st.tuples(ANY, ANY, ANY, ANY), min_size=1, max_size=6))
def test_nothing_given_makes_an_infinity_a_warning_or_a_wrong_shape(
    name: str, rows: list[tuple[float, float, float, float]]
) -> None:
    wanted = {
        "saturation_vapour_pressure": 1,
        "pressure_altitude": 1,
        "aqi_us_epa": 1,
        "daqi_uk": 1,
        "ppm_to_mgm3": 1,
        "lden": 3,
        "vector_sum": 3,
        "shunt_current": 3,
        "time_to_empty": 3,
        "mixing_ratio": 3,
        "sea_level_pressure": 3,
        "minutes_until_limit_exponential": 4,
    }.get(name, 2)
    columns = np.array(rows).T[:wanted]
    told = by_name[name](*columns)
    assert told.shape == (len(rows),)
    assert not np.isinf(told).any()
    for at in range(len(rows)):
        alone = by_name[name](*(float(column[at]) for column in columns))
        assert alone.shape == ()
        assert float(alone) == pytest.approx(float(told[at]), rel=1e-12, nan_ok=True)
        # As a reading that comes in is worked out: to the last digit what its history says.
        only = by_name[name](*(column[at : at + 1] for column in columns))
        assert np.array_equal(only, told[at : at + 1], equal_nan=True)


def test_long_arrays_are_taken_in_blocks_that_meet() -> None:
    warm = np.linspace(-40, 50, 3 * BLOCK + 7)
    whole = air.dew_point(warm, 60.0)
    for at in (0, BLOCK - 1, BLOCK, 2 * BLOCK, 3 * BLOCK + 6):
        assert whole[at] == pytest.approx(float(air.dew_point(warm[at], 60.0)), nan_ok=True)
    square = air.dew_point(warm[: 2 * BLOCK].reshape(2, -1), 60.0)
    assert square.shape == (2, BLOCK)
    assert np.array_equal(square.ravel(), whole[: 2 * BLOCK], equal_nan=True)


def test_what_is_broadcast_is_broadcast() -> None:
    @elementwise("a", "b")
    def product(a: FloatArray, b: FloatArray) -> FloatArray:
        return a * b

    told = product(np.ones((3, 1)), np.arange(4.0))
    assert told.shape == (3, 4)
    assert np.isnan(product(None, 2.0))

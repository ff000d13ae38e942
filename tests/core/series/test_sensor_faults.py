"""Faults against the collected vectors, and the law that a verdict does not change afterwards."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import asdict

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series import sensor_faults as faults
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.series.screening import SCREENED_TAIL, screened

VECTORS = json.loads((Path(__file__).parent / "faults_vectors.json").read_text())


@pytest.mark.parametrize("vector", VECTORS, ids=[vector["id"] for vector in VECTORS])
def test_vector(vector: dict[str, Any]) -> None:
    inputs = dict(vector["inputs"])
    values = [np.nan if value is None else value for value in inputs.pop("value")]
    readings = readings_from(inputs.pop("t_us"), values, inputs.pop("quality", None))
    found = getattr(faults, vector["function"])(readings, **inputs)
    if vector["function"] == "stuck":
        assert [asdict(one) for one in found] == vector["expected"]
    else:
        assert found.astype(int).tolist() == vector["expected"]


def test_every_fault_has_vectors() -> None:
    assert {vector["function"] for vector in VECTORS} == {"hampel", "lone_zero", "stuck"}


def _screened(quantity: Quantity, values: list[float]) -> list[Quality]:
    readings = readings_from(np.arange(len(values)) * 10_000_000, values)
    return [Quality(one) for one in screened(readings, quantity, max_gap_s=90).tolist()]


def test_a_lone_zero_is_known_by_the_next_reading() -> None:
    noise = QUANTITIES["sound_level"]
    assert _screened(noise, [48, 47.5, 0])[-1] is Quality.UNBELIEVABLE
    assert _screened(noise, [48, 47.5, 0, 48.1])[2] is Quality.LONE_ZERO
    humidity = QUANTITIES["humidity"]
    assert _screened(humidity, [48, 0, 48])[1] is Quality.LONE_ZERO
    assert set(_screened(humidity, [48, 0, 0, 48])) == {Quality.GOOD}


def test_a_lone_spike_is_known_when_four_more_have_come() -> None:
    temperature = QUANTITIES["temperature"]
    calm = [20.1, 20.1, 20.2, 20.1, 20.0]
    assert set(_screened(temperature, [*calm, 35.0, 20.1, 20.1, 20.2])) == {Quality.GOOD}
    told = _screened(temperature, [*calm, 35.0, 20.1, 20.1, 20.2, 20.1])
    assert told[5] is Quality.LONE_SPIKE
    assert told.count(Quality.GOOD) == len(told) - 1


@pytest.mark.parametrize("slug", ["current", "sound_level", "pm25", "illuminance", "switch"])
def test_what_may_jump_is_never_called_a_spike(slug: str) -> None:
    values = [1.0 if slug == "switch" else 30.0] * 6
    values[3] = 0.0 if slug == "switch" else 90.0
    assert Quality.LONE_SPIKE not in _screened(QUANTITIES[slug], [*values, *values[:3]])


def test_a_step_and_a_pair_are_news_and_no_spike() -> None:
    step = [20.0] * 8 + [27.0] * 8
    pair = [20.0] * 8 + [27.0] * 2 + [20.0] * 8
    for values in (step, pair):
        assert set(_screened(QUANTITIES["temperature"], values)) == {Quality.GOOD}


def test_a_microphone_that_does_not_move_for_hours_is_stuck() -> None:
    values = [51.3] * (6 * 360 + 2)
    told = _screened(QUANTITIES["sound_level"], [*values, 48.0])
    assert set(told[:-1]) == {Quality.STUCK}
    assert told[-1] is Quality.GOOD
    assert set(_screened(QUANTITIES["temperature"], values)) == {Quality.GOOD}


@given(
    st.lists(st.sampled_from([20.0, 20.1, 20.2, 35.0, 0.0, 200.0]), max_size=60),
    st.sampled_from(["temperature", "humidity", "sound_level"]),
)
def test_screening_the_tail_as_readings_arrive_ends_like_screening_them_all(
    values: list[float], slug: str
) -> None:
    """Live and past are one: what was marked on the way is what a look back would mark."""
    quantity = QUANTITIES[slug]
    whole = readings_from(np.arange(len(values)) * 10_000_000, values)
    live = np.zeros(len(values), dtype=np.uint8)
    for arrived in range(1, len(values) + 1):
        begin = max(0, arrived - SCREENED_TAIL)
        told = screened(whole[begin:arrived], quantity, max_gap_s=90)
        settled = 0 if begin == 0 else SCREENED_TAIL // 2
        live[begin + settled : arrived] = told[settled:]
    assert live.tolist() == screened(whole, quantity, max_gap_s=90).tolist()

"""The vectors, asked of the language: what it ships is what they hold, live and over history."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import readings_from
from rook_tally.core.workings import function_catalogue as forms
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.core.workings.checking import checked
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.dimensions import coherent_factor, scale_named
from rook_tally.core.workings.function_catalogue import MOMENTARY, Parameter
from rook_tally.core.workings.symbols import SymbolTable

VECTORS = json.loads((Path(__file__).parent.parent / "formula_vectors.json").read_text())
MINUTE = 60_000_000
# A quantity that has the unit an argument wants; others are written out as numbers.
_OF_UNIT = {
    "°C": "temperature",
    "%": "humidity",
    "hPa": "pressure",
    "km/h": "wind_speed",
    "µg/m³": "tvoc",
    "Ω": "gas_resistance",
    "dB(A)": "sound_level",
    "ppm": "co2",
    "A": "current",
    "mV": "voltage_drop",
    "same": "voltage",
    "m": "distance",
    "mg/m³": "tvoc",
}
# In other units or by other words than the function's own.
_MG_OF_CO = {"co"}


def names_of(slugs: Sequence[str]) -> SymbolTable:
    series = [
        NamedSeries(number, QUANTITIES[slug], "p", True, f"s{number}", slug, 60)
        for number, slug in enumerate(slugs, start=1)
    ]
    return SymbolTable(series, dict(QUANTITIES), (), None, ("p",))


def heard(
    quantity: Quantity, unit: str, value: Sequence[float], time_us: Sequence[int]
) -> InputSamples:
    scale = scale_named(unit) if unit != "same" else None
    factor = coherent_factor(quantity.base.dimension)
    numbers = np.asarray(value, np.float64)
    coherent = numbers * factor if scale is None else numbers * scale.factor + scale.offset
    readings = readings_from(time_us, coherent)
    return InputSamples(readings.time_us, readings.value)


def _asked(vector: dict[str, Any]) -> tuple[str, list[tuple[Parameter, float]]] | None:
    """A formula that asks for a vector, and what its series read; None for one that cannot be
    written, as one that wants no number."""
    form, inputs = MOMENTARY[vector["function"]], dict(vector["inputs"])
    keywords = forms.keywords_of(form.name)
    names = list(keywords or inputs)
    parts: list[str] = []
    series: list[tuple[Parameter, float]] = []
    for want, name in zip(form.wants, names, strict=False):
        if name not in inputs:
            break
        told = inputs.pop(name)
        if want.words:
            parts.append(str(told))
        elif told is None:
            return None
        elif want.unit in _OF_UNIT:
            series.append((want, told))
            parts.append(f"{_OF_UNIT[want.unit]}@p/s{len(series)}")
        else:
            parts.append(f"{told!r} {want.unit}".strip())
    return None if inputs or not series else (f"{form.name}({', '.join(parts)})", series)


def _rows(vector: dict[str, Any]) -> list[dict[str, Any]]:
    """A vector that gives a list of cases, each as a vector of its own."""
    expected, inputs = vector["expected"], vector["inputs"]
    if isinstance(expected, dict):
        return []
    if not isinstance(expected, list):
        return [] if any(isinstance(one, list) for one in inputs.values()) else [vector]
    return [
        {
            **vector,
            "id": f"{vector['id']}.{at}",
            "expected": one,
            "inputs": {
                key: told[at] if isinstance(told, list) else told for key, told in inputs.items()
            },
        }
        for at, one in enumerate(expected)
    ]


def momentary() -> list[dict[str, Any]]:
    """Every case of a formula of the moment that can be written in the language."""
    rows = [row for one in VECTORS if one["function"] in MOMENTARY for row in _rows(one)]
    return [one for one in rows if _asked(one) is not None]


@pytest.mark.parametrize("vector", [pytest.param(one, id=one["id"]) for one in momentary()])
def test_a_formula_of_the_moment_says_what_its_vector_says(vector: dict[str, Any]) -> None:
    asked = _asked(vector)
    assert asked is not None
    formula, series = asked
    slugs = [_OF_UNIT[want.unit] for want, _ in series]
    try:
        program = checked(formula, names_of(slugs)).program
    except FormulaError as error:
        # Nothing that is a temperature is written as a bare number, and the like.
        pytest.fail(f"{formula}: {error}")
    scale = 1e3 if vector["inputs"].get("pollutant") == "co" else 1.0
    expected = vector["expected"]
    for moments in ([0], list(range(0, 50 * MINUTE, MINUTE))):
        inputs = Inputs(
            {
                number: heard(QUANTITIES[slug], want.unit, [value * scale] * len(moments), moments)
                for number, (slug, (want, value)) in enumerate(
                    zip(slugs, series, strict=True), start=1
                )
            }
        )
        _, found = program.worked_out(inputs)
        gives = MOMENTARY[vector["function"]].gives
        unit = scale_named(gives) if gives not in ("", "same") else None
        told = found * program.factor
        if unit is not None:
            told = (told - unit.offset) / unit.factor
        assert len(told) == len(moments)
        for one in told.tolist():
            if expected is None:
                assert math.isnan(one)
            else:
                assert one == pytest.approx(
                    expected, abs=vector["tolerance"] + 1e-9 * abs(expected)
                )


def _over_window(
    formula: str, slug: str, unit: str, time_us: list[int], value: list[float]
) -> float:
    program = checked(formula, names_of([slug])).program
    inputs = Inputs({1: heard(QUANTITIES[slug], unit, value, time_us)})
    _, history = program.worked_out(inputs)
    _, live = program.worked_out(inputs, time_us[-1])
    assert live[-1] == pytest.approx(history[-1], nan_ok=True)
    return float(history[-1]) * program.factor


_BY_READINGS = {
    "exceedance_level": ("sound_level", "dB(A)", "levels_db", "{name}(x over {n}, {share} %)"),
    "vibration_rms": ("vibration_x", "g", "samples", "{name}(x over {n})"),
    "vibration_peak": ("vibration_x", "g", "samples", "{name}(x over {n})"),
    "crest_factor": ("vibration_x", "g", "samples", "{name}(x over {n})"),
}


@pytest.mark.parametrize(
    "vector",
    [
        pytest.param(one, id=one["id"])
        for one in VECTORS
        if one["function"] in _BY_READINGS
        and isinstance(one["expected"], int | float)
        and one["inputs"].get("remove_mean", True)
    ],
)
def test_a_formula_by_readings_says_what_its_vector_says(vector: dict[str, Any]) -> None:
    slug, unit, key, pattern = _BY_READINGS[vector["function"]]
    samples = vector["inputs"][key]
    moments = [at * MINUTE for at in range(len(samples))]
    formula = pattern.format(
        name=vector["function"], n=f"{len(samples)} min", share=vector["inputs"].get("exceeded_pct")
    ).replace("x over", f"{slug}@p over")
    told = _over_window(formula, slug, unit, moments, samples)
    scale = scale_named(unit)
    if vector["function"].startswith("vibration") and scale is not None:
        told /= scale.factor
    assert told == pytest.approx(vector["expected"], abs=vector["tolerance"])


@pytest.mark.parametrize(
    ("formula", "slug", "unit", "values", "expected"),
    [
        # K: minutes_until_limit_linear, in seconds here.
        (
            "minutes_until_limit_linear(co2@p over 5 min, 1000 ppm)",
            "co2",
            "ppm",
            [800, 812, 818, 833, 840],
            15.7624 * 60,
        ),
        (
            "minutes_until_limit_linear(co2@p over 5 min, 810 ppm)",
            "co2",
            "ppm",
            [800, 812, 818, 833, 840],
            0.0,
        ),
        (
            "minutes_until_limit_linear(co2@p over 5 min, 1000 ppm, down)",
            "co2",
            "ppm",
            [1200, 1180, 1160, 1140, 1120],
            6 * 60,
        ),
        ("mean(wind_direction@p over 4 min)", "wind_direction", "°", [350, 10, 350, 10, 350], 0.0),
        ("change(wind_direction@p over 4 min)", "wind_direction", "°", [350, 0, 5, 8, 10], 20.0),
        ("mean(sound_level@p over 2 min)", "sound_level", "dB(A)", [60, 60, 80], 74.1078),
        ("mean(contact@p over 4 min)", "contact", "", [1, 0, 0, 0, 1], 0.25),
        ("time_over(contact@p over 4 min, 0.5)", "contact", "", [1, 0, 0, 0, 1], 60.0),
    ],
)
def test_the_last_while_goes_by_what_is_measured(
    formula: str, slug: str, unit: str, values: list[float], expected: float
) -> None:
    told = _over_window(formula, slug, unit, [at * MINUTE for at in range(len(values))], values)
    if slug == "wind_direction":
        told = (told + 180) % 360 - 180 if expected == 0 else told
    assert told == pytest.approx(expected, abs=0.01)


@pytest.mark.parametrize("share", ["150 %", "-5 %"])
def test_a_percentile_past_its_ends_is_refused(share: str) -> None:
    with pytest.raises(FormulaError, match="between 0 % and 100 %"):
        checked(f"percentile(temperature@p over 1 h, {share})", names_of(["temperature"]))


@pytest.mark.parametrize("window_h", [12, 36, 24, 168])
def test_the_charge_of_a_battery_is_the_same_live_and_over_history(window_h: int) -> None:
    """A live collector holds what the formula reaches back, and no more."""
    formula = f"state_of_charge(current@p over {window_h} h, 100 Ah, 80 %)"
    program = checked(formula, names_of(["current"])).program
    minutes = np.arange(12 * 1440, dtype=np.int64)
    current = np.where(minutes // 360 % 2 == 0, 4.0, -5.0)
    start = 10 * 1440
    whole = Inputs({1: InputSamples(minutes * MINUTE, current)})
    _, history = program.worked_out(whole, start * MINUTE)
    for at in range(start, start + 1440, 97):
        first = max(0, at - int(program.reach_us // MINUTE))
        held = Inputs({1: InputSamples(minutes[first : at + 1] * MINUTE, current[first : at + 1])})
        _, live = program.worked_out(held, at * MINUTE)
        assert live[-1] == pytest.approx(history[at - start])


def test_several_places_average_as_what_they_measure() -> None:
    names = names_of(["sound_level", "sound_level"])
    mean = checked("mean(sound_level@p/s1, sound_level@p/s2)", names).program
    inputs = Inputs(
        {
            number: heard(QUANTITIES["sound_level"], "dB(A)", [value], [0])
            for number, value in ((1, 60.0), (2, 80.0))
        }
    )
    assert mean.worked_out(inputs)[1].tolist() == pytest.approx([77.0329], abs=1e-4)

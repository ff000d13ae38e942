"""The vectors of the last while, asked of the language, live and over history.

A window of the language speaks where at least half of it is covered and knows no lone readings
(the book, section 4); a vector about those has nothing to ask here. `NOT_ASKED` names every vector
that is left out, and why.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import readings_from
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.core.workings.checking import checked
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.dimensions import coherent_factor, scale_named
from rook_tally.core.workings.evaluator import Program
from rook_tally.core.workings.function_catalogue import MOMENTARY, WINDOWS
from rook_tally.core.workings.symbols import SymbolTable
from tests.core.workings.test_vectors import momentary

VECTORS: dict[str, dict[str, Any]] = {
    one["id"]: one
    for one in json.loads((Path(__file__).parent.parent / "formula_vectors.json").read_text())
}
SECOND = 1_000_000


@dataclass(frozen=True)
class Asked:
    """How one vector is written in the language.

    `slug` and `unit` say what its series is; `times` one of its result, in what it is told, in
    coherent units; `key` the figure of a vector that expects several.
    """

    formula: str
    slug: str = "voltage"
    unit: str = "V"
    cadence_s: int = 60
    times: float = 1.0
    key: str | None = None


_LEVEL = "exceedance_level(sound_level@p over 10 s, {} %)"
_BATTERY = "state_of_charge(current@p over 5 min, 10 Ah, {} %, {})"
ASKED = {
    "B05": Asked("pressure_tendency_3h(pressure@p)", "pressure", "hPa", 3600, 100),
    "B06": Asked("pressure_tendency_3h(pressure@p)", "pressure", "hPa", 3600, 100),
    "B07": Asked("pressure_tendency_3h(pressure@p)", "pressure", "hPa", 3600, 100),
    "C04": Asked("nowcast_pm(tvoc@p, pm25)", "tvoc", "µg/m³", 3, 1e-9),
    "C05": Asked("nowcast_pm(tvoc@p, pm25)", "tvoc", "µg/m³", 3, 1e-9),
    "C06": Asked("nowcast_pm(tvoc@p, pm25)", "tvoc", "µg/m³", 3, 1e-9),
    "C07": Asked("nowcast_pm(tvoc@p, pm10)", "tvoc", "µg/m³", 3, 1e-9),
    "C13": Asked("gas_baseline(gas_resistance@p over 5 min)", "gas_resistance", "Ω"),
    "E01": Asked("leq(sound_level@p over 10 min)", "sound_level", "dB(A)", 3),
    "E04": Asked(_LEVEL.format(10), "sound_level", "dB(A)", 1),
    "E05": Asked(_LEVEL.format(50), "sound_level", "dB(A)", 1),
    "E06": Asked(_LEVEL.format(90), "sound_level", "dB(A)", 1),
    "F01": Asked("vibration_rms(voltage@p over 8 s)", cadence_s=1),
    "F02b": Asked("vibration_rms(voltage@p over 2 s)", cadence_s=1),
    "F02c": Asked("vibration_rms(voltage@p over 2 s)", cadence_s=1),
    "F03": Asked("vibration_peak(voltage@p over 8 s)", cadence_s=1),
    "F04": Asked("crest_factor(voltage@p over 8 s)", cadence_s=1),
    "F05": Asked("crest_factor(voltage@p over 3 s)", cadence_s=1),
    "G04": Asked("charge_ah(current@p over 1020 s)", "current", "A", 300, 3600),
    "G05": Asked("charge_ah(current@p over 1000 s)", "current", "A", 100, 3600),
    "G07": Asked("integration_coverage(current@p over 1020 s)", "current", "A", 100, 100),
    "G08": Asked(_BATTERY.format(50, 0.9), "current", "A", 100),
    "G09": Asked("state_of_charge(current@p over 1 min, 5 Ah, 99 %)", "current", "A", 100),
    "K01": Asked("air_changes_per_hour(co2@p over 126 min)", "co2", "ppm", 300, 1 / 3600, "ach"),
    "K02": Asked("air_changes_per_hour(co2@p over 10 min)", "co2", "ppm", 300, 1 / 3600, "ach"),
    "K03": Asked("minutes_until_limit_linear(co2@p over 5 min, 1000 ppm)", "co2", "ppm", 60, 60),
    "K04": Asked("minutes_until_limit_linear(co2@p over 3 min, 1000 ppm)", "co2", "ppm", 60, 60),
    "K04b": Asked("minutes_until_limit_linear(co2@p over 3 min, 643.7 ppm)", "co2", "ppm", 60, 60),
    "K04c": Asked("minutes_until_limit_linear(co2@p over 3 min, 644.7 ppm)", "co2", "ppm", 60, 60),
    "K05": Asked("minutes_until_limit_linear(co2@p over 3 min, 1000 ppm)", "co2", "ppm", 60, 60),
    "twm_plain": Asked("time_weighted_mean(voltage@p over 3 min)"),
    "twm_nan_suspect": Asked("time_weighted_mean(voltage@p over 3 min)"),
    "tws_triangle": Asked("time_weighted_std(voltage@p over 2 min)"),
    "lowest_tie": Asked("lowest(voltage@p over 3 min)", key="value"),
    "above_triangle": Asked("time_above_s(voltage@p over 2 min, 3 V)"),
    "above_equal_is_not": Asked("time_above_s(voltage@p over 2 min, 3 V)"),
    "below_cross": Asked("time_below_s(voltage@p over 1 min, 3 V)"),
    "dha_triangle": Asked("degree_hours_above(voltage@p over 2 min, 3 V)", times=3600),
    "dhb_cross": Asked("degree_hours_below(voltage@p over 1 min, 3 V)", times=3600),
    "rmb_trailing_not_good": Asked("rolling_median_baseline(voltage@p over 3 min)"),
    "rate_steady": Asked("rate_per_h(voltage@p over 4 min)", times=1 / 3600),
}
_LONE = "a window of the language knows no lone readings"
_HALF = "less than half of its window is covered"
_NOTHING = "there is no reading to ask at"
_OPTION = "the language has no such option"
NOT_ASKED = {
    "C15": _OPTION,
    "E02": "a pause of ten seconds is no gap yet",
    "E03": _NOTHING,
    "E08": _OPTION,
    "F02": _OPTION,
    "G03": _HALF,
    "G11": _OPTION,
    "covered_lone": _LONE,
    "twm_gap_middle": _HALF,
    "twm_lone_end": _LONE,
    "twm_lone_at_window_end": _LONE,
    "twm_single": _LONE,
    "twm_empty": _NOTHING,
    "twm_clip": "its window ends between two readings",
    "twm_no_width": _NOTHING,
    "twm_unsorted_equal_times": "the store keeps one reading a moment",
    "twm_epoch_gap_both_ends": _LONE,
    "tws_lone": _LONE,
    "highest_window": "its window ends before its last reading",
    "highest_empty": _NOTHING,
    "above_gap_lone": _LONE,
    "above_empty": _NOTHING,
    "above_no_width": _NOTHING,
    "dha_clip_lone": _LONE,
    "exposure_gap": _HALF,
    "complete_partial": _HALF,
    "complete_round_and_cap": _HALF,
    "rmb_centred": "no formula looks ahead",
    "usual_edges": _OPTION,
    "usual_time_of_day": _OPTION,
}
"""Vectors of functions that the language has, and why they have nothing to ask of it."""
_ASKED_BELOW = {"C13b", "E06b", "G06", "G08b", "G08c", "percentiles_five", "usual_small"}
_VALUES = ("value", "samples", "values", "pressure_hpa", "resistance_ohm", "current_a", "co2_ppm")


def _readings(inputs: dict[str, Any]) -> list[tuple[int, float]]:
    """The good readings of a vector; what it gives by the hour or the minute, every two
    seconds of it."""
    if "exceeded_pct" in inputs:
        return [(at * SECOND, one) for at, one in enumerate(inputs["levels_db"])]
    steps = inputs.get("hourly_ugm3") or inputs.get("levels_db")
    if steps is not None:
        length_s = 3600 if "hourly_ugm3" in inputs else 60
        rows, begin = [], 0
        for value in steps:
            if value is not None:
                # A step begins as soon as the one before has ended.
                rows.append((begin * SECOND + 1, value))
                rows += [(at * SECOND, value) for at in range(begin + 2, begin + length_s + 1, 2)]
            begin += length_s
        if steps[-1] is None:
            # Somebody must ask at that moment; one reading alone is no hour.
            rows.append((begin * SECOND, 12.0))
        return rows
    values = next(inputs[key] for key in _VALUES if key in inputs)
    time_us = inputs.get("t_us") or [at * SECOND for at in inputs.get("time_s", range(len(values)))]
    quality = inputs.get("quality") or [0] * len(values)
    return [
        (at, value)
        for at, value, mark in zip(time_us, values, quality, strict=True)
        if value is not None and mark == 0
    ]


def _series(quantity: Quantity, unit: str, rows: Sequence[tuple[int, float]]) -> InputSamples:
    scale = scale_named(unit)
    factor = coherent_factor(quantity.base.dimension) if scale is None else scale.factor
    readings = readings_from([at for at, _ in rows], np.array([one for _, one in rows]) * factor)
    return InputSamples(readings.time_us, readings.value)


def _expected(vector: dict[str, Any], key: str | None) -> dict[int, float | None]:
    """What is expected at which moment: of a row of figures each, else the one at the end."""
    told, inputs = vector["expected"], vector["inputs"]
    if isinstance(told, list):
        times = inputs.get("t_us") or [at * SECOND for at in inputs["time_s"]]
        return dict(zip(times, told, strict=True))
    return {-1: told[key] if key is not None else told}


def _program(asked: Asked) -> Program:
    quantity = QUANTITIES[asked.slug]
    series = NamedSeries(1, quantity, "p", True, "s1", asked.slug, asked.cadence_s)
    return checked(asked.formula, SymbolTable([series], dict(QUANTITIES), (), None, ("p",))).program


@pytest.mark.parametrize("name", ASKED)
def test_the_last_while_says_what_its_vector_says(name: str) -> None:
    asked, vector = ASKED[name], VECTORS[name]
    program = _program(asked)
    rows = _readings(vector["inputs"])
    inputs = Inputs({1: _series(QUANTITIES[asked.slug], asked.unit, rows)})
    moments, found = program.worked_out(inputs)
    told = dict(zip(moments.tolist(), (found * program.factor).tolist(), strict=True))
    last = int(moments[-1])
    live = float(program.worked_out(inputs, last)[1][-1]) * program.factor
    assert live == pytest.approx(told[last], nan_ok=True)
    compared = 0
    for moment, expected in _expected(vector, asked.key).items():
        one = told.get(last if moment < 0 else moment)
        if moment >= 0 and (one is None or math.isnan(one)):
            # Where half of a window is not covered yet the language says nothing.
            continue
        compared += 1
        assert one is not None
        if expected is None:
            assert math.isnan(one), moment
        else:
            wanted = expected * asked.times
            assert one == pytest.approx(wanted, abs=(vector["tolerance"] + 1e-8) * asked.times)
    assert compared


@pytest.mark.parametrize(
    ("start", "efficiency", "said"),
    [
        (100.5, 0.9, "start lies between 0 % and 100 %"),
        (50, 1.1, "efficiency lies between 0 and 1"),
    ],
)
def test_a_charge_that_cannot_be_is_refused_where_its_vector_knows_nothing(
    start: float, efficiency: float, said: str
) -> None:
    # Vectors G08b and G08c.
    with pytest.raises(FormulaError, match=said):
        _program(Asked(_BATTERY.format(start, efficiency), "current", "A"))


def test_every_vector_of_a_function_of_the_language_is_asked_or_says_why_not() -> None:
    of_a_moment = {one["id"].split(".")[0] for one in momentary()}
    of_the_language = {
        name for name, one in VECTORS.items() if one["function"] in {**MOMENTARY, **WINDOWS}
    }
    asked = of_a_moment | set(ASKED) | _ASKED_BELOW
    assert of_the_language - asked == set(NOT_ASKED)


def test_more_than_all_of_the_time_is_no_share() -> None:
    # Vector E06b.
    with pytest.raises(FormulaError, match="share"):
        _program(Asked(_LEVEL.format(101), "sound_level", "dB(A)"))


def test_percentiles_are_those_of_their_vector() -> None:
    vector = VECTORS["percentiles_five"]
    inputs = Inputs({1: _series(QUANTITIES["voltage"], "V", _readings(vector["inputs"]))})
    found = [
        _program(Asked(f"percentiles(voltage@p over 5 min, {share} %)")).worked_out(inputs)[1][-1]
        for share in vector["inputs"]["q"]
    ]
    assert found == pytest.approx(vector["expected"])


def test_energy_is_that_of_two_series_multiplied() -> None:
    inputs = VECTORS["G06"]["inputs"]
    voltage, current = (
        _series(QUANTITIES[slug], unit, list(zip(times, inputs[key], strict=True)))
        for slug, unit, key in (("voltage", "V", "voltage_v"), ("current", "A", "current_a"))
        for times in ([at * SECOND for at in inputs["time_s"]],)
    )
    series = [
        NamedSeries(number, QUANTITIES[slug], "p", True, f"s{number}", slug, 100)
        for number, slug in ((1, "voltage"), (2, "current"))
    ]
    names = SymbolTable(series, dict(QUANTITIES), (), None, ("p",))
    program = checked("energy_wh(voltage@p * current@p over 845 s)", names).program
    told = program.worked_out(Inputs({1: voltage, 2: current}))[1][-1]
    # The oracle's trapezoid over V·I; in Wh, from joules.
    assert told * program.factor / 3600 == pytest.approx(VECTORS["G06"]["expected"])


def test_clean_air_is_that_of_the_last_day() -> None:
    vector = VECTORS["C13b"]
    asked = Asked("gas_baseline(gas_resistance@p over 24 h)", "gas_resistance", "Ω", 7400)
    inputs = Inputs({1: _series(QUANTITIES["gas_resistance"], "Ω", _readings(vector["inputs"]))})
    found = _program(asked).worked_out(inputs)[1]
    # The vector wants ten readings, the language half of the window.
    assert found[9:] == pytest.approx(vector["expected"][9:])


def test_the_usual_level_is_that_of_the_readings_before() -> None:
    vector = VECTORS["usual_small"]
    program = _program(Asked("usual_level(voltage@p over 4 min, 0.1 V)"))
    inputs = Inputs({1: _series(QUANTITIES["voltage"], "V", _readings(vector["inputs"]))})
    assert program.worked_out(inputs)[1][3:] == pytest.approx(vector["expected"]["z"][3:])


def test_what_is_no_resistance_is_not_among_those_of_clean_air() -> None:
    values = [50e3, 60e3, 0.0, 70e3, 80e3, 90e3]
    rows = [(at * 60 * SECOND, one) for at, one in enumerate(values)]
    program = _program(Asked("gas_baseline(gas_resistance@p over 5 min)", "gas_resistance", "Ω"))
    inputs = Inputs({1: _series(QUANTITIES["gas_resistance"], "Ω", rows)})
    # With the zero among them it would be 88 kΩ.
    assert program.worked_out(inputs)[1][-1] == pytest.approx(88.5e3)


def test_two_readings_are_no_line_and_three_are() -> None:
    rows = [(0, 900.0), (90 * SECOND, 860.0), (120 * SECOND, 820.0)]
    for formula in (
        "minutes_until_limit_linear(co2@p over 121 s, 500 ppm, down)",
        "air_changes_per_hour(co2@p over 121 s)",
    ):
        program = _program(Asked(formula, "co2", "ppm"))
        for count in (2, 3):
            inputs = Inputs({1: _series(QUANTITIES["co2"], "ppm", rows[:count])})
            assert math.isnan(program.worked_out(inputs)[1][-1]) == (count == 2)

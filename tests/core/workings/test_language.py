"""The language: what formulas come to, and what is said of those that cannot be meant."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.workings.checking import checked
from rook_tally.core.workings.diagnostics import FormulaError
from tests.core.workings.sites import heard, numbered, pottery, waving

NAMES = pottery()


def _at_minute_0(formula: str, **values: float) -> tuple[float, str]:
    """A formula over one reading of each `quantity__station`, in the unit it is shown in."""
    told = {}
    for name, value in values.items():
        quantity, station = name.split("__")
        told[numbered(NAMES, quantity, station.replace("_", "-")).id] = {0.0: value}
    check = checked(formula, NAMES)
    _, result = check.program.worked_out(heard(told, NAMES))
    base, preferred = check.shown.units[0], check.shown.preferred
    return float(preferred.from_base(base.to_base(float(result[-1])))), preferred.symbol


@pytest.mark.parametrize(
    ("formula", "values", "expected", "unit"),
    [
        (
            "dew_point(temperature@kiln-room, humidity@kiln-room)",
            {"temperature__kiln": 25, "humidity__kiln": 60},
            16.6977,
            "°C",
        ),
        (
            "dew_point(temperature@kiln-room, humidity@kiln-room) in °F",
            {"temperature__kiln": 25, "humidity__kiln": 60},
            62.0558,
            "°F",
        ),
        ("voltage_drop@mill-race * 50 A / 60 mV", {"voltage_drop__mill": 0.03}, 25.0, "A"),
        (
            "shunt_current(voltage_drop@mill-race, 50 A, 60 mV)",
            {"voltage_drop__mill": -0.03},
            -25.0,
            "A",
        ),
        (
            "voltage@mill-race * current@mill-race",
            {"voltage__mill": 12, "current__mill": 3},
            36.0,
            "W",
        ),
        (
            "temperature@kiln-room - temperature@yard",
            {"temperature__kiln": 25, "temperature__yard": 4},
            21.0,
            "K",
        ),
        ("temperature@yard + 3 K", {"temperature__yard": 4}, 7.0, "°C"),
        (
            "mean(temperature@kiln-room, temperature@yard)",
            {"temperature__kiln": 25, "temperature__yard": 5},
            15.0,
            "°C",
        ),
        ("highest(co2@shop/*)", {"co2__shop_a": 600, "co2__shop_b": 650}, 650.0, "ppm"),
        ("mean(co2@indoors/*)", {"co2__shop_a": 600, "co2__throwing": 900}, 750.0, "ppm"),
        (
            "mean(temperature@studios/*)",
            {"temperature__kiln": 30, "temperature__throwing": 20},
            25.0,
            "°C",
        ),
        ("count(co2@everywhere/*)", {"co2__shop_a": 600, "co2__throwing": 900}, 2.0, ""),
        (
            "if presence@throwing-room then co2@throwing-room - 420 ppm else 0 ppm",
            {"presence__throwing": 1, "co2__throwing": 820},
            400.0,
            "ppm",
        ),
        (
            "if presence@throwing-room then co2@throwing-room - 420 ppm else 0 ppm",
            {"presence__throwing": 0, "co2__throwing": 820},
            0.0,
            "ppm",
        ),
        (
            "humidity@kiln-room > 60 % and not (co@kiln-room ≥ 5 ppm)",
            {"humidity__kiln": 61, "co__kiln": 4},
            1.0,
            "",
        ),
        ("pm25@yard in mg/m³", {"pm25__yard": 12}, 0.012, "mg/m³"),
        ("pressure@yard in inHg", {"pressure__yard": 1013.25}, 29.92126, "inHg"),
        ("who_ratio(pm25@yard, pm25, 24h)", {"pm25__yard": 36}, 2.4, ""),
        ("aqi_us_epa(pm25@yard)", {"pm25__yard": 35.5}, 101.0, ""),
        ("-5 °C + 0 K * (voltage@mill-race / 1 V)", {"voltage__mill": 12}, -5.0, "°C"),
        ("co2@shop/shop-a/2", {"co2__shop_a": 600}, 300.0, "ppm"),
        ("2 ^ 3 * voltage@mill-race ^ 2 / 4 Ω", {"voltage__mill": 2}, 8.0, "W"),
        ("sqrt(voltage@mill-race ^ 2)", {"voltage__mill": 3}, 3.0, "V"),
        ("voltage@mill-race / 24 V in %", {"voltage__mill": 12}, 50.0, "%"),
    ],
)
def test_a_formula_comes_to(
    formula: str, values: dict[str, float], expected: float, unit: str
) -> None:
    value, symbol = _at_minute_0(formula, **values)
    assert value == pytest.approx(expected, abs=1e-4)
    assert symbol == unit


@pytest.mark.parametrize(
    ("formula", "part", "what", "suggestion"),
    [
        (
            "dew_point(humidity@kiln-room, temperature@kiln-room)",
            "humidity@kiln-room",
            "humidity is a share, dew_point wants a temperature first",
            "",
        ),
        ("temperature@yard + 3 °C", "temperature@yard + 3 °C", "have no sum", "step"),
        ("temperature@yard * 2", "temperature@yard", "cannot be multiplied", "difference"),
        ("humidity@kiln-room > 60", "60", "plain number", "write 60 %"),
        ("co2@shop", "co2@shop", "several tell this at Shop", "co2@shop/shop-a or"),
        ("temperature@yrd", "temperature@yrd", "no place yrd", "did you mean yard"),
        ("temp@yard", "temp@yard", "nothing measures temp", "temperature"),
        ("temperature@indoors", "temperature@indoors", "is a group", "mean(temperature@indoors/*)"),
        ("dew_pont(1, 2)", "dew_pont", "no formula is called dew_pont", "dew_point"),
        ("3 + 4 furlong", "furlong", "cannot stand here", "no unit is called furlong"),
        ("pressure@yard in V", "V", "cannot be told in V", ""),
        ("0,5 + 1", ",", "cannot stand here", "write 0.5, not 0,5"),
        ("(1 + 2", " ", "ends too early", "a ) is missing"),
        ("1 +", " ", "ends too early", "should follow"),
        ("", " ", "no formula yet", "as in"),
        ("mean(temperature@yard over 3 V)", "3 V", "no unit of time", "30 min"),
        ("temperature@here", "temperature@here", "no here", "each place"),
        ("theil_sen(1, 2)", "theil_sen", "more than one number", ""),
        ("if 1 then 2 else 3", "1", "if wants a yes or no", "compare"),
        ("1" + "+1" * 200, "1", "deep", "make a working of a part"),
        ("1 " * 3000, "", "at most 5000 characters", "make a working of a part"),
        ("(" * 1000 + "1" + ")" * 1000 + " + ", " ", "ends too early", "should follow"),
        ("not " * 1000 + "presence@throwing-room", "not", "deep", "make a working"),
        ("min(1, 2)", "min", "no formula is called min", ""),
        ("1e999 + 1", "1e999", "too large", ""),
    ],
)
def test_a_mistake_is_told_at_its_place(
    formula: str, part: str, what: str, suggestion: str
) -> None:
    with pytest.raises(FormulaError) as caught:
        checked(formula, NAMES)
    mistake = caught.value.mistake
    assert what in mistake.what
    assert suggestion in mistake.suggestion
    assert (formula + " ")[mistake.at.start : mistake.at.end].startswith(part)
    assert "^" in mistake.underlined(formula)


@pytest.mark.parametrize(
    "formula",
    [
        "1 / 0 + 0 * voltage@mill-race / 1 V",
        "ln(-1) + voltage@mill-race / 1 V",
        "10 ^ 400 * voltage@mill-race",
        "if 1 / 0 > 5 then voltage@mill-race else 1 V",
    ],
)
def test_what_cannot_be_reckoned_is_a_gap(formula: str) -> None:
    _, value = checked(formula, NAMES).program.worked_out(waving(NAMES))
    assert len(value)
    assert np.isnan(value).all()


def test_a_reference_that_matches_nothing_yet_is_a_gap_and_said() -> None:
    check = checked("co@yard + 1 ppm", NAMES)
    assert [note.what for note in check.notes] == ["nothing tells co at yard yet"]
    assert check.shown.preferred.symbol == "ppm"
    _, value = check.program.worked_out(waving(NAMES))
    assert np.isnan(value).all()


def test_a_value_stands_whenever_an_input_reports_and_the_others_are_fresh() -> None:
    warm, damp = (numbered(NAMES, name, "kiln").id for name in ("temperature", "humidity"))
    check = checked("dew_point(temperature@kiln-room, humidity@kiln-room)", NAMES)
    inputs = heard({warm: {0: 25, 1: 25, 9: 25}, damp: {0.5: 60, 3.5: 60, 3.6: 60}}, NAMES)
    times, value = check.program.worked_out(inputs)
    # Humidity is not there yet; 4 and 3.6 minutes after one: three cadences are three minutes.
    told = dict(zip((times / 60e6).tolist(), np.isfinite(value).tolist(), strict=True))
    assert told == {0: False, 0.5: True, 1: True, 3.5: True, 3.6: True, 9: False}


def test_how_old_a_reading_may_be_can_be_said() -> None:
    warm, damp = (numbered(NAMES, name, "kiln").id for name in ("temperature", "humidity"))
    check = checked("dew_point(temperature@kiln-room, humidity@kiln-room within 1 h)", NAMES)
    _, value = check.program.worked_out(heard({warm: {59: 25, 61: 25}, damp: {0: 60}}, NAMES))
    assert np.isfinite(value).tolist() == [False, True, False]


def test_a_group_speaks_for_those_that_are_fresh() -> None:
    a, b = (numbered(NAMES, "co2", name).id for name in ("shop-a", "shop-b"))
    inputs = heard({a: {0: 400, 10: 500}, b: {0: 600}}, NAMES)
    _, value = checked("mean(co2@shop/*)", NAMES).program.worked_out(inputs)
    assert value.tolist() == [500, 500]
    _, counted = checked("count(co2@shop/*)", NAMES).program.worked_out(inputs)
    assert counted.tolist() == [2, 1]
    _, newest = checked("newest(co2@shop/*)", NAMES).program.worked_out(inputs)
    assert newest.tolist()[-1] == 500

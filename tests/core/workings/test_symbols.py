"""Which series a reference means."""

from __future__ import annotations

from dataclasses import replace

import pytest

from rook_tally.core.quantities.named_series import Group, NamedSeries, slug_of
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.parsing import parsed
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.core.workings.syntax import Reference
from tests.core.workings.sites import pottery

NAMES = pottery()


def _reference(text: str) -> Reference:
    part = parsed(text)
    assert isinstance(part, Reference)
    return part


@pytest.mark.parametrize(
    ("name", "slug"),
    [
        ("Kiln room", "kiln-room"),
        ("Kiln  Room!", "kiln-room"),
        ("Töpferei 2", "töpferei-2"),
        ("kiln_room", "kiln-room"),
        ("Åland (north)", "åland-north"),
        ("-", ""),
    ],
)
def test_names_become_what_formulas_write(name: str, slug: str) -> None:
    assert slug_of(name) == slug


@pytest.mark.parametrize(
    "text",
    [
        "temperature@kiln-room",
        'temperature@"Kiln room"',
        "temperature@Kiln-Room",
        "temperature@kiln-room/kiln",
        "temperature@kiln-room/kiln/temperature",
    ],
)
def test_a_place_goes_by_its_name_however_it_is_written(text: str) -> None:
    found = NAMES.one(_reference(text))
    assert found is not None
    assert (found.place, found.station) == ("Kiln room", "kiln")


def test_a_station_whose_key_begins_with_a_digit_stands_in_quotation_marks() -> None:
    odd = NamedSeries(99, QUANTITIES["co2"], "Yard", False, "7-up", "co2", 60.0)
    names = replace(NAMES, series=[*NAMES.series, odd])
    found = names.one(_reference('co2@yard/"7-up"'))
    assert found is odd


def test_one_of_two_fields_is_told_by_its_name() -> None:
    two = [
        NamedSeries(98, QUANTITIES["sound_level"], "Yard", False, "yard", "noise", 60.0),
        NamedSeries(99, QUANTITIES["sound_level"], "Yard", False, "yard", "noise_max", 60.0),
    ]
    names = replace(NAMES, series=[*NAMES.series, *two])
    with pytest.raises(FormulaError, match=r"sound_level@yard/yard/noise or"):
        names.one(_reference("sound_level@yard"))
    assert names.one(_reference("sound_level@yard/yard/noise_max")) is two[1]


def test_here_means_the_station_that_tells_most() -> None:
    shop = replace(NAMES, here="Shop")
    assert shop.one(_reference("temperature@here")) is not None
    more = NamedSeries(99, QUANTITIES["humidity"], "Shop", True, "shop-b", "humidity", 60.0)
    names = replace(NAMES, series=[*NAMES.series, more], here="Shop")
    found = names.one(_reference("temperature@here"))
    assert found is not None
    assert found.station == "shop-b"


@pytest.mark.parametrize(
    ("text", "stations"),
    [
        ("co2@indoors/*", ["shop-a", "shop-b", "throwing"]),
        ("temperature@outdoors/*", ["yard"]),
        ("temperature@everywhere/*", ["kiln", "yard", "shop-a", "shop-b", "throwing"]),
        ("co2@shop/*", ["shop-a", "shop-b"]),
        ("temperature@studios/*", ["kiln", "throwing"]),
        ("humidity@shop/*", []),
    ],
)
def test_a_group_holds_what_it_says(text: str, stations: list[str]) -> None:
    assert [one.station for one in NAMES.several(_reference(text))] == stations


def test_a_group_may_name_single_series() -> None:
    picked = NAMES.series[1]
    names = replace(NAMES, groups=(Group("Picked", series=(picked.id,)),))
    assert names.several(_reference("humidity@picked/*")) == [picked]
    assert names.several(_reference("temperature@picked/*")) == []


def test_here_is_a_group_of_one_place() -> None:
    names: SymbolTable = replace(NAMES, here="Shop")
    assert len(names.several(_reference("co2@here/*"))) == 2

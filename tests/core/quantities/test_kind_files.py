"""Kinds go into a file and come back the same."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS, Field, Kind
from rook_tally.core.quantities.registry import QUANTITIES

names = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), min_size=1).filter(
    lambda text: bool(text.strip())
)


@st.composite
def fields(draw: st.DrawFn) -> Field:
    quantity = draw(st.sampled_from(list(QUANTITIES.values())))
    unit = draw(st.sampled_from(quantity.units))
    return Field(draw(names), quantity.slug, unit.symbol)


@given(
    st.from_regex(r"[a-z0-9][a-z0-9-]{0,20}", fullmatch=True),
    names,
    st.floats(0.1, 1e6),
    st.lists(fields(), max_size=5, unique_by=lambda one: one.name),
)
def test_any_kind_there_and_back(slug: str, name: str, cadence_s: float, made: list[Field]) -> None:
    kind = Kind(slug, name, cadence_s, tuple(made))
    assert kind_from_toml(kind_to_toml(kind)) == kind


@pytest.mark.parametrize("slug", KINDS)
def test_ours_as_well(slug: str) -> None:
    assert kind_from_toml(kind_to_toml(KINDS[slug])) == KINDS[slug]


WITH_CONTROLS = """
slug = "vent"
name = "vent"
cadence_s = 30

[[field]]
name = "temp"
quantity = "temperature"
unit = "°C"
accuracy = 0.1
believable = [-5, 45]

[[control]]
name = "flap"
title = "Roof flap"
sort = "number"
unit = "°"
low = 0
high = 90
confirm_s = 20

[[control]]
name = "fan"
sort = "choice"
choices = ["auto", "off"]
"""


def test_controls_accuracy_and_believable_range_are_read_and_written_again() -> None:
    kind = kind_from_toml(WITH_CONTROLS)
    temp, flap, fan = kind.field("temp"), kind.control("flap"), kind.control("fan")
    assert temp is not None
    assert flap is not None
    assert fan is not None
    assert (temp.accuracy, temp.believable) == (0.1, (-5, 45))
    assert (flap.title, flap.low, flap.high, flap.confirm_s) == ("Roof flap", 0, 90, 20)
    assert (fan.title, fan.choices) == ("fan", ("auto", "off"))
    assert kind_from_toml(kind_to_toml(kind)) == kind


@pytest.mark.parametrize(
    ("before", "after", "why"),
    [
        ('sort = "choice"', 'sort = "dial"', "control 2: there is no such sort"),
        ('choices = ["auto", "off"]', "", "control 2: a choice needs choices"),
        ('choices = ["auto", "off"]', "choices = [1]", "control 2: choices are texts"),
        ("high = 90", "high = -1", "control 1: low is not below high"),
        ("low = 0", 'low = "none"', "control 1: low has to be a number"),
        ('name = "fan"', 'name = "flap"', "two controls have the same name"),
        ('name = "fan"', 'name = "a/b"', "control 2: 'a/b' cannot name a control"),
        ("confirm_s = 20", "confirm_s = 0", "control 1: confirm_s is no sensible time"),
        ("accuracy = 0.1", "accuracy = 0", "field 1: accuracy has to be above 0"),
        ("believable = [-5, 45]", "believable = [45, -5]", "field 1: believable's low end"),
        ("believable = [-5, 45]", "believable = 5", "field 1: believable has two ends"),
    ],
)
def test_a_control_or_range_that_cannot_be_meant(before: str, after: str, why: str) -> None:
    with pytest.raises(UsageError) as refused:
        kind_from_toml(WITH_CONTROLS.replace(before, after))
    assert refused.value.what.startswith(why)

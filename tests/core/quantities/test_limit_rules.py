"""Limits that people set: which are in force, how they are written, what cannot be limits."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Four, Limits
from rook_tally.core.quantities.limit_presets import LIMIT_PRESETS, presets_for
from rook_tally.core.quantities.limit_rules import (
    LimitOrigin,
    LimitsInForce,
    limits_in_force,
    limits_of,
    side_text,
    typed_side,
)
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT

CO2, WARMTH = QUANTITIES["co2"], QUANTITIES["temperature"]
OWN, AT_SHOP, IN_HOUSE, ON_SITE = (
    Limits(above=(None, limit, None, None)) for limit in (1, 2, 3, 4)
)
SHOP, HOUSE = (7, "Shop"), (8, "House")
RULES: dict[tuple[str, int | None], Limits] = {
    ("co2", 7): AT_SHOP,
    ("co2", 8): IN_HOUSE,
    ("co2", None): ON_SITE,
}
NONE: Four = (None, None, None, None)


@pytest.mark.parametrize(
    ("own", "places", "wanted"),
    [
        (OWN, (SHOP, HOUSE), LimitsInForce(OWN, LimitOrigin.SERIES)),
        (None, (SHOP, HOUSE), LimitsInForce(AT_SHOP, LimitOrigin.PLACE, "Shop")),
        (None, ((9, "Shelf"), HOUSE), LimitsInForce(IN_HOUSE, LimitOrigin.PLACE, "House")),
        (None, ((9, "Shelf"),), LimitsInForce(ON_SITE, LimitOrigin.SITE)),
    ],
)
def test_the_nearest_limits_are_in_force(
    own: Limits | None, places: tuple[tuple[int, str], ...], wanted: LimitsInForce
) -> None:
    found = limits_in_force(CO2, indoors=True, own=own, rules=RULES, places=places)
    assert found == wanted
    bare = limits_in_force(CO2, indoors=True, own=None, rules={}, places=places)
    assert bare == LimitsInForce(CO2.limits, LimitOrigin.QUANTITY)


def test_what_is_set_for_the_site_holds_where_the_quantitys_own_would() -> None:
    rules: dict[tuple[str, int | None], Limits] = {("temperature", None): ON_SITE}
    told = [
        limits_in_force(WARMTH, indoors=indoors, own=None, rules=rules, places=(SHOP,)).limits
        for indoors in (True, False)
    ]
    assert told == [ON_SITE, Limits()]


def test_limits_are_written_in_the_unit_shown() -> None:
    told = DisplayUnit(WARMTH, FAHRENHEIT)
    side = typed_side("raised=77 severe=95", told)
    assert [None if one is None else round(one, 9) for one in side] == [None, 25.0, None, 35.0]
    assert side_text(side, told) == "raised=77 severe=95"


@given(
    st.lists(st.integers(-400, 400), min_size=1, max_size=4, unique=True).map(sorted),
    st.permutations(range(4)),
)
def test_what_is_written_reads_back(limits: list[int], order: list[int]) -> None:
    told = DisplayUnit(CO2, CO2.base)
    levels = sorted(order[: len(limits)])
    side: list[float | None] = [None] * 4
    for level, limit in zip(levels, limits, strict=True):
        side[level] = float(limit)
    first, second, third, fourth = side
    assert typed_side(side_text((first, second, third, fourth), told), told) == tuple(side)


@pytest.mark.parametrize(
    "text", ["800", "raised", "raised=", "raised=1 raised=2", "settled=1", "hot=1", "raised=1,2,3"]
)
def test_what_says_no_limits_is_refused(text: str) -> None:
    with pytest.raises(UsageError):
        typed_side(text, DisplayUnit(CO2, CO2.base))


@pytest.mark.parametrize(
    ("above", "below", "why"),
    [
        ((2.0, 1.0, None, None), NONE, "upper limits rise"),
        ((1.0, 1.0, None, None), NONE, "upper limits rise"),
        (NONE, (1.0, 2.0, None, None), "lower limits fall"),
        ((5.0, None, None, None), (5.0, None, None, None), "begin below"),
    ],
)
def test_an_order_that_cannot_be_is_refused(above: Four, below: Four, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        limits_of(above, below)


def test_presets_can_be_limits_of_their_quantity() -> None:
    for one in LIMIT_PRESETS:
        assert limits_of(one.limits.above, one.limits.below) == one.limits
        assert one.source
        assert not one.quantity or one.quantity in QUANTITIES
    assert "co2-classroom" in [one.name for one in presets_for("co2")]
    assert len({one.name for one in LIMIT_PRESETS}) == len(LIMIT_PRESETS)

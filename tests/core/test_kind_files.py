"""Kinds go into a file and come back the same."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.kinds import KINDS, Field, Kind
from rook_tally.core.registry import QUANTITIES

names = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), min_size=1).filter(
    lambda text: bool(text.strip())
)


@st.composite
def fields(draw: st.DrawFn) -> Field:
    quantity = draw(st.sampled_from(list(QUANTITIES.values())))
    unit = draw(st.sampled_from(quantity.units))
    return Field(draw(names), quantity.slug, unit.symbol)


@given(
    st.from_regex(r"[a-z0-9][a-z0-9-]{0,20}", fullmatch=True), names,
    st.floats(0.1, 1e6), st.lists(fields(), max_size=5, unique_by=lambda one: one.name),
)  # fmt: skip
def test_any_kind_there_and_back(slug: str, name: str, cadence_s: float, made: list[Field]) -> None:
    kind = Kind(slug, name, cadence_s, tuple(made))
    assert kind_from_toml(kind_to_toml(kind)) == kind


@pytest.mark.parametrize("slug", KINDS)
def test_ours_as_well(slug: str) -> None:
    assert kind_from_toml(kind_to_toml(KINDS[slug])) == KINDS[slug]

"""Kinds named by a part: with their source, in units that are known, and never proposed."""

from __future__ import annotations

import pytest

from rook_tally.core.quantities.field_guess import guessed_kind
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS, Kind
from rook_tally.core.quantities.part_kinds import PART_KINDS
from rook_tally.core.quantities.registry import QUANTITIES


@pytest.mark.parametrize("kind", PART_KINDS, ids=lambda one: one.slug)
def test_a_part_says_where_its_accuracies_are_from(kind: Kind) -> None:
    assert KINDS[kind.slug] == kind
    assert "data sheet of the" in kind.source
    assert kind_from_toml(kind_to_toml(kind)) == kind
    for field in kind.fields:
        quantity = QUANTITIES[field.quantity]
        assert quantity.unit(field.unit) is not None
        # Accuracies are in the base unit, which is the one that is sent.
        assert field.unit == quantity.base.symbol
        assert field.accuracy is None or field.accuracy > 0


def test_a_part_is_never_proposed() -> None:
    """What sends temperature and humidity may hold any of them."""
    assert guessed_kind(["temp", "rh"], list(KINDS.values())).slug == "climate"
    assert guessed_kind(["temp", "rh", "pressure"], list(KINDS.values())).slug == "weather-post"
    assert guessed_kind(["co2", "temp", "rh"], list(KINDS.values())).slug == "room-air"

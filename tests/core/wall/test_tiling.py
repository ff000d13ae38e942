"""Panes tile a sheet, whatever is done to them."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.wall.tiling import (
    COLUMNS,
    LEAST_WIDE,
    MOST_PANES,
    ROWS,
    WHOLE,
    Area,
    Side,
    neighbour,
    tiled,
    trouble_of,
    with_edge_moved,
    with_moved,
    with_split,
    with_swapped,
    without,
)

LEFT = Area(0, 0, 8, ROWS)
UPPER = Area(8, 0, 16, 6)
LOWER = Area(8, 6, 16, 6)
THREE = (LEFT, UPPER, LOWER)


def _altered(areas: tuple[Area, ...], data: st.DataObject) -> tuple[Area, ...]:
    """A tiling after one of the things a person can do to it."""
    at = data.draw(st.integers(0, len(areas) - 1))
    side = data.draw(st.sampled_from(Side))
    what = data.draw(st.sampled_from(["edge", "split", "remove", "swap", "move"]))
    other = data.draw(st.integers(0, len(areas) - 1))
    if what == "edge":
        return with_edge_moved(areas, at, side, data.draw(st.integers(-6, 6)))
    if what == "split":
        return with_split(areas, at, side) or areas
    if what == "remove" and len(areas) > 1:
        return without(areas, at)
    if what == "swap":
        return with_swapped(areas, at, other)
    if what == "move" and len(areas) > 1:
        return with_moved(areas, at, other, side) or areas
    return areas


@given(st.data())
def test_whatever_is_done_a_sheet_stays_tiled(data: st.DataObject) -> None:
    areas: tuple[Area, ...] = (WHOLE,)
    for _ in range(data.draw(st.integers(1, 25))):
        areas = _altered(areas, data)
        assert trouble_of(areas) == ""


@given(st.lists(st.floats(0.2, 20), min_size=1, max_size=MOST_PANES))
def test_panes_of_any_weights_are_laid_out_as_a_tiling(weights: list[float]) -> None:
    areas = tiled(weights)
    assert len(areas) == len(weights)
    assert trouble_of(areas) == ""


def test_a_corner_that_is_just_large_enough_holds_its_panes_whatever_they_weigh() -> None:
    # Three of a kind and a heavy one: cut by weight alone, three panes fall to one column.
    corner = Area(0, 0, 2 * LEAST_WIDE + 1, 2)
    for weights in ([1.0, 1.0, 1.0, 3.0], [3.0, 1.0, 1.0, 1.0]):
        assert len(set(tiled(weights, corner))) == 4


def test_more_panes_than_a_sheet_holds_are_refused() -> None:
    assert "at most 40 panes" in trouble_of([Area(0, 0, 2, 1)] * (MOST_PANES + 1))
    with pytest.raises(ValueError, match="do not fit"):
        tiled([1.0] * 5, Area(0, 0, 4, 2))


def test_an_edge_is_moved_for_everybody_who_meets_at_it() -> None:
    assert with_edge_moved(THREE, 0, Side.RIGHT, 2) == (
        Area(0, 0, 10, 12),
        Area(10, 0, 14, 6),
        Area(10, 6, 14, 6),
    )
    assert with_edge_moved(THREE, 1, Side.DOWN, -1)[2] == Area(8, 5, 16, 7)


def test_an_edge_moves_as_far_as_there_is_room_and_never_at_the_sheets_own() -> None:
    assert with_edge_moved(THREE, 0, Side.RIGHT, 99)[0].wide == COLUMNS - LEAST_WIDE
    assert with_edge_moved(THREE, 0, Side.LEFT, 3) == THREE


def test_who_leaves_gives_their_room_to_those_along_a_whole_side() -> None:
    assert without(THREE, 2) == (LEFT, Area(8, 0, 16, 12))
    assert without(THREE, 0) == (Area(0, 0, 24, 6), Area(0, 6, 24, 6))
    assert without((WHOLE,), 0) == ()


def test_a_pane_is_halved_for_a_new_one_on_the_side_that_was_asked_for() -> None:
    assert with_split((WHOLE,), 0, Side.LEFT) == (Area(12, 0, 12, 12), Area(0, 0, 12, 12))
    assert with_split((WHOLE,), 0, Side.DOWN) == (Area(0, 0, 24, 6), Area(0, 6, 24, 6))
    assert with_split((Area(0, 0, 3, 12),), 0, Side.RIGHT) is None


def test_a_pane_is_set_beside_another() -> None:
    assert with_moved(THREE, 0, 2, Side.RIGHT) == (
        Area(12, 6, 12, 6),
        Area(0, 0, 24, 6),
        Area(0, 6, 12, 6),
    )


def test_a_neighbour_is_the_one_that_shares_most_of_a_side() -> None:
    areas = with_edge_moved(THREE, 1, Side.DOWN, 3)
    assert neighbour(areas, 0, Side.RIGHT) == 1
    assert neighbour(areas, 0, Side.UP) is None
    assert neighbour(areas, 2, Side.UP) == 1


@pytest.mark.parametrize(
    ("areas", "why"),
    [
        ((LEFT, UPPER), "nothing stands at column 8, row 6"),
        ((LEFT, UPPER, Area(8, 5, 16, 7)), "panes 2 and 3 overlap"),
        ((Area(0, 0, 25, 12),), "reaches over the sheet"),
        ((Area(0, 0, 23, 12), Area(23, 0, 1, 12)), "pane 2 is smaller than 2 × 1"),
        (
            (
                Area(0, 0, 16, 4),
                Area(16, 0, 8, 8),
                Area(8, 8, 16, 4),
                Area(0, 4, 8, 8),
                Area(8, 4, 8, 4),
            ),
            "sails of a mill",
        ),
    ],
)
def test_what_is_no_tiling_is_said(areas: Any, why: str) -> None:
    assert why in trouble_of(areas)

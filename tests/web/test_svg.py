"""What the page's pictures are drawn from."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.levels import Level
from rook_tally.wall.pane_views import ValueText
from rook_tally.web.svg import arc_path, hand_ends, letters_of, strokes_of, text_width


def test_a_level_has_as_many_strokes_as_it_is_high() -> None:
    assert [len(strokes_of(level, 100.0)) for level in Level] == [0, 1, 2, 3, 4]


@given(st.sampled_from(list(Level)), st.floats(1, 500))
def test_strokes_stand_side_by_side_and_grow_with_the_figure(level: Level, height: float) -> None:
    at = np.array(strokes_of(level, height))
    assert (np.diff(at) > 0).all()
    assert (at < 1.3 * height).all()


@given(st.floats(0, 1))
def test_a_hand_stands_across_its_arc(part: float) -> None:
    x1, y1, x2, y2 = hand_ends(part, 80.0, 110.0)
    assert math.hypot(x1, y1) == pytest.approx(80.0, abs=0.05)
    assert math.hypot(x2, y2) == pytest.approx(110.0, abs=0.05)
    # Over the middle or on the ground line, never under it; from left to right.
    assert y1 <= 0
    assert x2 == pytest.approx(-110 * math.cos(math.pi * part), abs=0.05)


def test_an_arc_goes_from_where_to_where() -> None:
    assert arc_path(0.0, 0.5, 100) == "M-100.00,-0.00 A100,100 0 0 1 0.00,-100.00"


@given(st.text(max_size=40), st.text(max_size=40))
def test_a_text_is_as_wide_as_its_parts(one: str, other: str) -> None:
    assert text_width(one + other) == pytest.approx(text_width(one) + text_width(other))


@given(st.integers(0, 400))
def test_own_words_have_a_size_the_style_sheet_knows(letters: int) -> None:
    size = letters_of(("x" * letters,))
    assert size in range(8, 161, 8)
    assert size >= min(letters, 160)


def test_a_value_among_own_words_counts_with_its_unit() -> None:
    assert letters_of(("Kiln at ", ValueText("153.8", "°C", Level.SETTLED))) == 16

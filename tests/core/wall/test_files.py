"""Sheets on paper: what is written is read back, and what cannot be meant is said."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.wall.definitions import (
    LevelLimits,
    Pane,
    PaneKind,
    WallSheet,
    limits_in_base,
    zones_of,
)
from rook_tally.core.wall.files import sheets_from_toml, sheets_to_toml
from rook_tally.core.wall.texts import TextPart, text_parts
from rook_tally.core.wall.tiling import tiled

_NUMBER = st.floats(-1e6, 1e6).map(lambda x: round(x, 3))
_PANES = st.builds(
    Pane,
    kind=st.sampled_from(PaneKind),
    at=st.just((0, 0)),
    size=st.just((24, 12)),
    shows=st.lists(st.sampled_from(["pm25@glaze-booth", "@quay-gate", "a@b/*"])).map(tuple),
    title=st.text(max_size=10),
    unit=st.sampled_from(["", "°F"]),
    low=st.none() | _NUMBER,
    above=st.none() | st.builds(LevelLimits, raised=_NUMBER),
    span_s=st.sampled_from([600.0, 86_400.0, 7 * 86_400.0]),
    text=st.text(max_size=30),
)
_SHEETS = st.lists(_PANES, min_size=1, max_size=9).map(
    lambda panes: WallSheet(slug="a", name="A", panes=tuple(panes)).with_areas(
        tiled([1] * len(panes))
    )
)


@given(st.lists(_SHEETS, max_size=3))
def test_what_is_written_is_read_back(sheets: list[WallSheet]) -> None:
    assert list(sheets_from_toml(sheets_to_toml(sheets))) == sheets


PANE = """[[sheet]]
slug = "a"
name = "A"
[[sheet.pane]]
kind = "{kind}"
at = [0, 0]
size = {size}
{more}"""


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("format = 2", "newer rook-tally"),
        ("[[", "no TOML"),
        ("[[card]]", "sheets, not card"),
        ("[sheet]", "written as"),
        ("[[sheet]]\nslug='a'", "name"),
        (PANE.format(kind="gauge", size="[24, 12]", more=""), "A: pane 1: Invalid enum"),
        (PANE.format(kind="figure", size="[24, 12]", more="colour = 1"), "there is no colour"),
        (PANE.format(kind="figure", size="[23, 12]", more=""), "nothing stands at column 23"),
        (PANE.format(kind="ribbon", size="[24, 12]", more="span = 'long'"), "no length of time"),
    ],
)
def test_what_cannot_be_meant_is_said_with_its_place(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=r"no sheet was changed|sheet") as told:
        sheets_from_toml(text)
    assert why in str(told.value)


def test_a_text_is_taken_apart_and_a_lone_brace_stands_for_itself() -> None:
    assert text_parts("kiln at {temperature@kiln-room}, {") == (
        TextPart("kiln at "),
        TextPart("temperature@kiln-room", is_reference=True),
        TextPart(", {"),
    )


def test_zones_follow_the_limits_on_both_sides() -> None:
    limits = Limits((None, 25.0, 50.0, None), (None, 5.0, None, None))
    assert set(zones_of(limits, 0.0, 100.0)) == {
        (0.25, 0.5, Level.RAISED),
        (0.5, 1.0, Level.HIGH),
        (0.0, 0.05, Level.RAISED),
    }
    assert zones_of(limits, 10.0, 20.0) == ()
    assert zones_of(limits, 1.0, 1.0) == ()


def test_a_panes_own_limits_stand_before_the_series() -> None:
    own = Limits((None, 25.0, None, None), (None, 5.0, None, None))
    pane = Pane(kind=PaneKind.DIAL, at=(0, 0), size=(24, 12), above=LevelLimits(raised=10.0))
    assert limits_in_base(pane, own, lambda x: x * 2) == Limits(
        (None, 20.0, None, None), (None, 5.0, None, None)
    )
    falling = LevelLimits(raised=10.0, high=5.0)
    with pytest.raises(ValueError, match="must rise"):
        limits_in_base(Pane(kind=PaneKind.DIAL, at=(0, 0), size=(1, 1), above=falling), own, float)

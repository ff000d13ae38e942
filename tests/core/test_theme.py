"""Colours are read in both themes; the law is WCAG 2.2's contrast ratio."""

from __future__ import annotations

import dataclasses
import itertools
import re

import pytest

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import LIGHT, NIGHT, Theme

BOTH = pytest.mark.parametrize("theme", [LIGHT, NIGHT], ids=["light", "night"])
# WCAG 2.2, 1.4.3: text; large text, and 1.4.11: what is drawn.
TEXT, LARGE = 4.5, 3.0


def luminance(colour: str) -> float:
    """WCAG 2.2's relative luminance of an sRGB colour."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    """WCAG 2.2's contrast ratio, 1 to 21."""
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_the_ratio_is_that_of_the_standard() -> None:
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21.0)
    assert contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)


@BOTH
def test_words_are_read_on_every_ground_they_stand_on(theme: Theme) -> None:
    for ground in (theme.paper, theme.sheet, *theme.tints):
        assert contrast(theme.ink, ground) >= 7.0, ground
    for ground in (theme.paper, theme.sheet):
        assert contrast(theme.dim, ground) >= TEXT, ground
    assert contrast(theme.on_night, theme.night) >= 7.0
    assert contrast(theme.on_night_dim, theme.night) >= TEXT
    assert contrast(theme.standing_on_night, theme.night) >= TEXT
    assert contrast(theme.on_sheen, theme.sheen) >= TEXT


@BOTH
@pytest.mark.parametrize("level", [Level.NOTICED, Level.RAISED, Level.HIGH, Level.SEVERE])
def test_a_level_is_seen_on_its_own_tint_and_on_a_sheet(theme: Theme, level: Level) -> None:
    assert contrast(theme.level(level), theme.sheet) >= LARGE
    assert contrast(theme.level(level), theme.tint(level)) >= 2.8


@BOTH
def test_traces_are_seen_and_told_apart(theme: Theme) -> None:
    assert len(set(theme.traces)) == len(theme.traces)
    for trace in theme.traces:
        assert contrast(trace, theme.sheet) >= LARGE, trace


@BOTH
def test_no_two_levels_have_one_colour(theme: Theme) -> None:
    for one, other in itertools.combinations(Level, 2):
        assert theme.level(one) != theme.level(other)


@BOTH
def test_every_role_is_a_colour(theme: Theme) -> None:
    for value in dataclasses.astuple(theme):
        for colour in (value,) if isinstance(value, str) else value:
            assert re.fullmatch(r"#[0-9A-F]{6}", colour)

"""What a control can be told, and when a station has confirmed it."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import Control, ControlKind

SWITCH = Control("on", "On", ControlKind.SWITCH)
FLAP = Control("flap", "Flap", ControlKind.NUMBER, "°", 0, 90)
FAN = Control("fan", "Fan", ControlKind.CHOICE, choices=("auto", "quiet", "off"))
ZERO = Control("zero", "Zero", ControlKind.BUTTON)


@pytest.mark.parametrize(
    ("control", "written", "sent"),
    [
        (SWITCH, "ON", "on"),
        (SWITCH, "true", "on"),
        (SWITCH, "0", "off"),
        (FLAP, "45", "45"),
        (FLAP, " 4.50 ", "4.5"),
        (FLAP, "−0", "-0"),
        (FAN, "Quiet", "quiet"),
        (ZERO, "", "press"),
        (ZERO, "press", "press"),
    ],
)
def test_what_is_sent(control: Control, written: str, sent: str) -> None:
    assert control.value_from(written) == sent


@pytest.mark.parametrize(
    ("control", "written", "how"),
    [
        (SWITCH, "perhaps", "on or off"),
        (FLAP, "91", "a number from 0 to 90 °"),
        (FLAP, "nan", "a number from 0 to 90 °"),
        (FLAP, "half", "a number from 0 to 90 °"),
        (FAN, "loud", "auto or quiet or off"),
        (ZERO, "twice", "press"),
    ],
)
def test_what_cannot_be_sent_says_how_it_can(control: Control, written: str, how: str) -> None:
    with pytest.raises(UsageError) as refused:
        control.value_from(written)
    assert refused.value.remedy == how
    assert refused.value.kept == "nothing was asked"


@pytest.mark.parametrize(
    ("low", "high", "words"),
    [
        (-math.inf, math.inf, "any number of s"),
        (0, math.inf, "a number from 0 s"),
        (-math.inf, 60, "a number up to 60 s"),
    ],
)
def test_a_number_without_ends(low: float, high: float, words: str) -> None:
    assert Control("n", "N", ControlKind.NUMBER, "s", low, high).allowed == words


@given(st.floats(0, 90))
def test_a_number_comes_back_as_it_went(value: float) -> None:
    sent = FLAP.value_from(str(value))
    assert FLAP.is_confirmed_by(sent, sent)
    assert float(sent) == pytest.approx(value, rel=1e-11)


def test_what_confirms() -> None:
    assert SWITCH.is_confirmed_by("on", "true")
    assert not SWITCH.is_confirmed_by("on", "off")
    assert FLAP.is_confirmed_by("45", "45.1")
    assert not FLAP.is_confirmed_by("45", "46")
    assert not FLAP.is_confirmed_by("45", "closed")
    assert ZERO.is_confirmed_by("press", "done")

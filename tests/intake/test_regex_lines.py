"""Lines in nobody's form, read by a pattern made by example."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.intake.decode import DecodeSettings, decoded
from rook_tally.intake.decode.regex_lines import decode, line_pattern_from, pattern_by_example
from rook_tally.intake.message import Message


def values(line: str, pattern: str) -> dict[str, object]:
    return {one.field: one.value for one in decode(line, line_pattern_from(pattern)).items}


def test_a_pattern_by_example_names_numbers_by_the_word_before_them() -> None:
    pattern = pattern_by_example(["T: 21.5 C  RH: 40 %", "T: -3 C  RH: 9.5 %"], {})
    assert pattern.fields == ("t", "rh")
    assert values("T: 19.25 C  RH: 55 %", pattern.text) == {"t": 19.25, "rh": 55.0}


def test_a_persons_names_go_before_the_words_in_the_line() -> None:
    pattern = pattern_by_example(["A1 17.3;902", "A1 17.4;899"], {2: "temp", 3: "co2"})
    assert values("A1 18.0;1200", pattern.text) == {"a": 1.0, "temp": 18.0, "co2": 1200.0}


@given(
    st.lists(
        st.floats(-1e6, 1e6, allow_nan=False).map(lambda value: round(value, 3)),
        min_size=1,
        max_size=6,
    )
)
def test_what_made_a_pattern_is_read_by_it(numbers: list[float]) -> None:
    line = "  ".join(f"ch = {number:.3f}" for number in numbers)
    pattern = pattern_by_example([line], {})
    assert list(values(line, pattern.text).values()) == pytest.approx(numbers)


def test_lines_of_two_sorts_make_no_pattern() -> None:
    with pytest.raises(UsageError, match="1 of 2 lines are not like"):
        pattern_by_example(["T=1", "booting 3"], {})


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("(", "is no pattern"),
        ("[0-9]+", "names no field"),
        (r"(?P<x>a)(?=b)", "nothing may look ahead"),
        ("x" * 2000, "more than 1000 characters"),
    ],
)
def test_what_is_no_pattern(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        line_pattern_from(text)


def test_a_line_that_does_not_fit_says_so() -> None:
    hints = DecodeSettings(pattern=line_pattern_from(r"T=(?P<temp>[-\d.]+)"))
    with pytest.raises(DecodeError, match="does not fit the pattern"):
        decoded(Message("serial", "/dev/x", b"booting", 0), hints)


def test_values_below_a_topics_field() -> None:
    def read(body: bytes) -> dict[str, object]:
        message = Message("mqtt", "a/b", body, 0)
        return {one.field: one.value for one in decoded(message, DecodeSettings("air")).items}

    assert read(b"21.5") == {"air": 21.5}
    assert read(b"on") == {"air": "on"}
    assert read(b'{"temp": 20, "rh": 50}') == {"air.temp": 20.0, "air.rh": 50.0}
    assert read(b'{"value": 20}') == {"air": 20.0}
    with pytest.raises(DecodeError):
        read(b"[1, 2]")
    with pytest.raises(DecodeError):
        read(b"")


def test_values_by_pointer() -> None:
    message = Message("poll", "http://x", b'{"air": [{"t": 20.5}], "a/b": {"m~n": 3}}', 0)
    hints = DecodeSettings(pointers={"temp": "/air/0/t", "odd": "/a~1b/m~0n", "gone": "/air/7"})
    read = decoded(message, hints)
    assert {one.field: one.value for one in read.items} == {"temp": 20.5, "odd": 3.0}
    assert [one.why for one in read.refused] == ["gone: nothing is at /air/7"]
    with pytest.raises(DecodeError, match="nothing is at /x"):
        decoded(message, DecodeSettings(pointers={"x": "/x"}))

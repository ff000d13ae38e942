"""What a person types is read by the mark that figures are shown with, or refused."""

from __future__ import annotations

import math
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import figure, write_with
from rook_tally.core.quantities.number_input import number_and_unit, number_text, typed_number


@pytest.fixture(autouse=True)
def point() -> Iterator[None]:
    yield
    write_with(".")


@pytest.mark.parametrize(
    ("mark", "text", "number"),
    [
        (".", "1,000", 1000),
        (".", "1 000", 1000),
        (".", "1\u2009000", 1000),
        (".", "1\u202f234\u202f567.25", 1234567.25),
        (".", "1,000.5", 1000.5),
        (".", "1,5", 1.5),
        (".", "0,125", 0.125),
        (".", "−1.2", -1.2),
        (".", "1.23457e+06", 1234570),
        (".", ".5", 0.5),
        (".", "7.", 7),
        (".", " +3 ", 3),
        (",", "1,000", 1),
        (",", "1.000", 1000),
        (",", "1.000,5", 1000.5),
        (",", "1.5", 1.5),
        (",", "1 000,5", 1000.5),
        (",", "1'000,5", 1000.5),
        (",", "−0,5", -0.5),
    ],
)
def test_numbers_as_they_are_typed(mark: str, text: str, number: float) -> None:
    write_with(mark)
    assert typed_number(text) == number


@pytest.mark.parametrize("mark", [".", ","])
@pytest.mark.parametrize(
    "text",
    [
        "",
        "x",
        "1..5",
        "1,2,3",
        "1 00",
        "12 34",
        "1.5.5",
        "nan",
        "inf",
        "--1",
        "1e999",
        "5 µg",
        "1 0",
    ],
)
def test_what_is_none_is_refused(mark: str, text: str) -> None:
    write_with(mark)
    with pytest.raises(UsageError, match="is no number|could be read as two numbers"):
        typed_number(text)


def test_the_other_marks_way_round_is_refused() -> None:
    with pytest.raises(UsageError, match=r"'1.000,5' could be read as two numbers"):
        typed_number("1.000,5")
    write_with(",")
    with pytest.raises(UsageError):
        typed_number("1,000.5")


@pytest.mark.parametrize(
    ("text", "number", "unit"),
    [("1,5 h", 1.5, "h"), ("25µg/m³", 25, "µg/m³"), ("−3 °C", -3, "°C"), ("2 h 3", 2, "h 3")],
)
def test_a_number_with_its_unit(text: str, number: float, unit: str) -> None:
    assert number_and_unit(text) == (number, unit)


@given(st.floats(-1e14, 1e14), st.sampled_from(".,"))
def test_a_number_written_for_typing_is_read_back(value: float, mark: str) -> None:
    write_with(mark)
    assert math.isclose(typed_number(number_text(value)), value, rel_tol=1e-11, abs_tol=1e-300)


@given(st.floats(-1e9, 1e9), st.integers(0, 4), st.sampled_from(".,"))
def test_a_figure_as_shown_typed_back_is_the_same_figure(
    value: float, decimals: int, mark: str
) -> None:
    write_with(mark)
    assert figure(typed_number(figure(value, decimals)), decimals) == figure(value, decimals)

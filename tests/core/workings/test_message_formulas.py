"""Formulas over the numbers of one message, and messages read by a layout that has some."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    LayoutField,
    LayoutFormula,
    LayoutRepeat,
    NumberType,
    layout_from_table,
    layout_table,
)
from rook_tally.core.quantities.layout_reading import LayoutError
from rook_tally.core.workings.message_formulas import MessageReader, formulas_of, value_of
from rook_tally.core.workings.parsing import parsed

RAW = LayoutField(name="_raw", at=0, kind=NumberType.U8, nothing=(255,))


@pytest.mark.parametrize(
    ("formula", "value"),
    [
        ("a * 2 + b / 4", 22.0),
        ("-(a - b) ^ 2", -4.0),
        ("if a > 9 and not b = 3 then a else b", 10.0),
        ("sqrt(a + 6) + abs(-b) + round(b / 5)", 14.0),
        ("ln(exp(b)) + log10(100)", 10.0),
        # What is missing, or cannot be reckoned, is nothing.
        ("a + c", math.nan),
        ("a / (b - 8)", math.nan),
        ("ln(0 - b)", math.nan),
        ("exp(a ^ b)", math.nan),
        ("(0 - a) ^ 0.5", math.nan),
        ("if c > 1 then a else b", math.nan),
        ("not c", math.nan),
    ],
)
def test_a_formula_over_a_message(formula: str, value: float) -> None:
    told = value_of(parsed(formula), {"a": 10.0, "b": 8.0})
    assert told == pytest.approx(value, nan_ok=True)


def _layout(*formulas: tuple[str, str], repeat: LayoutRepeat | None = None) -> ByteLayout:
    return ByteLayout(
        field=(RAW,),
        formula=tuple(LayoutFormula(name=name, text=text) for name, text in formulas),
        repeat=repeat,
    )


def test_each_value_with_those_of_its_own_moment() -> None:
    layout = _layout(
        ("temp", "_raw / 2 - 20"), ("hot", "temp > 30"), repeat=LayoutRepeat(bytes=1, back=60)
    )
    assert layout_from_table(layout_table(layout)) == layout
    told = [(one.name, one.value, one.back_s) for one in MessageReader(layout).one(b"\x78\x50\xff")]
    assert told == [
        ("temp", 40.0, 0.0),
        ("hot", 1.0, 0.0),
        ("temp", 20.0, 60.0),
        ("hot", 0.0, 60.0),
    ]


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("_raw +", r"formula t: at its end: the formula ends too early"),
        ("_raw + later", r"at later: no field before it is called later"),
        ("co2@shop", "only the numbers of the message"),
        ("_raw 1 h ago", "only the numbers of the message|cannot stand here"),
        ("piecewise_score(_raw, 1, 2)", "is not for one number"),
    ],
)
def test_what_cannot_be_meant_is_said_with_its_place(text: str, why: str) -> None:
    layout = _layout(("t", text))
    with pytest.raises(UsageError, match=why):
        formulas_of(layout)
    # One that came into the store all the same ends nothing: its messages say why.
    with pytest.raises(LayoutError, match="formula t"):
        MessageReader(layout).one(b"\x01")


@given(
    text=st.recursive(
        st.sampled_from(["a", "b", "c", "1", "0", "2.5"]),
        lambda inner: st.one_of(
            st.builds("({} {} {})".format, inner, st.sampled_from("+-*/^<>="), inner),
            st.builds("(if {} then {} else {})".format, inner, inner, inner),
            st.builds(
                "{}({})".format, st.sampled_from(["sqrt", "ln", "exp", "round", "abs"]), inner
            ),
        ),
        max_leaves=12,
    ),
    a=st.floats(allow_nan=False),
    b=st.floats(allow_nan=False),
)
def test_whatever_it_is_it_is_a_number_or_nothing(text: str, a: float, b: float) -> None:
    assert isinstance(value_of(parsed(text), {"a": a, "b": b}), float | int)

"""Remarks: what they may be, when they touch a window, and in which rows spans are drawn."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.remarks import LONGEST_TEXT, SHADES, Remark, rows_of_spans


@pytest.mark.parametrize(
    ("text", "end_us", "shade", "told"),
    [
        ("   ", None, 0, "needs some words"),
        ("x" * (LONGEST_TEXT + 1), None, 0, "too long"),
        ("fired", 100, 0, "ends after it begins"),
        ("fired", 50, 0, "ends after it begins"),
        ("fired", None, SHADES, "no colour 6"),
    ],
)
def test_what_cannot_be_a_remark(text: str, end_us: int | None, shade: int, told: str) -> None:
    with pytest.raises(UsageError, match=told):
        Remark(text, 100, end_us, shade)


def test_a_pin_touches_the_windows_it_lies_in_and_a_span_those_it_reaches_into() -> None:
    pin, span = Remark("door opened", 100), Remark("soft clay", 100, 200)
    assert pin.touches(100, 101)
    assert not pin.touches(0, 100)
    assert not pin.touches(101, 200)
    assert span.touches(150, 160)
    assert span.touches(0, 101)
    assert not span.touches(201, 300)


spans = st.lists(
    st.builds(
        lambda start, length: Remark("span", start, start + length),
        st.integers(0, 500),
        st.integers(1, 200),
    ),
    max_size=20,
).map(lambda found: sorted(found, key=lambda one: one.start_us))


@given(spans)
def test_no_span_covers_another_of_its_row(found: list[Remark]) -> None:
    ends: dict[int, int] = {}
    for one, row in zip(found, rows_of_spans(found), strict=True):
        assert ends.get(row, 0) <= one.start_us
        assert one.end_us is not None
        ends[row] = one.end_us
    # No more rows than spans lie over one another somewhere.
    most = max(
        (sum(a.start_us <= b.start_us < (a.end_us or 0) for a in found) for b in found), default=0
    )
    assert len(ends) <= most

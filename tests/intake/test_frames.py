"""Messages of bytes cut out of a stream, however it comes and whatever stands between."""

from __future__ import annotations

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    BytesText,
    CheckKind,
    LayoutField,
    LayoutRepeat,
    NumberType,
)
from rook_tally.core.quantities.layout_reading import checks_of
from rook_tally.intake.decode.frames import FrameSplitter, can_be_cut

FIELD = LayoutField(name="temp", at=1, kind=NumberType.I16, scale=0.01)
PLAIN = ByteLayout(field=(FIELD,), begins="42", check=CheckKind.CRC8)


def frame(value: int) -> bytes:
    body = b"\x42" + struct.pack(">h", value)
    return body + bytes([int(checks_of(np.frombuffer(body, np.uint8)[None, :], CheckKind.CRC8)[0])])


def _cut(layout: ByteLayout, stream: bytes, sizes: list[int]) -> list[bytes]:
    splitter, found, at = FrameSplitter(layout), list[bytes](), 0
    for size in [*sizes, len(stream)]:
        found += splitter.feed(stream[at : at + size])
        at += size
    return found


@given(
    values=st.lists(st.integers(-500, 9000), max_size=8),
    noise=st.lists(
        st.binary(max_size=9).map(lambda one: one.replace(b"\x42", b"\0")), min_size=9, max_size=9
    ),
    sizes=st.lists(st.integers(0, 7), max_size=30),
)
def test_whatever_stands_between_and_however_it_comes(
    values: list[int], noise: list[bytes], sizes: list[int]
) -> None:
    parts = [noise[0]]
    for at, value in enumerate(values, start=1):
        parts += [frame(value), noise[at]]
    assert _cut(PLAIN, b"".join(parts), sizes) == list(map(frame, values))


@given(stream=st.binary(max_size=200), sizes=st.lists(st.integers(0, 9), max_size=30))
def test_any_stream_is_cut_the_same_in_any_pieces(stream: bytes, sizes: list[int]) -> None:
    assert _cut(PLAIN, stream, sizes) == _cut(PLAIN, stream, [])


def test_half_a_message_costs_that_one_alone() -> None:
    broken = frame(100)[:2] + frame(200) + frame(300)
    assert _cut(PLAIN, broken, [1, 3, 2]) == [frame(200), frame(300)]
    # A byte that came otherwise than it was sent: its check does not hold.
    flipped = bytearray(frame(100) + frame(200))
    flipped[1] ^= 4
    assert _cut(PLAIN, bytes(flipped), []) == [frame(200)]


def test_what_fits_nothing_is_kept_to_be_looked_at_and_no_more() -> None:
    splitter = FrameSplitter(PLAIN)
    for _ in range(1000):
        assert splitter.feed(b"warm" * 100) == []
    assert bytes(splitter.noise[:8]) == b"warmwarm"
    assert len(splitter.noise) <= 64
    assert splitter.feed(frame(7)) == [frame(7)]
    assert not splitter.noise


@pytest.mark.parametrize(
    ("layout", "can"),
    [
        (PLAIN, True),
        (ByteLayout(field=(FIELD,), begins="42"), True),
        (ByteLayout(field=(FIELD,)), False),
        (ByteLayout(field=(FIELD,), begins="42", text=BytesText.HEX), False),
        (ByteLayout(field=(FIELD,), begins="42", at="/payload"), False),
        (ByteLayout(field=(FIELD,), begins="42", repeat=LayoutRepeat(bytes=2, back=60)), False),
        (
            ByteLayout(
                field=(FIELD,), begins="42", length=9, repeat=LayoutRepeat(bytes=2, back=60)
            ),
            True,
        ),
        (None, False),
    ],
    ids=range(8),
)
def test_which_can_be_told_apart(layout: ByteLayout | None, can: bool) -> None:
    assert can_be_cut(layout) is can

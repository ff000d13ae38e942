"""Moments as texts are those that NumPy writes."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.time_texts import digits_of, utc_texts

FIRST, LAST = -62_135_596_800_000_000, 253_402_300_799_999_999


@given(st.lists(st.integers(FIRST, LAST), max_size=20))
def test_texts_are_those_of_numpy(moments: list[int]) -> None:
    time_us = np.array(moments, dtype=np.int64)
    bare = np.datetime_as_string(time_us.astype("datetime64[us]"), unit="us")
    assert utc_texts(time_us) == [f"{one}Z" for one in bare.tolist()]


def test_a_moment() -> None:
    assert utc_texts(np.array([1_795_444_328_000_001])) == ["2026-11-23T14:32:08.000001Z"]


@given(st.lists(st.integers(0, 10**16 - 1), min_size=1, max_size=20))
def test_digits_are_those_of_the_numbers(numbers: list[int]) -> None:
    told = digits_of(np.array(numbers, dtype=np.int64), 16).tobytes().decode()
    assert [told[at : at + 16] for at in range(0, len(told), 16)] == [
        f"{one:016}" for one in numbers
    ]

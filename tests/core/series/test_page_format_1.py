"""Pages of format 1, as stores of older programs hold them: read for ever."""

from __future__ import annotations

import base64

import numpy as np
import pytest

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.page_codec import decode, decode_many, encode
from rook_tally.core.series.readings import Readings, joined, readings_from

BEGIN_US = 1_790_000_000_000_000
# Written by the program that had format 1, and by nothing since.
OLD: dict[str, tuple[str, Readings]] = {
    "even": (
        "UlRwZwEAAhgGAAAAAOAl2v5bBgAAh5MDAAAAABQAAAB4XrvAxfBR7jk7A8N/hv8AHhoE1g==",
        readings_from(
            [BEGIN_US + at * 60_000_000 for at in range(6)],
            [20.0, 20.1, 20.1, 19.95, 20.25, 20.0],
            [0] * 6,
        ),
    ),
    "jitter": (
        "UlRwZwEAAwQFAAAAAOAl2v5bBgBt1pMDAAAAABkAAAB4XvvHcLmmk2Hilv8Mav//M7D/BwBHEAhFGwAAAHheC1nD"
        "ePneJ16G1GX/GRh4PgMJhv8AYBUIuQ0AAAB4XmNgYGRgAgAACgAE",
        readings_from(
            [
                BEGIN_US,
                BEGIN_US + 59_990_123,
                BEGIN_US + 120_010_456,
                BEGIN_US + 299_999_000,
                BEGIN_US + 360_000_001,
            ],
            [-3.5, 0.0, 1e-3, 812.5, 3.25],
            [0, 0, 1, 0, 2],
        ),
    ),
    "raw": (
        "UlRwZwEA/wEDAAAAAOAl2v5bBgD7n3JOGAkAABcAAAB4XuNiSGDoZdjI8JzhG8N/IAQAJmwFhCAAAAB4XpNgmKPL"
        "UOrCwBDC0PGbwUaR4Qkng7lDQx0ARY0GMQ==",
        readings_from(
            [BEGIN_US, BEGIN_US + 5, BEGIN_US + 10**13], [3.141592653589793, -0.0, 1e300], [0, 0, 0]
        ),
    ),
    "lone": (
        "UlRwZwEAARgBAAAAAOAl2v5bBgAAAAAAAAAAAAoAAAB4XtNlAAAAXAAu",
        readings_from([BEGIN_US], [4.5], [0]),
    ),
}


def _same(one: Readings, other: Readings) -> bool:
    return (
        one.time_us.tolist() == other.time_us.tolist()
        and one.value.tobytes() == other.value.tobytes()
        and one.quality.tolist() == other.quality.tolist()
    )


@pytest.mark.parametrize("name", OLD)
def test_a_page_of_an_older_program_is_read_to_the_last_bit(name: str) -> None:
    text, readings = OLD[name]
    assert _same(decode(base64.b64decode(text)), readings)


def test_old_pages_are_read_together_and_among_new_ones() -> None:
    old = [base64.b64decode(text) for text, _ in OLD.values()]
    several = [readings for _, readings in OLD.values()]
    assert _same(decode_many(old), joined(several))
    new = [encode(one) for one in several]
    mixed = [page for pair in zip(old, new, strict=True) for page in pair]
    assert _same(decode_many(mixed), joined([one for one in several for _ in range(2)]))


def test_a_damaged_old_page_is_refused_in_words() -> None:
    payload = base64.b64decode(OLD["even"][0])
    with pytest.raises(DamagedPageError, match="page"):
        decode(payload[:-3])


def test_a_page_is_smaller_than_it_was() -> None:
    """A day at 10 s with 20 ms of noise: 2.8 bytes a reading then."""
    rng = np.random.default_rng(1)
    count = 8_640
    times = BEGIN_US + np.arange(count) * 10_000_000 + rng.normal(0, 20_000, count).astype(np.int64)
    values = np.round(20 + np.cumsum(rng.normal(0, 0.004, count)), 2)
    page = encode(readings_from(np.sort(times), values))
    assert len(page) < 2.4 * count

"""Pictures of plans, judged by their headers alone."""

from __future__ import annotations

import struct

import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import MOST_BYTES, checked_mark, checked_picture
from tests.builders import picture

# SOI, an application segment, then the start of a frame of 30 × 20.
JPEG = b"\xff\xd8\xff\xe0\x00\x04ab\xff\xc0\x00\x0b\x08" + struct.pack(">HH", 20, 30) + b"\x01" * 6


def test_the_size_of_a_picture_is_in_its_header() -> None:
    told = checked_picture(picture(30, 20))
    assert (told.media, told.width, told.height) == ("image/png", 30, 20)
    told = checked_picture(JPEG)
    assert (told.media, told.width, told.height) == ("image/jpeg", 30, 20)


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (b"", "no PNG"),
        (b"GIF89a", "no PNG"),
        (b"\x89PNG\r\n\x1a\n", "no PNG"),
        (b"\xff\xd8\xff", "no PNG"),
        (picture(2401, 1), "too large"),
        (picture(3, 3) + bytes(MOST_BYTES), "too large"),
        # A bomb: a small file that says it unpacks to gigabytes.
        (picture(3, 3)[:16] + struct.pack(">II", 60_000, 60_000) + bytes(80), "too large"),
    ],
)
def test_what_is_none_or_too_large_is_said(body: bytes, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        checked_picture(body)


def test_nothing_hangs_beside_a_plan() -> None:
    assert checked_mark(0, 1) == (0, 1)
    with pytest.raises(UsageError, match="beside"):
        checked_mark(0.5, 1.01)

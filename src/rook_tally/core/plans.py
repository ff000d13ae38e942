"""Plans: pictures of floors or of the plot, and where on them stations hang."""

from __future__ import annotations

import struct
from collections.abc import Mapping

import msgspec

from rook_tally.core.errors import UsageError

MOST_BYTES = 1_500_000
MOST_SIDE = 2_400
"""Pictures are brought to this before they are kept: bytes, and pixels of their longer side."""
_KEPT = "nothing was changed"
_PNG, _JPEG = b"\x89PNG\r\n\x1a\n", b"\xff\xd8"
# Start of frame of every kind of JPEG (ITU-T T.81, table B.1), but DHT, JPG and DAC.
_FRAMES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}


class KeptPicture(msgspec.Struct, frozen=True):
    """A picture as it is kept: a PNG or a JPEG, and its size in pixels."""

    body: bytes
    media: str
    width: int
    height: int


class Plan(msgspec.Struct, frozen=True):
    """A plan. `marks` are where stations hang on it, by their ids: shares of its width and height
    from its upper left corner."""

    id: int
    name: str
    picture_id: int
    width: int
    height: int
    marks: Mapping[int, tuple[float, float]] = msgspec.field(default_factory=dict)


def checked_picture(body: bytes) -> KeptPicture:
    """A picture that may be kept, by what its header says; nothing of it is unpacked.

    Raises
    ------
    UsageError
        When it is no PNG or JPEG, or larger than what is kept.
    """
    size = _png_size(body) if body.startswith(_PNG) else _jpeg_size(body)
    if size is None:
        raise UsageError("that is no PNG and no JPEG", kept=_KEPT, remedy="give another picture")
    width, height = size
    if len(body) > MOST_BYTES or max(size) > MOST_SIDE or min(size) < 1:
        raise UsageError(
            f"a picture of {width} × {height} and {len(body) / 1e6:.1f} MB is too large",
            kept=_KEPT,
            remedy=f"at most {MOST_SIDE} pixels a side and {MOST_BYTES / 1e6:g} MB are kept",
        )
    return KeptPicture(body, "image/png" if body.startswith(_PNG) else "image/jpeg", width, height)


def checked_mark(x: float, y: float) -> tuple[float, float]:
    """Where something hangs, again.

    Raises
    ------
    UsageError
        When that lies beside the plan.
    """
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise UsageError(
            f"{x:g}, {y:g} lies beside the plan",
            kept=_KEPT,
            remedy="give shares of its width and height, from 0 to 1, such as 0.25,0.6",
        )
    return x, y


def _png_size(body: bytes) -> tuple[int, int] | None:
    if len(body) < 24 or body[12:16] != b"IHDR":
        return None
    width, height = struct.unpack(">II", body[16:24])
    return width, height


def _jpeg_size(body: bytes) -> tuple[int, int] | None:
    if not body.startswith(_JPEG):
        return None
    at = 2
    while at + 9 < len(body) and body[at] == 0xFF:
        marker, length = body[at + 1], struct.unpack(">H", body[at + 2 : at + 4])[0]
        if marker in _FRAMES:
            height, width = struct.unpack(">HH", body[at + 5 : at + 9])
            return width, height
        at += 2 + max(length, 2)
    return None

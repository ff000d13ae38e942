"""Moments as texts, in whole arrays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import TimeArray
from rook_tally.core.timestamps import DAY_US, SECOND_US

_PAIRS = np.frombuffer("".join(f"{at:02}" for at in range(100)).encode(), np.uint16)
_WIDTH = len("2026-11-23T14:32:08.000000Z")


def utc_texts(time_us: TimeArray) -> list[str]:
    """Moments as RFC 3339 has them, in UTC, to the microsecond.

    Parameters
    ----------
    time_us : (N,) int64
        From the year 0 to 9999.
    """
    text = utc_bytes(time_us).tobytes().decode("ascii")
    return [text[at : at + _WIDTH] for at in range(0, len(text), _WIDTH)]


def utc_bytes(time_us: TimeArray) -> NDArray[np.uint8]:
    """The same as letters: (N, 27)."""
    day, rest = np.divmod(time_us, DAY_US)
    days, which = np.unique(day, return_inverse=True)
    dates = np.datetime_as_string(days.astype("datetime64[D]"), unit="D").astype("S10")
    second, micro = np.divmod(rest, SECOND_US)
    minute, second = np.divmod(second, 60)
    hour, minute = np.divmod(minute, 60)
    told = np.empty((len(time_us), _WIDTH), np.uint8)
    told[:, :10] = dates.view(np.uint8).reshape(-1, 10)[which]
    clock = digits_of(hour * 10_000 + minute * 100 + second, 6)
    for at in (0, 2, 4):
        told[:, 11 + at * 3 // 2 : 13 + at * 3 // 2] = clock[:, at : at + 2]
    told[:, 20:26] = digits_of(micro, 6)
    for at, sign in ((10, "T"), (13, ":"), (16, ":"), (19, "."), (26, "Z")):
        told[:, at] = ord(sign)
    return told


def digits_of(number: TimeArray, width: int) -> NDArray[np.uint8]:
    """Numbers that are not negative in so many digits, an even number: (N, width) letters."""
    pairs = np.empty((len(number), width // 2), np.uint16)
    rest = number
    for at in range(width // 2 - 1, -1, -1):
        rest, pair = np.divmod(rest, 100)
        pairs[:, at] = _PAIRS[pair]
    return pairs.view(np.uint8)

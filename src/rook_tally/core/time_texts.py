"""Moments as texts, in whole arrays."""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import IntArray, TimeArray
from rook_tally.core.timestamps import DAY_US, SECOND_US

_TWO = np.frombuffer("".join(f"{at:02}" for at in range(100)).encode(), np.uint16)
_FOUR = np.stack((np.repeat(_TWO, 100), np.tile(_TWO, 100)), axis=1).view(np.uint32).ravel()
_WIDTH = len("2026-11-23T14:32:08.000000Z")
# A row whose columns are written whole: letter by letter it takes ten times as long.
_ROW = np.dtype(
    {
        "names": ["date", "clock", "high", "low"],
        "formats": ["V10", "u8", "u4", "u2"],
        "offsets": [0, 11, 20, 24],
        "itemsize": _WIDTH,
    }
)
_SIGNS = np.frombuffer(b"0000-00-00T00:00:00.000000Z", np.uint8)


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
    told = np.empty((len(time_us), _WIDTH), np.uint8)
    told[:] = _SIGNS
    rows = told.view(_ROW).ravel()
    # Divisions by a number are done many at a time; `divmod` is not.
    day = time_us // DAY_US
    rest = time_us - day * DAY_US
    rows["date"] = _dates(day)
    second = rest // SECOND_US
    rows["clock"] = _clocks()[second]
    micro = rest - second * SECOND_US
    high = micro // 100
    rows["high"] = _FOUR[high]
    rows["low"] = _TWO[micro - high * 100]
    return told


def _dates(day: IntArray) -> NDArray[np.void]:
    """Days since 1970 as ten letters: (N,). Each run of a day is put into words once."""
    if not len(day):
        return np.empty(0, "V10")
    begins = np.ones(len(day), np.bool_)
    np.not_equal(day[1:], day[:-1], out=begins[1:])
    text = np.datetime_as_string(day[begins].astype("datetime64[D]"), unit="D").astype("S10")
    dates: NDArray[np.void] = text.view("V10")[np.cumsum(begins) - 1]
    return dates


@functools.cache
def _clocks() -> NDArray[np.uint64]:
    """The letters of every second of a day, as 14:32:08: (86400,)."""
    told = np.full((24, 60, 60, 8), ord(":"), np.uint8)
    told[..., 0:2] = _TWO[:24].view(np.uint8).reshape(24, 1, 1, 2)
    told[..., 3:5] = _TWO[:60].view(np.uint8).reshape(1, 60, 1, 2)
    told[..., 6:8] = _TWO[:60].view(np.uint8).reshape(1, 1, 60, 2)
    return told.reshape(-1, 8).view(np.uint64).ravel()


def digits_of(number: TimeArray, width: int) -> NDArray[np.uint8]:
    """Numbers that are not negative in so many digits, a multiple of four: (N, width) letters."""
    letters = np.empty((len(number), width // 4), np.uint32)
    rest = number
    for at in range(width // 4 - 1, -1, -1):
        above = rest // 10_000
        letters[:, at] = _FOUR[rest - above * 10_000]
        rest = above
    return letters.view(np.uint8)

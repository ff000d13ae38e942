"""Moments as texts, in whole arrays."""

from __future__ import annotations

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
        "names": ["date", "hour", "minute", "second", "high", "middle", "low"],
        "formats": ["V10", "u2", "u2", "u2", "u2", "u2", "u2"],
        "offsets": [0, 11, 14, 17, 20, 22, 24],
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
    minute = second // 60
    hour = minute // 60
    rows["hour"] = _TWO[hour]
    rows["minute"] = _TWO[minute - hour * 60]
    rows["second"] = _TWO[second - minute * 60]
    micro = rest - second * SECOND_US
    middle = micro // 100
    high = middle // 100
    rows["high"] = _TWO[high]
    rows["middle"] = _TWO[middle - high * 100]
    rows["low"] = _TWO[micro - middle * 100]
    return told


def _dates(day: IntArray) -> NDArray[np.void]:
    """Days since 1970 as ten letters: (N,). Each run of a day is put into words once."""
    if not len(day):
        return np.empty(0, "V10")
    begins = np.append(True, day[1:] != day[:-1])
    text = np.datetime_as_string(day[begins].astype("datetime64[D]"), unit="D").astype("S10")
    dates: NDArray[np.void] = text.view("V10")[np.cumsum(begins) - 1]
    return dates


def digits_of(number: TimeArray, width: int) -> NDArray[np.uint8]:
    """Numbers that are not negative in so many digits, a multiple of four: (N, width) letters."""
    letters = np.empty((len(number), width // 4), np.uint32)
    rest = number
    for at in range(width // 4 - 1, -1, -1):
        above = rest // 10_000
        letters[:, at] = _FOUR[rest - above * 10_000]
        rest = above
    return letters.view(np.uint8)

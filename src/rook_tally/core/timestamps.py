"""Moments as int64 microseconds UTC, and their two written forms (RFC 3339, epoch numbers)."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta, tzinfo

SECOND_US = 1_000_000
MINUTE_US = 60 * SECOND_US
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_LONGEST_QUOTED = 40
_LATEST = datetime(9999, 12, 31, tzinfo=UTC)

# Above the first, an epoch number cannot be meant in seconds (that would be the year 5138);
# above the second it cannot be meant in milliseconds.
_SECONDS_END = 1e11
# Seconds between these (1970 to 2096) are what nearly every sender gives.
_ORDINARY_BEGINS, _ORDINARY_ENDS = 0, 4e9
_MILLISECONDS_END = 1e14


def time_us_from_datetime(moment: datetime) -> int:
    """Microseconds UTC of an aware datetime, without going through a float."""
    return (moment - _EPOCH) // timedelta(microseconds=1)


def datetime_from_time_us(time_us: int) -> datetime:
    """The aware UTC datetime of a moment. OverflowError past the year 9999."""
    return _EPOCH + timedelta(microseconds=int(time_us))


def rfc3339(time_us: int) -> str:
    """A moment in RFC 3339, UTC, with microseconds: `2026-11-23T14:32:08.000000Z`."""
    return datetime_from_time_us(time_us).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def time_us_from_text(text: str, zone: tzinfo = UTC) -> int:
    """A moment from RFC 3339 text; without an offset it is a local time of `zone`.

    Raises
    ------
    ValueError
        When the text is no such time; its message quotes the text.
    """
    written = text.strip()
    # RFC 3339 allows a small `z` as well, and Python does not.
    if written.endswith("z"):
        written = f"{written[:-1]}Z"
    try:
        moment = datetime.fromisoformat(written)
    except ValueError:
        told = text if len(text) <= _LONGEST_QUOTED else text[: _LONGEST_QUOTED - 1] + "…"
        raise ValueError(f"{told!r} is not a time such as 2026-11-23T14:32:08Z") from None
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=zone)
    try:
        return time_us_from_datetime(moment)
    except OverflowError:
        raise ValueError(f"{text.strip()!r} is not a time before the year 10000") from None


def time_us_from_epoch(number: float) -> int:
    """A moment from epoch seconds, milliseconds or microseconds, told apart by size.

    Raises
    ------
    ValueError
        When the number is not finite or lies past the year 9999.
    """
    if _ORDINARY_BEGINS < number < _ORDINARY_ENDS:
        return round(number * SECOND_US)
    if not math.isfinite(number):
        raise ValueError(f"{number} is not a time")
    size = abs(number)
    if size < _SECONDS_END:
        scale = SECOND_US
    elif size < _MILLISECONDS_END:
        scale = 1_000
    else:
        scale = 1
    time_us = round(number * scale)
    if abs(time_us) > time_us_from_datetime(_LATEST):
        raise ValueError(f"{number} is not a time before the year 10000")
    return time_us

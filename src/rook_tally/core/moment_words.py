"""Moments as people write them: which comes first, day or month, and how a clock is read.

Set once by whoever shows them to a person, as the site's settings say; files, commands and
everything on the wire keep RFC 3339. Names of days and months are those of the process's locale.
"""

from __future__ import annotations

import enum
from datetime import datetime


class DateStyle(enum.Enum):
    """Order of day, month and year in a date."""

    DAY_FIRST = "day first"
    MONTH_FIRST = "month first"
    YEAR_FIRST = "year first"


class ClockStyle(enum.Enum):
    """Hours of a clock: 24, or twice 12."""

    HOURS_24 = "24 hours"
    HOURS_12 = "12 hours"


_dates, _clocks = DateStyle.DAY_FIRST, ClockStyle.HOURS_24


def write_moments(dates: DateStyle, clocks: ClockStyle) -> None:
    """Write moments so from now on."""
    global _dates, _clocks
    _dates, _clocks = dates, clocks


def written() -> tuple[DateStyle, ClockStyle]:
    """The styles in use for dates and clocks."""
    return _dates, _clocks


def clock_words(moment: datetime, *, seconds: bool = False) -> str:
    """The time of day: `14:05`, `2:05 pm`."""
    if _clocks is ClockStyle.HOURS_24:
        return moment.strftime("%H:%M:%S" if seconds else "%H:%M")
    half = "am" if moment.hour < 12 else "pm"
    exact = f":{moment:%S}" if seconds else ""
    return f"{moment.hour % 12 or 12}:{moment:%M}{exact} {half}"


def day_words(moment: datetime, *, weekday: bool = False, year: bool = False) -> str:
    """The date: `27 Nov`, `Nov 27`, `11-27`; with its day of the week before it and its year."""
    if _dates is DateStyle.DAY_FIRST:
        told = f"{moment.day} {moment:%b}" + (f" {moment.year}" if year else "")
    elif _dates is DateStyle.MONTH_FIRST:
        told = f"{moment:%b} {moment.day}" + (f", {moment.year}" if year else "")
    else:
        told = f"{moment.year:04}-{moment:%m-%d}" if year else f"{moment:%m-%d}"
    return f"{moment:%a} {told}" if weekday else told


def moment_words(
    moment: datetime, *, weekday: bool = False, year: bool = False, seconds: bool = False
) -> str:
    """Date and time of day: `Fri 27 Nov 2026 14:05`."""
    day = day_words(moment, weekday=weekday, year=year)
    return f"{day} {clock_words(moment, seconds=seconds)}"

"""Times as people type them: `14:30`, `yesterday 9:00`, `mon 8:15`, `2026-08-12`, `3 days ago`;
and as programs write them, with the offset from UTC."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta, tzinfo

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import (
    DAY_US,
    HOUR_US,
    MINUTE_US,
    SECOND_US,
    datetime_from_time_us,
    time_us_from_datetime,
    time_us_from_text,
)

_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_CLOCK = re.compile(r"(\d{1,2})(?::|\.)(\d{2})(?:[:.](\d{2}))?|(\d{1,2})\s*h")
_AGO = re.compile(r"(\d{1,5})\s*(s|sec|second|min|minute|h|hour|day|week|month|year)s?\s+ago")
_LENGTH = re.compile(r"(\d{1,4})\s*(s|sec|second|min|minute|h|hour|day|week|month)s?")
# As RFC 3339 has it: the offset makes it a moment in any zone.
_WITH_OFFSET = re.compile(r"\s*\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}\S*(?:[Zz]|[+-]\d{2}:?\d{2})\s*")
_AGO_US = {
    "s": SECOND_US,
    "sec": SECOND_US,
    "second": SECOND_US,
    "min": MINUTE_US,
    "minute": MINUTE_US,
    "h": HOUR_US,
    "hour": HOUR_US,
    "day": DAY_US,
    "week": 7 * DAY_US,
    "month": 30 * DAY_US,
    "year": 365 * DAY_US,
}
_DAY_FIRST = re.compile(r"(\d{1,2})[./](\d{1,2})[./](\d{4})")
# Nothing was recorded before it; further back the calendar itself ends.
_FIRST_DAY = date(1970, 1, 2)
_AHEAD = "such as 2 h, 17:30, tomorrow 9:00, friday, 2026-08-12"
_REMEDY = "such as 14:30, yesterday 9:00, mon 8:15, 2026-08-12, 3 days ago"


@dataclass(frozen=True, slots=True)
class TypedTime:
    """A time as typed: a moment, or a whole day when no clock time was written."""

    start_us: int
    end_us: int

    @property
    def is_day(self) -> bool:
        """True if a whole day was meant."""
        return self.end_us > self.start_us


def typed_time(text: str, *, now_us: int, zone: tzinfo) -> TypedTime:
    """The moment or day a person means, in the site's zone; never one to come.

    A clock time alone is that of today, or of yesterday when it has not come yet; the name of a day
    is the last such day.

    Raises
    ------
    UsageError
        When nothing like a time can be read in it, or it lies ahead.
    """
    words = " ".join(text.lower().replace(",", " ").split())
    now = datetime_from_time_us(now_us).astimezone(zone)
    if not words or words == "now":
        return TypedTime(now_us, now_us)
    ago = _AGO.fullmatch(words)
    if ago:
        at_us = now_us - int(ago[1]) * _AGO_US[ago[2]]
        if at_us < 0:
            raise _too_early(text)
        return TypedTime(at_us, at_us)
    written_us = _moment_with_offset(text)
    if written_us is not None:
        if written_us < 0:
            raise _too_early(text)
        if written_us > now_us:
            raise _yet_to_come(text)
        return TypedTime(written_us, written_us)
    clock, rest = _clock_in(words, text)
    day = _day_in(rest, now.date(), text)
    if day is not None and day < _FIRST_DAY:
        raise _too_early(text)
    if day is not None and day > now.date():
        raise _yet_to_come(text)
    if clock is None:
        start = datetime.combine(day or now.date(), time(0), zone)
        end = datetime.combine(start.date() + timedelta(days=1), time(0), zone)
        told = TypedTime(time_us_from_datetime(start), time_us_from_datetime(end))
    else:
        at_us = _clock_us(day or now.date(), clock, zone, now_us)
        if day is None and at_us > now_us:
            at_us = _clock_us(now.date() - timedelta(days=1), clock, zone, now_us)
        told = TypedTime(at_us, at_us)
    if told.start_us > now_us:
        raise _yet_to_come(text)
    return told


def typed_end(text: str, *, now_us: int, zone: tzinfo) -> int:
    """The moment to come that a person means: a length from now on, or a time; µs.

    A clock time alone is the next such one, the name of a day the next such day; a day without a
    clock time lasts to its end.

    Raises
    ------
    UsageError
        When nothing like that can be read in it, or it does not lie ahead.
    """
    words = " ".join(text.lower().replace(",", " ").split()).removeprefix("in ").strip()
    length = _LENGTH.fullmatch(words)
    if length:
        return now_us + int(length[1]) * _AGO_US[length[2]]
    written_us = _moment_with_offset(text)
    if written_us is not None:
        if written_us <= now_us:
            raise _behind(text)
        return written_us
    clock, rest = _clock_in(words, text)
    today = datetime_from_time_us(now_us).astimezone(zone).date()
    if rest == "tomorrow":
        day: date | None = today + timedelta(days=1)
    else:
        day = _day_in(rest.removeprefix("next "), today, text)
        if day is not None and day < today and not any(one.isdigit() for one in rest):
            day += timedelta(days=7)
    if clock is None:
        if day is None:
            raise UsageError(f"{text.strip()!r} is no time we can read", remedy=_AHEAD)
        start = datetime.combine(day + timedelta(days=1), time(0), zone)
        end_us = time_us_from_datetime(start)
    else:
        end_us = time_us_from_datetime(datetime.combine(day or today, clock, zone))
        if day is None and end_us <= now_us:
            tomorrow = today + timedelta(days=1)
            end_us = time_us_from_datetime(datetime.combine(tomorrow, clock, zone))
    if end_us <= now_us:
        raise _behind(text)
    return end_us


def _moment_with_offset(text: str) -> int | None:
    """The moment that a text with an offset from UTC writes; None for any other text."""
    if not _WITH_OFFSET.fullmatch(text):
        return None
    try:
        return time_us_from_text(text)
    except ValueError as error:
        raise UsageError(str(error), remedy=_REMEDY) from None


def _behind(text: str) -> UsageError:
    return UsageError(f"{text.strip()!r} lies behind", remedy=_AHEAD)


def _too_early(text: str) -> UsageError:
    return UsageError(f"{text.strip()!r} lies before the year 1970", remedy=_REMEDY)


def _yet_to_come(text: str) -> UsageError:
    return UsageError(f"{text.strip()!r} has not come yet", remedy=_REMEDY)


def _clock_us(day: date, clock: time, zone: tzinfo, now_us: int) -> int:
    """The moment of a clock time of a day: of the two it is when clocks go back, the newest that
    has come."""
    both = {
        time_us_from_datetime(datetime.combine(day, clock.replace(fold=fold), zone))
        for fold in (0, 1)
    }
    return max((one for one in both if one <= now_us), default=min(both))


def _clock_in(words: str, text: str) -> tuple[time | None, str]:
    """The clock time in some words, and the words without it."""
    # A date's own dots and dashes are no clock.
    dated = re.sub(
        r"\d{4}-\d{2}-\d{2}|\d{1,2}[./]\d{1,2}[./]\d{4}", lambda one: " " * len(one[0]), words
    )
    found = _CLOCK.search(dated.replace("t", " ") if re.match(r"\s*t", dated) else dated)
    if found is None:
        return None, words
    hour, minute, second = int(found[1] or found[4]), int(found[2] or 0), int(found[3] or 0)
    try:
        clock = time(hour, minute, second)
    except ValueError:
        raise UsageError(f"{text.strip()!r} holds no time of day", remedy=_REMEDY) from None
    rest = words[: found.start()] + " " + words[found.end() :]
    return clock, " ".join(rest.replace(" at ", " ").split())


def _day_in(words: str, today: date, text: str) -> date | None:
    """The day some words name; None when there are none."""
    name = words.strip().removeprefix("last ").removeprefix("on ").removesuffix("t").strip()
    if words.strip() in ("", "t"):
        return None
    if words in ("today", "yesterday"):
        return today - timedelta(days=words == "yesterday")
    for at, known in enumerate(_DAYS):
        if len(name) >= 2 and known.startswith(name):
            back = (today.weekday() - at) % 7
            return today - timedelta(days=back or (7 if words.startswith("last ") else 0))
    try:
        day_first = _DAY_FIRST.fullmatch(name)
        if day_first:
            return date(int(day_first[3]), int(day_first[2]), int(day_first[1]))
        return date.fromisoformat(name)
    except ValueError:
        raise UsageError(f"{text.strip()!r} is no time we can read", remedy=_REMEDY) from None

"""Times as people type them."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.time_input import typed_end, typed_time
from rook_tally.core.timestamps import (
    DAY_US,
    HOUR_US,
    datetime_from_time_us,
    time_us_from_datetime,
    time_us_from_text,
)

ZONE = ZoneInfo("Europe/London")
# A Monday.
NOW = datetime(2026, 11, 23, 14, 32, 8, tzinfo=ZONE)
NOW_US = time_us_from_datetime(NOW)


def local(text: str) -> str:
    told = typed_time(text, now_us=NOW_US, zone=ZONE)
    moment = datetime_from_time_us(told.start_us).astimezone(ZONE)
    return f"{moment:%Y-%m-%d}" if told.is_day else f"{moment:%Y-%m-%d %H:%M}"


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("now", "2026-11-23 14:32"),
        ("14:30", "2026-11-23 14:30"),
        ("9h", "2026-11-23 09:00"),
        # It has not come yet today.
        ("18:00", "2026-11-22 18:00"),
        ("yesterday 14:00", "2026-11-22 14:00"),
        ("Yesterday at 14:00", "2026-11-22 14:00"),
        ("today", "2026-11-23"),
        ("yesterday", "2026-11-22"),
        ("2026-08-12", "2026-08-12"),
        ("2026-08-12 06:15", "2026-08-12 06:15"),
        ("2026-08-12T06:15", "2026-08-12 06:15"),
        ("12.8.2026 6:15", "2026-08-12 06:15"),
        ("fri", "2026-11-20"),
        ("Friday 9:05", "2026-11-20 09:05"),
        ("mon", "2026-11-23"),
        ("last monday", "2026-11-16"),
        ("3 days ago", "2026-11-20 14:32"),
        ("2 hours ago", "2026-11-23 12:32"),
        ("90 min ago", "2026-11-23 13:02"),
        ("2026-08-12T06:15:00Z", "2026-08-12 07:15"),
        ("2026-08-12t06:15:00.250z", "2026-08-12 07:15"),
        (" 2026-08-12 06:15+05:30 ", "2026-08-12 01:45"),
    ],
)
def test_what_is_meant(text: str, meant: str) -> None:
    assert local(text) == meant


def test_a_day_is_as_long_as_it_was() -> None:
    # Clocks went back on 25 October 2026: that day had 25 hours.
    told = typed_time("2026-10-25", now_us=NOW_US, zone=ZONE)
    assert told.end_us - told.start_us == 25 * HOUR_US


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("soon", "is no time we can read"),
        ("25:00", "holds no time of day"),
        ("2026-13-01", "is no time we can read"),
        ("2027-01-01", "has not come yet"),
        ("today 18:00", "has not come yet"),
        ("30.2.2026", "is no time we can read"),
        ("9999-12-31", "has not come yet"),
        ("9999-12-31 23:59", "has not come yet"),
        ("0001-01-01", "lies before the year 1970"),
        ("1.1.0001 0:00", "lies before the year 1970"),
        ("2500 years ago", "lies before the year 1970"),
        ("99999 months ago", "lies before the year 1970"),
        ("999999999 d", "is no time we can read"),
        ("999999999 days ago", "is no time we can read"),
        ("2026-11-23T14:32:09Z", "has not come yet"),
        ("1969-12-31T23:59:59Z", "lies before the year 1970"),
        ("2026-02-30T06:15:00Z", "is not a time such as"),
        ("2026-08-12T25:00:00Z", "is not a time such as"),
    ],
)
def test_what_cannot_be_meant(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        typed_time(text, now_us=NOW_US, zone=ZONE)


@given(st.text(max_size=20))
def test_anything_typed_is_read_or_refused(text: str) -> None:
    try:
        told = typed_time(text, now_us=NOW_US, zone=ZONE)
    except UsageError:
        return
    assert told.start_us <= NOW_US
    assert told.end_us - told.start_us <= DAY_US + HOUR_US


@given(st.integers(1, 3000).map(lambda days: NOW_US - days * DAY_US))
def test_a_written_moment_is_read_back(at_us: int) -> None:
    moment = datetime_from_time_us(at_us).astimezone(ZONE)
    text = f"{moment:%Y-%m-%d %H:%M:%S}"
    assert typed_time(text, now_us=NOW_US, zone=ZONE).start_us == at_us


@pytest.mark.parametrize(
    ("now", "text", "meant_utc"),
    [
        # 01:20 GMT, the second time round: 1:40 has been once, 1:10 twice.
        ("2026-10-25T01:20:00", "1:40", "2026-10-25T00:40:00"),
        ("2026-10-25T01:20:00", "1:10", "2026-10-25T01:10:00"),
        ("2026-10-25T00:20:00", "1:10", "2026-10-25T00:10:00"),
        ("2026-10-25T12:00:00", "1:30", "2026-10-25T01:30:00"),
    ],
)
def test_in_the_hour_that_comes_twice_the_newest_that_has_come_is_meant(
    now: str, text: str, meant_utc: str
) -> None:
    now_us = time_us_from_text(now)
    assert typed_time(text, now_us=now_us, zone=ZONE).start_us == time_us_from_text(meant_utc)


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("2 h", "2026-11-23 16:32:08"),
        ("in 3 days", "2026-11-26 14:32:08"),
        ("17:30", "2026-11-23 17:30"),
        ("9:00", "2026-11-24 09:00"),
        ("tomorrow 9:00", "2026-11-24 09:00"),
        ("tomorrow", "2026-11-25 00:00"),
        ("next fri 8:00", "2026-11-27 08:00"),
        ("2026-12-24", "2026-12-25 00:00"),
        ("2026-12-24T17:00:00Z", "2026-12-24 17:00"),
    ],
)
def test_an_end_is_typed_as_people_say_it(text: str, meant: str) -> None:
    wanted = datetime.fromisoformat(meant).replace(tzinfo=ZONE)
    assert typed_end(text, now_us=NOW_US, zone=ZONE) == time_us_from_datetime(wanted)


@pytest.mark.parametrize(
    "text", ["", "soon", "2026-11-22", "today 9:00", "25:00", "2026-11-23T14:32:08Z"]
)
def test_what_is_no_end_to_come_is_said(text: str) -> None:
    with pytest.raises(UsageError):
        typed_end(text, now_us=NOW_US, zone=ZONE)

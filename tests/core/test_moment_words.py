"""Moments as people write them."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from rook_tally.core.moment_words import (
    ClockStyle,
    DateStyle,
    clock_words,
    day_words,
    moment_words,
    write_moments,
)
from rook_tally.core.ticks import time_ticks
from rook_tally.core.timestamps import time_us_from_datetime

MOMENT = datetime(2026, 11, 27, 14, 5, 9, tzinfo=UTC)


@pytest.fixture(autouse=True)
def as_before() -> Iterator[None]:
    yield
    write_moments(DateStyle.DAY_FIRST, ClockStyle.HOURS_24)


@pytest.mark.parametrize(
    ("dates", "short", "long"),
    [
        (DateStyle.DAY_FIRST, "27 Nov", "Fri 27 Nov 2026 14:05"),
        (DateStyle.MONTH_FIRST, "Nov 27", "Fri Nov 27, 2026 14:05"),
        (DateStyle.YEAR_FIRST, "11-27", "Fri 2026-11-27 14:05"),
    ],
)
def test_dates(dates: DateStyle, short: str, long: str) -> None:
    write_moments(dates, ClockStyle.HOURS_24)
    assert day_words(MOMENT) == short
    assert moment_words(MOMENT, weekday=True, year=True) == long


@pytest.mark.parametrize(
    ("hour", "words"), [(0, "12:05 am"), (11, "11:05 am"), (12, "12:05 pm"), (23, "11:05 pm")]
)
def test_a_clock_of_twelve_hours(hour: int, words: str) -> None:
    write_moments(DateStyle.DAY_FIRST, ClockStyle.HOURS_12)
    assert clock_words(MOMENT.replace(hour=hour)) == words
    assert clock_words(MOMENT, seconds=True) == "2:05:09 pm"


def test_both_hours_of_the_night_summer_time_ends_are_written_alike() -> None:
    write_moments(DateStyle.DAY_FIRST, ClockStyle.HOURS_12)
    london = ZoneInfo("Europe/London")
    half_past = [datetime(2026, 10, 25, hour, 30, tzinfo=UTC).astimezone(london) for hour in (0, 1)]
    assert [clock_words(one) for one in half_past] == ["1:30 am", "1:30 am"]
    assert [moment_words(one) for one in half_past] == ["25 Oct 1:30 am"] * 2


def test_axes_are_written_so_too() -> None:
    write_moments(DateStyle.MONTH_FIRST, ClockStyle.HOURS_12)
    start_us = time_us_from_datetime(MOMENT)
    hours = [one.label for one in time_ticks(start_us, start_us + 4 * 3_600_000_000, UTC, 4)]
    assert hours[0] == "3:00 pm"
    days = [one.label for one in time_ticks(start_us, start_us + 20 * 86_400_000_000, UTC, 4)]
    assert days[:2] == ["Nov 30", "Dec 7"]

"""Marks on a time axis say what the clock on the wall says, also in the nights it is put on."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import pytest

from rook_tally.core.ticks import time_ticks
from rook_tally.core.timestamps import datetime_from_time_us, time_us_from_text

LONDON = ZoneInfo("Europe/London")


@pytest.mark.parametrize(
    ("start", "end"),
    [
        ("2026-03-29T00:10:00", "2026-03-29T03:00:00"),
        ("2026-10-24T23:40:00", "2026-10-25T03:00:00"),
        ("2026-10-25T00:10:00", "2026-10-25T01:50:00"),
    ],
)
@pytest.mark.parametrize("most", [4, 8, 20])
def test_labels_are_what_the_clock_says(start: str, end: str, most: int) -> None:
    ticks = time_ticks(time_us_from_text(start), time_us_from_text(end), LONDON, most)
    assert ticks
    assert [one.time_us for one in ticks] == sorted({one.time_us for one in ticks})
    for tick in ticks:
        assert tick.label == f"{datetime_from_time_us(tick.time_us).astimezone(LONDON):%H:%M}"


def test_the_hour_that_comes_twice_is_marked_twice() -> None:
    start, end = (time_us_from_text(f"2026-10-25T0{hour}:00:00") for hour in (0, 2))
    labels = [one.label for one in time_ticks(start, end, LONDON, 8)]
    assert labels.count("01:00") == labels.count("01:30") == 2


@pytest.mark.parametrize(("first_day", "wanted"), [(0, "2 Nov"), (6, "1 Nov"), (5, "7 Nov")])
def test_weeks_begin_with_the_day_of_the_site(first_day: int, wanted: str) -> None:
    bounds = (
        time_us_from_text("2026-11-01T00:00:00Z") - 1,
        time_us_from_text("2026-12-10T00:00:00Z"),
    )
    ticks = time_ticks(*bounds, ZoneInfo("UTC"), 6, first_day=first_day)
    assert ticks[0].label == wanted

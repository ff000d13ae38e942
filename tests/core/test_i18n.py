"""How numbers, ages, times and axis marks are written."""

from __future__ import annotations

import math
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.number_format import age, duration, figure
from rook_tally.core.ticks import time_ticks, value_ticks
from rook_tally.core.timestamps import rfc3339, time_us_from_epoch, time_us_from_text

LONDON = ZoneInfo("Europe/London")


@pytest.mark.parametrize(
    ("value", "decimals", "text"),
    [
        (21.44, 1, "21.4"),
        (-2.18, 2, "−2.18"),
        (1234567.0, 0, "1\u2009234\u2009567"),
        (-0.04, 1, "0.0"),
        (math.nan, 1, "–"),
        (math.inf, 1, "–"),
    ],
)
def test_figure(value: float, decimals: int, text: str) -> None:
    assert figure(value, decimals) == text


@pytest.mark.parametrize(
    ("seconds", "text"),
    [
        (9, "9 s"),
        (99.4, "99 s"),
        (180, "3 min"),
        (2460, "41 min"),
        (10800, "3 h"),
        (5 * 86400, "5 d"),
        (-3, "0 s"),
    ],
)
def test_age(seconds: float, text: str) -> None:
    assert age(seconds) == text


@pytest.mark.parametrize(
    ("seconds", "text"),
    [(40, "40 s"), (720, "12 min"), (6480, "1 h 48 min"), (7200, "2 h"), (math.nan, "–")],
)
def test_duration(seconds: float, text: str) -> None:
    assert duration(seconds) == text


@pytest.mark.parametrize(
    ("text", "written"),
    [
        ("2026-11-23T14:32:08Z", "2026-11-23T14:32:08.000000Z"),
        ("2026-07-01T12:00:00.25+01:00", "2026-07-01T11:00:00.250000Z"),
        ("2026-11-23", "2026-11-23T00:00:00.000000Z"),
    ],
)
def test_rfc3339(text: str, written: str) -> None:
    assert rfc3339(time_us_from_text(text)) == written


def test_text_that_is_no_time() -> None:
    with pytest.raises(ValueError, match="'tuesday' is not a time"):
        time_us_from_text("tuesday")


@pytest.mark.parametrize("number", [1.7e9, 1.7e12, 1.7e15])
def test_epoch_seconds_milliseconds_and_microseconds_are_told_apart(number: float) -> None:
    assert time_us_from_epoch(number) == 1_700_000_000_000_000


@pytest.mark.parametrize("number", [math.nan, math.inf, 1e30])
def test_epoch_numbers_that_are_no_time(number: float) -> None:
    with pytest.raises(ValueError, match="is not a time"):
        time_us_from_epoch(number)


@given(st.integers(0, 4 * 10**15), st.integers(10**7, 4 * 10**15), st.integers(2, 30))
def test_time_ticks_lie_in_the_window_in_order_and_not_too_many(
    start: int, span: int, most: int
) -> None:
    ticks = [tick.time_us for tick in time_ticks(start, start + span, LONDON, most)]
    assert ticks == sorted(set(ticks))
    assert all(start <= tick < start + span for tick in ticks)
    assert len(ticks) <= 2 * most + 1


def test_ticks_stay_on_local_hours_across_the_change_of_clocks() -> None:
    start = time_us_from_text("2026-10-24T22:00:00Z")
    labels = [one.label for one in time_ticks(start, start + 12 * 3_600_000_000, LONDON, 8)]
    assert labels == ["Sun 25", "02:00", "04:00", "06:00", "08:00"]


@pytest.mark.parametrize(
    ("low", "high", "most", "ticks"),
    [(0, 10, 5, [0, 2, 4, 6, 8, 10]), (-1.2, 1.2, 3, [-1, 0, 1]), (5, 5, 3, [])],
)
def test_value_ticks(low: float, high: float, most: int, ticks: list[float]) -> None:
    assert value_ticks(low, high, most) == ticks

"""Stretches of days: named, stepped through, and measured where clocks change."""

from __future__ import annotations

from datetime import date, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.reports.definitions import Report, ReportStretch
from rook_tally.core.reports.periods import (
    Period,
    last_period,
    midnight_us,
    period_named,
    period_with,
)
from rook_tally.core.timestamps import HOUR_US

LONDON = ZoneInfo("Europe/London")
DAYS = st.dates(date(2015, 1, 1), date(2100, 1, 1))
COMING_AGAIN = st.sampled_from([one for one in ReportStretch if one is not ReportStretch.OWN])


@given(COMING_AGAIN, DAYS)
def test_a_name_says_which_stretch_is_meant(stretch: ReportStretch, day: date) -> None:
    told = period_with(stretch, day)
    assert told.first <= day <= told.last
    assert period_named(told.name) == told


@given(COMING_AGAIN, DAYS, st.integers(0, 6))
def test_one_follows_the_other_without_a_gap(
    stretch: ReportStretch, day: date, begins: int
) -> None:
    told = period_with(stretch, day, begins)
    before = told.before()
    assert before.last == told.first - timedelta(days=1)
    assert period_with(stretch, before.last, begins) == before


def test_days_are_as_long_as_clocks_make_them() -> None:
    october = period_named("2026-10")
    hours = np.diff(october.edges_us(LONDON)) / HOUR_US
    assert sorted(set(hours.tolist())) == [24, 25]
    assert hours[24] == 25


def test_the_last_that_is_over_ends_before_now() -> None:
    now_us = midnight_us(date(2026, 11, 1), LONDON)
    month = Report(slug="m", name="m")
    assert last_period(month, now_us, LONDON).name == "2026-10"
    assert last_period(month, now_us - 1, LONDON).name == "2026-09"


def test_an_own_stretch_has_one_as_long_before_it() -> None:
    told = period_named("2026-08-12_2026-08-14")
    assert told.before() == Period(ReportStretch.OWN, date(2026, 8, 9), date(2026, 8, 11))
    assert told.year_before().first == date(2025, 8, 12)


@pytest.mark.parametrize(
    "text", ["", "soon", "2026-13", "2026-W60", "2026-Q5", "2026-02-30", "2026-08-14_2026-08-12"]
)
def test_what_is_no_stretch_is_refused_with_examples(text: str) -> None:
    with pytest.raises(UsageError, match="no stretch of time") as told:
        period_named(text)
    assert "2026-W48" in str(told.value)

"""Which copies stay, by hand and by law."""

from __future__ import annotations

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.generations import DAILY, MONTHLY, WEEKLY, copies_that_stay

FIRST = date(2026, 1, 1)
days_made = st.sets(st.integers(0, 900).map(lambda at: FIRST + timedelta(days=at)))


def test_of_a_year_of_days() -> None:
    days = [FIRST + timedelta(days=at) for at in range(365)]
    stay = sorted(copies_that_stay(days), reverse=True)
    assert [one.isoformat() for one in stay[:7]] == [
        "2026-12-31",
        "2026-12-30",
        "2026-12-29",
        "2026-12-28",
        "2026-12-27",
        "2026-12-26",
        "2026-12-25",
    ]
    # Sundays of the weeks before, then the last day of every month.
    assert [one.isoformat() for one in stay[7:11]] == [
        "2026-12-20",
        "2026-12-13",
        "2026-11-30",
        "2026-10-31",
    ]
    assert stay[-1].isoformat() == "2026-01-31"


@given(days_made)
def test_the_newest_stay_and_never_more_than_was_said(days: set[date]) -> None:
    stay = copies_that_stay(days)
    assert stay <= days
    assert len(stay) <= DAILY + WEEKLY + MONTHLY
    assert set(sorted(days, reverse=True)[:DAILY]) <= stay


@given(days_made)
def test_dropping_day_by_day_leaves_a_copy_of_every_month_that_counts(days: set[date]) -> None:
    kept: set[date] = set()
    for day in sorted(days):
        kept = copies_that_stay(kept | {day})
    months = sorted({(day.year, day.month) for day in days}, reverse=True)[:MONTHLY]
    assert {(day.year, day.month) for day in kept} >= set(months)
    assert copies_that_stay(kept) == kept

"""Which of many copies stay: of the last days one each, of weeks and months before them one."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

DAILY, WEEKLY, MONTHLY = 7, 4, 12


def copies_that_stay(
    days: Iterable[date], *, daily: int = DAILY, weekly: int = WEEKLY, monthly: int = MONTHLY
) -> set[date]:
    """The days whose copies stay: the newest `daily`, and the newest copy of each of the last
    `weekly` weeks (ISO 8601) and `monthly` months that have one. The newest always stays."""
    newest_first = sorted(set(days), reverse=True)
    stay = set(newest_first[: max(daily, 1)])
    for most, group in (
        (weekly, lambda day: day.isocalendar()[:2]),
        (monthly, lambda day: (day.year, day.month)),
    ):
        newest_of: dict[object, date] = {}
        for day in newest_first:
            newest_of.setdefault(group(day), day)
        stay.update(list(newest_of.values())[:most])
    return stay

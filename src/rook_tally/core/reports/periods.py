"""Stretches of local days: which one a report is about, and how it is called."""

from __future__ import annotations

import re
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import msgspec
import numpy as np

from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import day_words
from rook_tally.core.reports.definitions import Report, ReportStretch
from rook_tally.core.timestamps import datetime_from_time_us, time_us_from_datetime

_MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
_LONGEST_DAYS = 366 * 5


class Period(msgspec.Struct, frozen=True):
    """A stretch of whole local days: the first and the last one."""

    stretch: ReportStretch
    first: date
    last: date

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.last - self.first).days + 1

    @property
    def name(self) -> str:
        """How it is called in names of files: `2026-11`, `2026-W48`, `2026-11-23`."""
        year, week, _ = self.first.isocalendar()
        match self.stretch:
            case ReportStretch.DAY:
                return self.first.isoformat()
            case ReportStretch.WEEK:
                return f"{year}-W{week:02d}"
            case ReportStretch.MONTH:
                return f"{self.first:%Y-%m}"
            case ReportStretch.QUARTER:
                return f"{self.first.year}-Q{(self.first.month + 2) // 3}"
            case ReportStretch.YEAR:
                return f"{self.first.year}"
            case ReportStretch.OWN:
                return f"{self.first.isoformat()}_{self.last.isoformat()}"

    @property
    def title(self) -> str:
        """How people call it."""
        first = datetime.combine(self.first, time())
        match self.stretch:
            case ReportStretch.DAY:
                return day_words(first, weekday=True, year=True)
            case ReportStretch.WEEK:
                return f"Week {self.first.isocalendar()[1]}, {self.first.isocalendar()[0]}"
            case ReportStretch.MONTH:
                return f"{_MONTHS[self.first.month - 1]} {self.first.year}"
            case ReportStretch.QUARTER:
                return f"Quarter {(self.first.month + 2) // 3}, {self.first.year}"
            case ReportStretch.YEAR:
                return str(self.first.year)
            case ReportStretch.OWN:
                return self.days_words

    @property
    def days_words(self) -> str:
        """Its first and last day in words."""
        first, last = (datetime.combine(one, time()) for one in (self.first, self.last))
        if self.first == self.last:
            return day_words(first, year=True)
        same = self.first.year == self.last.year
        return f"{day_words(first, year=not same)} – {day_words(last, year=True)}"

    def edges_us(self, zone: ZoneInfo) -> TimeArray:
        """Local midnights of its days and of the day after: (days + 1,)."""
        return np.array(
            [
                midnight_us(self.first + timedelta(days=number), zone)
                for number in range(self.days + 1)
            ],
            np.int64,
        )

    def before(self) -> Period:
        """The one before it; an own stretch has one as long."""
        last = self.first - timedelta(days=1)
        if self.stretch is ReportStretch.OWN:
            return Period(ReportStretch.OWN, last - timedelta(days=self.days - 1), last)
        return period_with(self.stretch, last, self.first.weekday())

    def year_before(self) -> Period:
        """The same days of the year before."""
        return Period(ReportStretch.OWN, _year_earlier(self.first), _year_earlier(self.last))


def midnight_us(day: date, zone: ZoneInfo) -> int:
    """The moment at which a local day begins."""
    return time_us_from_datetime(datetime.combine(day, time(), tzinfo=zone))


def _year_earlier(day: date) -> date:
    try:
        return day.replace(year=day.year - 1)
    except ValueError:
        return day.replace(year=day.year - 1, day=28)


def period_with(stretch: ReportStretch, day: date, first_weekday: int = 0) -> Period:
    """The stretch of a sort that holds a day; weeks begin with a day of the week, Monday 0."""
    match stretch:
        case ReportStretch.DAY | ReportStretch.OWN:
            return Period(stretch, day, day)
        case ReportStretch.WEEK:
            first = day - timedelta(days=(day.weekday() - first_weekday) % 7)
            return Period(stretch, first, first + timedelta(days=6))
        case ReportStretch.MONTH:
            return Period(stretch, day.replace(day=1), _month_end(day.year, day.month))
        case ReportStretch.QUARTER:
            begin = (day.month - 1) // 3 * 3 + 1
            return Period(stretch, date(day.year, begin, 1), _month_end(day.year, begin + 2))
        case ReportStretch.YEAR:
            return Period(stretch, date(day.year, 1, 1), date(day.year, 12, 31))


def _month_end(year: int, month: int) -> date:
    return date(year + month // 12, month % 12 + 1, 1) - timedelta(days=1)


def last_period(report: Report, now_us: int, zone: ZoneInfo, first_weekday: int = 0) -> Period:
    """The newest stretch of a report that is over; of an own one that stretch itself."""
    if report.stretch is ReportStretch.OWN:
        assert report.begin is not None and report.end is not None
        return Period(ReportStretch.OWN, report.begin, report.end)
    today = datetime_from_time_us(now_us).astimezone(zone).date()
    return period_with(report.stretch, today, first_weekday).before()


_NAMES = {
    ReportStretch.DAY: re.compile(r"(\d{4})-(\d\d)-(\d\d)"),
    ReportStretch.WEEK: re.compile(r"(\d{4})-W(\d\d)"),
    ReportStretch.MONTH: re.compile(r"(\d{4})-(\d\d)"),
    ReportStretch.QUARTER: re.compile(r"(\d{4})-Q([1-4])"),
    ReportStretch.YEAR: re.compile(r"(\d{4})"),
    ReportStretch.OWN: re.compile(r"(\d{4}-\d\d-\d\d)_(\d{4}-\d\d-\d\d)"),
}
_EXAMPLES = "2026, 2026-Q4, 2026-11, 2026-W48, 2026-11-23 or 2026-08-12_2026-08-14"


def period_named(text: str, first_weekday: int = 0) -> Period:
    """The stretch of a name such as `2026-11` or `2026-W48`.

    Raises
    ------
    UsageError
        For text that is none.
    """
    for stretch, form in _NAMES.items():
        found = form.fullmatch(text.strip())
        if found is None:
            continue
        try:
            return _period_of(stretch, found.groups(), first_weekday)
        except ValueError:
            break
    raise UsageError(f"{text!r} is no stretch of time", remedy=f"write {_EXAMPLES}")


def _period_of(stretch: ReportStretch, told: tuple[str, ...], first_weekday: int) -> Period:
    if stretch is ReportStretch.OWN:
        first, last = (date.fromisoformat(one) for one in told)
        if not 0 <= (last - first).days < _LONGEST_DAYS:
            raise ValueError("the last day comes before the first, or years later")
        return Period(stretch, first, last)
    year, *rest = (int(one) for one in told)
    if stretch is ReportStretch.WEEK:
        # The week that holds the ISO week's Thursday, whatever day a week begins with here.
        return period_with(stretch, date.fromisocalendar(year, rest[0], 4), first_weekday)
    month = 3 * rest[0] - 2 if stretch is ReportStretch.QUARTER else (rest[0] if rest else 1)
    return period_with(stretch, date(year, month, rest[1] if len(rest) > 1 else 1))

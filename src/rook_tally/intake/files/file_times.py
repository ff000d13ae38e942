"""The times of a file: which of day and month stands first, and which of two equal hours is meant.

Nothing is taken for granted: what could be read in two ways is decided by other rows of the file,
else by the person, else the rows are refused.
"""

from __future__ import annotations

import enum
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress, counted, part_of, unwatched
from rook_tally.core.timestamps import time_us_from_datetime, time_us_from_epoch
from rook_tally.intake.bounds import EARLIEST_US, MOST_AHEAD_US

_SLASHED = re.compile(r"(\d{1,2})[./](\d{1,2})[./](\d{4})(?:[ T]+(.*))?")


class DateOrder(enum.Enum):
    """Which of day and month a date such as 11/05/2026 names first."""

    DAY_FIRST = "day-first"
    MONTH_FIRST = "month-first"


@dataclass(frozen=True, slots=True)
class FileTimes:
    """The moments of a file's rows, in their order.

    Attributes
    ----------
    time_us : list of int or str
        A moment in µs, or why there is none.
    order : DateOrder or None
        As its dates were read; None when none has day and month apart from the year.
    is_open : bool
        Day and month could be exchanged in every one of them, and nobody has said which is which.
    example : str
        A date that says so.
    """

    time_us: list[int | str]
    order: DateOrder | None
    is_open: bool
    example: str

    def ask(self) -> UsageError:
        """The error for a person whose dates can be read in two ways."""
        both = " or ".join(
            f"{_dated(self.example, order):%d %B %Y} ({order.value})" for order in DateOrder
        )
        return UsageError(
            f"{self.example!r} may be {both}",
            kept="nothing was written",
            remedy="say whether day or month stands first (--dates day-first, month-first)",
        )


def file_times(
    cells: Sequence[str],
    zone: tzinfo,
    *,
    order: DateOrder | None,
    now_us: int,
    progress: Progress = unwatched,
) -> FileTimes:
    """The moments of time cells: RFC 3339, epoch numbers, or a date and time of the zone.

    Raises
    ------
    UsageError
        When some dates can only be read day first and others only month first.
    """
    shown, example = _order_shown(cells)
    is_open = shown is None and order is None and bool(example)
    chosen = order or shown or DateOrder.DAY_FIRST
    moments: list[int | str] = []
    local: list[tuple[int, datetime]] = []
    for row, cell in enumerate(counted(cells, part_of(progress, 0.0, 0.5))):
        try:
            told = _moment(cell.strip(), chosen)
        except ValueError as error:
            moments.append(str(error))
            continue
        if isinstance(told, datetime):
            local.append((row, told))
            moments.append("")
        else:
            moments.append(told)
    for row, told_local in _in_zone(local, zone, part_of(progress, 0.5, 1.0)):
        moments[row] = told_local
    for row, moment in enumerate(moments):
        if isinstance(moment, int):
            if moment < EARLIEST_US:
                moments[row] = f"{cells[row].strip()} is before 2015"
            elif moment > now_us + MOST_AHEAD_US:
                moments[row] = f"{cells[row].strip()} lies ahead"
    return FileTimes(moments, chosen if example or shown else None, is_open, example)


def _order_shown(cells: Sequence[str]) -> tuple[DateOrder | None, str]:
    """Which order the dates themselves prove, and one that could be read in either."""
    day_first = month_first = either = ""
    for cell in cells:
        found = _SLASHED.fullmatch(cell.strip())
        if found is None:
            continue
        first, second = int(found[1]), int(found[2])
        if first > 12:
            day_first = day_first or cell.strip()
        elif second > 12:
            month_first = month_first or cell.strip()
        elif first != second:
            either = either or cell.strip()
    if day_first and month_first:
        raise UsageError(
            f"{day_first!r} names the day first, {month_first!r} the month",
            kept="nothing was written",
            remedy="write all dates alike, best as 2026-11-05",
        )
    if day_first:
        return DateOrder.DAY_FIRST, either
    return (DateOrder.MONTH_FIRST if month_first else None), either


def _dated(text: str, order: DateOrder) -> datetime:
    found = _SLASHED.fullmatch(text)
    assert found is not None
    day, month = int(found[1]), int(found[2])
    if order is DateOrder.MONTH_FIRST:
        day, month = month, day
    clock = (found[4] or "").strip() or "00:00"
    return datetime.fromisoformat(f"{found[3]}-{month:02}-{day:02}T{_padded(clock)}")


def _padded(clock: str) -> str:
    hour, colon, rest = clock.partition(":")
    return f"{hour:0>2}{colon}{rest}"


def _moment(text: str, order: DateOrder) -> int | datetime:
    """µs where the text says which moment it is, else a local time."""
    try:
        return time_us_from_epoch(float(text) if "_" not in text else float("nan"))
    except (ValueError, OverflowError):
        pass
    try:
        if _SLASHED.fullmatch(text):
            moment = _dated(text, order)
        else:
            moment = datetime.fromisoformat(text.replace(" ", "T", 1))
    except ValueError:
        raise ValueError(f"{text!r} is no time") from None
    return moment if moment.tzinfo is None else time_us_from_datetime(moment)


def _in_zone(
    local: Sequence[tuple[int, datetime]], zone: tzinfo, progress: Progress
) -> list[tuple[int, int | str]]:
    """Moments of local times, by row.

    The hour that comes twice is told by the rows' own order: where they step back, the second
    begins. Where they never do, nothing tells which of the two it is.
    """
    falls = len(local) > 1 and local[-1][1] < local[0][1]
    ordered = list(reversed(local)) if falls else list(local)
    found: list[tuple[int, int | str]] = []
    twice: list[tuple[int, datetime]] = []
    for row, told in counted(ordered, progress):
        both = {time_us_from_datetime(told.replace(tzinfo=zone, fold=fold)) for fold in (0, 1)}
        if len(both) == 1:
            found.append((row, both.pop()))
        elif _is_there(min(both), told, zone):
            if twice and (told - twice[-1][1]).total_seconds() > 86_400:
                found += _by_order(twice, zone)
                twice = []
            twice.append((row, told))
        else:
            found.append((row, f"{told:%Y-%m-%d %H:%M} is left out when clocks go forward"))
    return found + _by_order(twice, zone)


def _is_there(time_us: int, told: datetime, zone: tzinfo) -> bool:
    seconds, rest = divmod(time_us, 1_000_000)
    shown = datetime.fromtimestamp(seconds, UTC).replace(microsecond=rest).astimezone(zone)
    return shown.replace(tzinfo=None, fold=0) == told.replace(fold=0)


def _by_order(twice: list[tuple[int, datetime]], zone: tzinfo) -> list[tuple[int, int | str]]:
    steps_back = [at for at in range(1, len(twice)) if twice[at][1] <= twice[at - 1][1]]
    if len(steps_back) != 1:
        return [
            (row, f"{told:%Y-%m-%d %H:%M} comes twice that night; write it with its offset")
            for row, told in twice
        ]
    return [
        (row, time_us_from_datetime(told.replace(tzinfo=zone, fold=int(at >= steps_back[0]))))
        for at, (row, told) in enumerate(twice)
    ]

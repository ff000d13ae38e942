"""Sheets that turn by themselves: which comes next, and when it is night. Plain Python."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime

from rook_tally.core.wall.definitions import WallSheet


def next_sheet(sheets: Sequence[WallSheet], current: str, has_alarm: Callable[[str], bool]) -> str:
    """The slug of the sheet to show next.

    Where something stands that calls for somebody, sheets stop there: with several such sheets
    only they take turns. A sheet that takes no turn is left as soon as another can be shown.
    """
    turning = [one.slug for one in sheets if one.turns]
    calling = [slug for slug in turning if has_alarm(slug)]
    round_ = calling or turning
    if not round_:
        return current
    order = [one.slug for one in sheets]
    after = order.index(current) + 1 if current in order else 0
    ahead = [slug for slug in [*order[after:], *order[:after]] if slug in round_]
    return ahead[0]


def is_night(moment: datetime, from_min: int, to_min: int) -> bool:
    """True if a local moment lies between two times of day, in minutes; over midnight as well. The
    same time twice is no night."""
    now = moment.hour * 60 + moment.minute
    if from_min <= to_min:
        return from_min <= now < to_min
    return now >= from_min or now < to_min

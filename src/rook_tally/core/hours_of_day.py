"""Hours of the day as a site's clocks show them."""

from __future__ import annotations

from datetime import tzinfo

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, TimeArray
from rook_tally.core.timestamps import DAY_US, MINUTE_US, datetime_from_time_us

_QUARTER_US = 15 * MINUTE_US
_THURSDAY = 3
"""The first of January 1970."""


class HoursOfDay(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Hours of the site's days: minutes after midnight, over midnight where `end` is not after
    `begin`; `days` are 0 for Monday to 6, empty for all."""

    begin_min: int = 0
    end_min: int = 24 * 60
    days: tuple[int, ...] = ()


def local_us(time_us: TimeArray, zone: tzinfo) -> TimeArray:
    """Moments as the clocks of a zone show them, µs since the zone's own 1970.

    Offsets change at quarters of an hour only, so one is asked for a quarter that occurs.
    """
    if not len(time_us):
        return time_us
    quarters, which = np.unique(time_us // _QUARTER_US, return_inverse=True)
    return time_us + _offsets(quarters * _QUARTER_US, zone)[which]


def _offset_us(time_us: int, zone: tzinfo) -> int:
    offset = datetime_from_time_us(time_us).astimezone(zone).utcoffset()
    assert offset is not None
    return round(offset.total_seconds() * 1e6)


def _offsets(moments: TimeArray, zone: tzinfo) -> TimeArray:
    """Offsets of rising moments: by the day where it begins and ends alike, else each by itself."""
    days, which = np.unique(moments // DAY_US, return_inverse=True)
    first = {int(day): _offset_us(int(day) * DAY_US, zone) for day in days}
    last = {int(day): _offset_us((int(day) + 1) * DAY_US - 1, zone) for day in days}
    offsets = np.array([first[int(day)] for day in days])[which]
    for at in np.flatnonzero([first[int(day)] != last[int(day)] for day in days]).tolist():
        rows = np.flatnonzero(which == at)
        offsets[rows] = [_offset_us(int(moments[row]), zone) for row in rows.tolist()]
    return offsets


def within_hours(time_us: TimeArray, hours: HoursOfDay, zone: tzinfo) -> BoolArray:
    """Which of (N,) moments lie in the hours of a week; over midnight they belong to the day on
    which they begin."""
    local = local_us(time_us, zone)
    day, minute = local // DAY_US, local % DAY_US // MINUTE_US
    if hours.begin_min < hours.end_min:
        inside = (minute >= hours.begin_min) & (minute < hours.end_min)
        begun = day
    else:
        inside = (minute >= hours.begin_min) | (minute < hours.end_min)
        begun = np.where(minute < hours.end_min, day - 1, day)
    if not hours.days:
        return np.asarray(inside, np.bool_)
    return inside & np.isin((begun + _THURSDAY) % 7, hours.days)


def is_within_hours(time_us: int, hours: HoursOfDay, zone: tzinfo) -> bool:
    """`within_hours` of one moment."""
    local = datetime_from_time_us(time_us).astimezone(zone)
    minute, day = local.hour * 60 + local.minute, local.weekday()
    if hours.begin_min < hours.end_min:
        inside = hours.begin_min <= minute < hours.end_min
    else:
        inside = minute >= hours.begin_min or minute < hours.end_min
        day = (day - 1) % 7 if minute < hours.end_min else day
    return inside and (not hours.days or day in hours.days)

"""What the potters read off a hand meter in the damp store, some mornings a season."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta

import numpy as np

from rook_tally.core.timestamps import DAY_US, datetime_from_time_us, time_us_from_datetime
from rook_tally.demo.chance import bell
from rook_tally.demo.pottery import STATIONS, ZONE
from rook_tally.demo.signals import measured

KEY, FIELD, METER = "damp-probe", "rh", "whirling hygrometer"
UNCERTAINTY = 0.8
_HOURS = (8, 10, 12, 15, 17)
_EVERY_DAYS = 42
_SEASON_DAYS = 300.0


@dataclass(frozen=True, slots=True)
class HandReading:
    """A moment, and what the hand meter said then, % relative humidity."""

    time_us: int
    value: float


def hand_readings(start_us: int, end_us: int) -> list[list[HandReading]]:
    """The rounds with the meter in [start, end), each a day's readings by their moment.

    The probe reads low, and not always by as much: nobody has told the site so.
    """
    first = datetime_from_time_us(start_us).astimezone(ZONE).date() + timedelta(days=1)
    last = datetime_from_time_us(end_us).astimezone(ZONE).date()
    days = [first + timedelta(days=count) for count in range(max((last - first).days, 0))]
    return [
        _round(
            np.array(
                [
                    time_us_from_datetime(datetime.combine(day, time(hour), tzinfo=ZONE))
                    for hour in _HOURS
                ],
                np.int64,
            )
        )
        for day in days
        if day.toordinal() % _EVERY_DAYS == 2
    ]


def _round(time_us: np.ndarray[tuple[int], np.dtype[np.int64]]) -> list[HandReading]:
    station = next(one for one in STATIONS if one.key == KEY)
    # One moment after the other: a mean over half an hour is what the probe is held against.
    around = [
        measured(station, at + np.arange(-900, 901, 60, dtype=np.int64) * 1_000_000)[FIELD].mean()
        for at in time_us
    ]
    low_by = 2.6 + 1.1 * np.sin(2 * np.pi * time_us / (_SEASON_DAYS * DAY_US))
    said = np.round(np.array(around) + low_by + 0.4 * bell("meter", time_us // 1_000_000), 1)
    return [
        HandReading(at, value) for at, value in zip(time_us.tolist(), said.tolist(), strict=True)
    ]

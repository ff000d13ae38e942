"""Where the marks of an axis stand, in time (in the site's zone) and in value."""

from __future__ import annotations

import math
from datetime import datetime, timedelta, tzinfo

import msgspec

from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.timestamps import datetime_from_time_us, time_us_from_datetime

_STEPS_S = (
    1,
    2,
    5,
    10,
    15,
    30,
    60,
    120,
    300,
    600,
    900,
    1800,
    3600,
    2 * 3600,
    3 * 3600,
    6 * 3600,
    12 * 3600,
)
_DAY_S = 86400
_STEPS_DAYS = (1, 2, 7, 14)
_STEPS_MONTHS = (1, 2, 3, 6, 12, 24, 60, 120, 240, 600, 1200)
_MONTH_S = 30.44 * _DAY_S


class TimeTick(msgspec.Struct, frozen=True):
    """A mark on a time axis and what is written at it."""

    time_us: int
    label: str


def time_ticks(
    start_us: int, end_us: int, zone: tzinfo, most: int, *, first_day: int = 0
) -> list[TimeTick]:
    """Round moments of a window in local time, at most so many.

    Marks stay on whole local hours and days across a change of daylight-saving time. Weeks begin
    with `first_day`, 0 for Monday.
    """
    span_s = max((end_us - start_us) / 1e6, 1e-3)
    wanted_s = span_s / max(most, 1)
    first = datetime_from_time_us(start_us).astimezone(zone)
    for step_s in _STEPS_S:
        if step_s >= wanted_s:
            return _clock_ticks(first, end_us, step_s)
    for days in _STEPS_DAYS:
        if days * _DAY_S >= wanted_s:
            return _day_ticks(first, end_us, days, first_day)
    for months in _STEPS_MONTHS:
        if months * _MONTH_S >= wanted_s:
            break
    return _month_ticks(first, end_us, months)


def _clock_ticks(first: datetime, end_us: int, step_s: int) -> list[TimeTick]:
    midnight = first.replace(hour=0, minute=0, second=0, microsecond=0, tzinfo=None)
    start_us = time_us_from_datetime(first)
    ticks: list[TimeTick] = []
    elapsed_s = (first.replace(tzinfo=None) - midnight).total_seconds()
    wall = midnight + timedelta(seconds=math.ceil(elapsed_s / step_s) * step_s)
    while True:
        # A wall time stands for two moments when clocks go back, for none when they go forward.
        for local in (wall.replace(tzinfo=first.tzinfo, fold=fold) for fold in (0, 1)):
            time_us = time_us_from_datetime(local)
            if time_us >= end_us:
                return sorted(ticks, key=lambda one: one.time_us)
            shown = datetime_from_time_us(time_us).astimezone(first.tzinfo)
            is_there = shown.replace(tzinfo=None, fold=0) == wall
            if not is_there or time_us < start_us or any(one.time_us == time_us for one in ticks):
                continue
            at_midnight = step_s >= 3600 and local.hour == 0 and local.minute == 0
            label = (
                local.strftime("%a %d") if at_midnight else clock_words(local, seconds=step_s < 60)
            )
            ticks.append(TimeTick(time_us, label))
        wall += timedelta(seconds=step_s)


def _day_ticks(first: datetime, end_us: int, days: int, first_day: int) -> list[TimeTick]:
    ticks = []
    day = first.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)
    if days >= 7:
        day += timedelta(days=(first_day - day.weekday()) % 7)
    while (time_us := time_us_from_datetime(day)) < end_us:
        ticks.append(TimeTick(time_us, day.strftime("%a %d") if days == 1 else day_words(day)))
        day += timedelta(days=days)
    return ticks


def _month_ticks(first: datetime, end_us: int, months: int) -> list[TimeTick]:
    ticks = []
    index = (first.year * 12 + first.month) // months * months
    pattern = "%Y" if months >= 12 else "%b %Y"
    while index < 9999 * 12:
        month = datetime(index // 12, index % 12 + 1, 1, tzinfo=first.tzinfo)
        time_us = time_us_from_datetime(month)
        if time_us >= end_us:
            break
        if month >= first:
            ticks.append(TimeTick(time_us, month.strftime(pattern)))
        index += months
    return ticks


def value_ticks(low: float, high: float, most: int) -> list[float]:
    """Round values between low and high, in steps of 1, 2 or 5 times a power of ten."""
    span = high - low
    if not math.isfinite(span) or span <= 0 or most < 1:
        return []
    raw = span / most
    power = 10.0 ** math.floor(math.log10(raw))
    step = next(power * factor for factor in (1, 2, 5, 10) if power * factor >= raw * 0.999999)
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(index * step, 12) for index in range(first, last + 1)]

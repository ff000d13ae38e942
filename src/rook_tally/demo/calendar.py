"""The calendar of the pottery: classes, spraying, firings, pugging, in local time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.timestamps import (
    DAY_US,
    HOUR_US,
    SECOND_US,
    datetime_from_time_us,
    time_us_from_datetime,
)
from rook_tally.demo.chance import uniform
from rook_tally.demo.pottery import ZONE


@dataclass(frozen=True, slots=True)
class Happening:
    """A stretch in which something goes on, and how strong it is."""

    start_us: int
    end_us: int
    strength: float = 1.0


def local_hours(time_us: TimeArray) -> FloatArray:
    """Hours since local midnight, (N,) float64 in [0, 24)."""
    days, which = np.unique(time_us // DAY_US, return_inverse=True)
    offsets = np.array(
        [
            datetime_from_time_us(int(day) * DAY_US + 12 * HOUR_US)
            .astimezone(ZONE)
            .utcoffset()
            .total_seconds()  # type: ignore[union-attr]
            for day in days
        ]
    )
    seconds = (time_us % DAY_US) / SECOND_US + offsets[which]
    return np.asarray(seconds % 86_400 / 3600.0)


def _days(start_us: int, end_us: int) -> list[date]:
    first = datetime_from_time_us(start_us - DAY_US).astimezone(ZONE).date()
    last = datetime_from_time_us(end_us).astimezone(ZONE).date()
    return [first + timedelta(days=count) for count in range((last - first).days + 1)]


def _on(day: date, name: str, begin: str, end: str, strength: float = 1.0) -> Happening:
    """A happening of a day, begun and ended a few minutes off the plan."""
    chance = uniform(name, np.array([day.toordinal(), -day.toordinal()]))

    def moment(text: str, jitter: float) -> int:
        at = datetime.combine(day, time.fromisoformat(text), tzinfo=ZONE)
        return time_us_from_datetime(at) + int((jitter - 0.5) * 12 * 60 * SECOND_US)

    return Happening(
        moment(begin, chance[0]), moment(end, chance[1]), strength * (0.75 + 0.5 * chance[0])
    )


def classes(start_us: int, end_us: int) -> list[Happening]:
    """People throwing: mornings and afternoons from Tuesday to Saturday, Monday's open studio."""
    found = []
    for day in _days(start_us, end_us):
        weekday = day.weekday()
        if weekday == 0:
            found.append(_on(day, "studio", "13:00", "16:30", 0.55))
        elif weekday <= 5:
            found.append(_on(day, "morning", "10:00", "12:00"))
            found.append(_on(day, "afternoon", "14:00", "16:00", 0.8))
            if weekday in (2, 3):
                found.append(_on(day, "evening", "18:30", "20:30", 1.1))
    return found


def is_cleaned_after(lesson: Happening) -> bool:
    """Whether somebody switches the air cleaner on after this lesson: every other day."""
    begins = datetime_from_time_us(lesson.start_us).astimezone(ZONE)
    return begins.toordinal() % 2 == 0


def cleaning(lessons: list[Happening]) -> list[Happening]:
    """The air cleaner: on for an hour and a half once the people have gone."""
    return [
        Happening(one.end_us, one.end_us + 90 * 60 * SECOND_US)
        for one in lessons
        if is_cleaned_after(one)
    ]


def spraying(start_us: int, end_us: int) -> list[Happening]:
    """Glaze sprayed in the booth, an hour or so on working days."""
    found = []
    for day in _days(start_us, end_us):
        if day.weekday() <= 4:
            found.append(_on(day, "spray", "13:40", "14:40"))
        if day.weekday() in (1, 3):
            found.append(_on(day, "spray early", "10:20", "10:55", 0.6))
    return found


def extracting(start_us: int, end_us: int) -> list[Happening]:
    """The extractor: switched on some minutes into the spraying, off well after it."""
    return [
        Happening(one.start_us + 14 * 60 * SECOND_US, one.end_us + 25 * 60 * SECOND_US)
        for one in spraying(start_us, end_us)
    ]


def firings(start_us: int, end_us: int) -> list[Happening]:
    """The kiln: two firings a week and a short one on Saturdays."""
    found = []
    for day in _days(start_us, end_us):
        if day.weekday() in (0, 3):
            found.append(_on(day, "firing", "07:30", "16:40"))
        elif day.weekday() == 5:
            found.append(_on(day, "test firing", "09:00", "13:00", 0.6))
    return found


def pugging(start_us: int, end_us: int) -> list[Happening]:
    """The pug mill: soft clay, then stiff, then now and then grit in the barrel."""
    found = []
    for day in _days(start_us, end_us):
        if day.weekday() in (0, 2, 4):
            found.append(_on(day, "soft", "09:20", "10:40", 0.062))
            found.append(_on(day, "stiff", "10:50", "12:00", 0.187))
            if day.weekday() == 0:
                found.append(_on(day, "grit", "12:12", "13:10", 0.4))
    return found


def during(time_us: TimeArray, happenings: list[Happening]) -> FloatArray:
    """Strength of what goes on at each of increasing moments, 0 when nothing does; (N,) float64."""
    level = np.zeros(len(time_us))
    for one in happenings:
        part = slice(*np.searchsorted(time_us, [one.start_us, one.end_us]).tolist())
        level[part] = np.maximum(level[part], one.strength)
    return level


def following(
    time_us: TimeArray, happenings: list[Happening], *, rise_s: float, decay_s: float
) -> FloatArray:
    """A slow build-up while something goes on, and its decay afterwards; (N,) float64.

    A day after it began a happening is forgotten: a moment alone then reads as it does in a year.
    """
    level = np.zeros(len(time_us))
    for one in happenings:
        part = slice(*np.searchsorted(time_us, [one.start_us, one.start_us + DAY_US]).tolist())
        since = (time_us[part] - one.start_us) / SECOND_US
        lasted = (one.end_us - one.start_us) / SECOND_US
        built = 1.0 - np.exp(-np.minimum(since, lasted) / rise_s)
        ebbed = np.exp(-np.clip(since - lasted, 0.0, None) / decay_s)
        level[part] += one.strength * built * ebbed
    return level


def silent(key: str, time_us: TimeArray) -> BoolArray:
    """Moments at which a station says nothing: a report lost now and then, a spell of silence."""
    hours = local_hours(time_us)
    days = time_us // DAY_US
    lost = uniform(f"{key} lost", time_us // SECOND_US) < 0.004
    if key == "quay-gate":
        lost |= (hours >= 13.85) & (hours < 15.1)
    if key == "glaze-dust":
        lost |= (days % 4 == 0) & (hours >= 11.35) & (hours < 11.55)
    if key == "loft-node":
        lost |= (days % 5 == 1) & (hours >= 2.0) & (hours < 5.0)
    return np.asarray(lost)

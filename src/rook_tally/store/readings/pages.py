"""Sealed pages: a day of one series in one row, with what is known of it in ever finer steps.

A page holds everything its series said on one day (UTC). Beside the exact readings (`payload`)
stand totals of the day and, when they are many readings, 24 hours and 288 buckets of five minutes,
so that a picture of any width reads no more than it needs.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from rook_tally.core.series.buckets import buckets_of, merged, with_lone_readings
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import checksum, encode
from rook_tally.core.series.readings import Readings
from rook_tally.store.readings.summaries import (
    BUCKETS_A_PAGE,
    HOURS_A_PAGE,
    PAGE_US,
    day_rows,
    packed_steps,
    step_rows,
)
from rook_tally.store.site.site import Series

# Fewer readings than this are read faster and kept smaller without so fine a summary. From a
# thousand on a payload has a page of SQLite's for itself, with room for packed hours.
_FEWEST_FOR_BUCKETS = 4_000
FEWEST_FOR_HOURS = 2_000
FEWEST_FOR_PACKED_HOURS = 1_000


def day_of(time_us: int) -> int:
    """Where the day begins that a moment falls on."""
    return time_us // PAGE_US * PAGE_US


def page_rows(
    series: Series, readings: Readings, start_us: int, end_us: int, *, fine: bool = False
) -> list[dict[str, Any]]:
    """The pages of the days in [start, end) that hold readings, as rows of the page tables.

    Pure and heavy: may run in any thread. Days are summarised together, so that a long history
    costs little more a day than its compression.

    Parameters
    ----------
    readings : Readings of shape (N,)
        All of those days, with neighbours before and after, so that means reach over midnight.
    start_us, end_us : int
        Where days begin.
    fine : bool
        With hours and buckets also where there are few readings.
    """
    days = np.arange(start_us, end_us + 1, PAGE_US)
    edges = np.searchsorted(readings.time_us, days)
    held = np.diff(edges)
    gap_s = max_gap_s(series.station.cadence_s)
    most = int(held.max(initial=0))
    has_buckets = fine or most >= _FEWEST_FOR_BUCKETS
    steps = BUCKETS_A_PAGE if has_buckets else HOURS_A_PAGE
    averaging = series.quantity.averaging
    steps_told = buckets_of(
        readings,
        start_us=start_us,
        width_us=PAGE_US // steps,
        count=steps * len(held),
        max_gap_s=gap_s,
        averaging=averaging,
    )
    steps_told = with_lone_readings(
        steps_told,
        readings,
        max_gap_s=gap_s,
        cadence_s=series.station.cadence_s,
        averaging=averaging,
    )
    hours = merged(steps_told, steps // HOURS_A_PAGE, averaging)
    totals = day_rows(merged(hours, HOURS_A_PAGE, averaging))
    hour_table, fine_table = step_rows(hours), step_rows(steps_told)
    good_us = readings.time_us[readings.good]
    good_edges = np.searchsorted(good_us, days)
    wide = np.flatnonzero(np.diff(good_us) > microseconds(gap_s))
    rows = []
    for day in np.flatnonzero(held).tolist():
        part = slice(int(edges[day]), int(edges[day + 1]))
        good = good_us[good_edges[day] : good_edges[day + 1]]
        inner = wide[(wide >= good_edges[day]) & (wide + 1 < good_edges[day + 1])]
        gaps = np.stack((good_us[inner], good_us[inner + 1]), axis=1)
        count = int(held[day])
        values = {
            "series_id": series.id,
            "start_us": int(days[day]),
            "count": count,
            "first_us": int(readings.time_us[part.start]),
            "last_us": int(readings.time_us[part.stop - 1]),
            "good_first_us": int(good[0]) if len(good) else None,
            "good_last_us": int(good[-1]) if len(good) else None,
            "totals": totals[day : day + 1].tobytes(),
            "gaps": gaps.astype("<i8").tobytes() if len(gaps) else None,
            "hours": None,
            "buckets": None,
            "packed_hours": None,
            "payload": encode(readings[part]),
        }
        mine = hour_table[day * HOURS_A_PAGE : (day + 1) * HOURS_A_PAGE]
        if fine or count >= FEWEST_FOR_HOURS:
            values["hours"] = mine.tobytes()
        elif count >= FEWEST_FOR_PACKED_HOURS:
            values["packed_hours"] = packed_steps(mine)
        if fine or count >= _FEWEST_FOR_BUCKETS:
            values["buckets"] = packed_steps(fine_table[day * steps : (day + 1) * steps])
        values["checksum"] = checksum_of(values)
        rows.append(values)
    return rows


PAGE_NUMBERS = (
    "series_id",
    "start_us",
    "count",
    "first_us",
    "last_us",
    "good_first_us",
    "good_last_us",
)
_BLOBS = ("totals", "gaps", "hours", "buckets", "packed_hours", "payload")


def checksum_of(values: dict[str, Any]) -> int:
    """CRC-32 over everything a page holds, so that damage to any part of it is found."""
    numbers = repr([values[name] for name in PAGE_NUMBERS]).encode()
    # Pages of older formats have fewer blobs, and a day in a fortnight has its readings there.
    return checksum(numbers, *(values.get(name) or b"" for name in _BLOBS))

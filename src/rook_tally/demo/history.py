"""History of the pottery: what its stations would have sent until a given moment."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.kinds import Field
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.demo.calendar import silent
from rook_tally.demo.chance import uniform
from rook_tally.demo.pottery import DemoStation
from rook_tally.demo.signals import measured


@dataclass(frozen=True, slots=True)
class FieldHistory:
    """The history of one field: times (N,) int64, values (N,) in the unit it sends."""

    field: Field
    time_us: TimeArray
    value: FloatArray


def report_times(station: DemoStation, start_us: int, end_us: int) -> TimeArray:
    """Moments in [start, end) at which a station reports, missing reports left out."""
    every_us = round(station.every_s * SECOND_US)
    # Every station has its own second to begin at.
    phase_us = int(uniform(station.key, np.array([0]))[0] * every_us) // 1000 * 1000
    first = -((phase_us - start_us) // every_us)
    time_us = np.arange(first * every_us + phase_us, end_us, every_us, dtype=np.int64)
    time_us = time_us[time_us >= start_us]
    return time_us[~silent(station.key, time_us)]


def history(station: DemoStation, end_us: int, days: float) -> list[FieldHistory]:
    """The history of each field of a station over the days before a moment."""
    time_us = report_times(station, end_us - round(days * DAY_US), end_us)
    values = measured(station, time_us)
    return [FieldHistory(field, time_us, values[field.name]) for field in station.reported]

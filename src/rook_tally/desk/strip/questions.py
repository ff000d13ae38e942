"""What the Strip asks the store: traces of its lanes over the window, and a little beside it."""

from __future__ import annotations

import enum
from dataclasses import dataclass, replace
from datetime import timedelta, tzinfo

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.envelope import Envelope
from rook_tally.core.timestamps import datetime_from_time_us, time_us_from_datetime
from rook_tally.store import Series, envelopes, gaps_between, read_range

_MOST_SUSPECT_STRETCHES = 40
_MOST_SUSPECT = 400


class Overlay(enum.Enum):
    """Which earlier days' same hours are drawn behind a lane, in days back."""

    NONE = ()
    DAY_BEFORE = (1,)
    THREE_DAYS = (1, 2, 3)
    WEEK_BEFORE = (7,)

    @property
    def next(self) -> Overlay:
        """The one that comes after it."""
        order = list(Overlay)
        return order[(order.index(self) + 1) % len(order)]


def shift_us(time_us: int, days: int, zone: tzinfo) -> int:
    """How long before a moment the same hour was so many days earlier, by the local clock."""
    local = datetime_from_time_us(time_us).astimezone(zone)
    return time_us - time_us_from_datetime(local - timedelta(days=days))


@dataclass(frozen=True, slots=True)
class Trace:
    """A series over a window and half as much again on either side, so that panning shows real data
    at once.

    Attributes
    ----------
    suspect_us, suspect : (K,) int64 and float64
        Suspect readings, unless they are too many to be told apart.
    earlier : tuple of Envelope
        Earlier days, moved to the window's time.
    """

    envelope: Envelope
    suspect_us: TimeArray
    suspect: FloatArray
    earlier: tuple[Envelope, ...] = ()


@dataclass(frozen=True, slots=True)
class LanesQuestion:
    """Asks for the traces of several series.

    `shifts_us` says how far back earlier days lie; `is_near_now` that the margin after the window
    reaches into what is still to come, where silence is no gap.
    """

    series: tuple[Series, ...]
    start_us: int
    end_us: int
    columns: int
    shifts_us: tuple[int, ...] = ()
    is_near_now: bool = False

    @property
    def subject(self) -> str:
        """One window at a time."""
        return "strip"

    @property
    def wide(self) -> tuple[int, int, int]:
        """Start, end and columns with the margins; columns are as wide as the window's own."""
        width_us = -(-(self.end_us - self.start_us) // self.columns)
        margin = self.columns // 2
        columns = self.columns + 2 * margin
        start_us = self.start_us - margin * width_us
        return start_us, start_us + columns * width_us, columns

    def answered(self, connection: Connection) -> dict[int, Trace]:
        """Traces by series id, with their exact gaps."""
        start_us, end_us, columns = self.wide
        found = envelopes(connection, self.series, start_us, end_us, columns)
        earlier = [
            (shift, envelopes(connection, self.series, start_us - shift, end_us - shift, columns))
            for shift in self.shifts_us
        ]
        traces = {}
        until_us = self.end_us if self.is_near_now else end_us
        for one in self.series:
            gaps = gaps_between(connection, one, start_us, until_us)
            envelope = replace(found[one.id], gaps=gaps)
            before = tuple(
                replace(
                    told[one.id],
                    gaps=gaps_between(connection, one, start_us - shift, end_us - shift),
                ).shifted(shift)
                for shift, told in earlier
            )
            traces[one.id] = Trace(envelope, *_suspect(connection, one, envelope), before)
        return traces


def _suspect(
    connection: Connection, series: Series, envelope: Envelope
) -> tuple[TimeArray, FloatArray]:
    """The suspect readings of an envelope, none when they are too many."""
    stretches = _stretches(np.asarray(envelope.suspect > 0, np.bool_))
    nothing = np.empty(0, dtype=np.int64), np.empty(0)
    if not len(stretches) or len(stretches) > _MOST_SUSPECT_STRETCHES:
        return nothing
    width = (envelope.end_us - envelope.start_us) // len(envelope)
    times, values = [], []
    for first, last in stretches.tolist():
        readings = read_range(
            connection, series.id, envelope.start_us + first * width,
            envelope.start_us + last * width,
        )  # fmt: skip
        times.append(readings.time_us[~readings.good])
        values.append(readings.value[~readings.good])
    if sum(len(part) for part in times) > _MOST_SUSPECT:
        return nothing
    return np.concatenate(times), np.concatenate(values)


def _stretches(marked: BoolArray) -> TimeArray:
    """(K, 2) first and end of each run of marked columns."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], marked, [False])).astype(np.int8)))
    return edges.reshape(-1, 2)

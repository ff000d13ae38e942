"""Queries of the Strip: readings of its lanes over the window, and a little beside it."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from datetime import timedelta, tzinfo

import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.spans import NOTHING, SpanStatistics
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us, time_us_from_datetime
from rook_tally.store.alarms import AlarmInterval, rings_between
from rook_tally.store.readings import envelopes, gaps_between, read_range, span_statistics
from rook_tally.store.site import Series

_LONGEST_EXACT_US = 4 * DAY_US
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
    """Time between a moment and the same local hour so many days earlier, µs."""
    local = datetime_from_time_us(time_us).astimezone(zone)
    return time_us - time_us_from_datetime(local - timedelta(days=days))


@dataclass(frozen=True, slots=True)
class LaneReadings:
    """A series over a window and half as much again on either side, so that panning shows real data
    at once.

    Attributes
    ----------
    suspect_us, suspect : (K,) int64 and float64
        Suspect readings, unless they are too many to be told apart; NaN where only the moment is
        known.
    earlier : tuple of Envelope
        Earlier days, moved to the window's time.
    rings : tuple of Ring
        What watches rang of it.
    totals : SpanStatistics
        Of the window itself, without the margins; up to now.
    """

    envelope: Envelope
    suspect_us: TimeArray
    suspect: FloatArray
    earlier: tuple[Envelope, ...] = ()
    rings: tuple[AlarmInterval, ...] = ()
    totals: SpanStatistics = NOTHING


@dataclass(frozen=True, slots=True)
class LanesQuery:
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
    def wide(self) -> tuple[int, int, int]:
        """Start, end and columns with the margins; columns are as wide as the window's own."""
        width_us = -(-(self.end_us - self.start_us) // self.columns)
        margin = self.columns // 2
        columns = self.columns + 2 * margin
        start_us = self.start_us - margin * width_us
        return start_us, start_us + columns * width_us, columns

    def run(self, connection: Connection) -> dict[int, LaneReadings]:
        """Traces by series id, with their exact gaps."""
        start_us, end_us, columns = self.wide
        found = envelopes(connection, self.series, start_us, end_us, columns)
        earlier = [
            (shift, envelopes(connection, self.series, start_us - shift, end_us - shift, columns))
            for shift in self.shifts_us
        ]
        traces = {}
        rings = rings_between(connection, start_us, end_us)
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
            traces[one.id] = LaneReadings(
                envelope,
                *_suspect(connection, one, envelope),
                before,
                rings.get(one.id, ()),
                span_statistics(connection, one, self.start_us, self.end_us),
            )
        return traces


def _suspect(
    connection: Connection, series: Series, envelope: Envelope
) -> tuple[TimeArray, FloatArray]:
    """The suspect readings of an envelope; over a long stretch only their columns, without values,
    and none when they are too many to be told apart."""
    marked = np.flatnonzero(envelope.suspect > 0)
    if not len(marked) or envelope.suspect.sum() > _MOST_SUSPECT:
        return np.empty(0, dtype=np.int64), np.empty(0)
    if envelope.end_us - envelope.start_us > _LONGEST_EXACT_US:
        return envelope.centres_us[marked].astype(np.int64), np.full(len(marked), np.nan)
    width = (envelope.end_us - envelope.start_us) // len(envelope)
    first_us = envelope.start_us + int(marked[0]) * width
    last_us = envelope.start_us + (int(marked[-1]) + 1) * width
    readings = read_range(connection, series.id, first_us, last_us)
    return readings.time_us[~readings.good], readings.value[~readings.good]

"""The past that panes need, read once and kept up to date with the readings that come."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.statistics import highest, lowest
from rook_tally.core.timestamps import (
    DAY_US,
    MINUTE_US,
    SECOND_US,
    datetime_from_time_us,
    time_us_from_datetime,
)
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.workings.evaluator import Program
from rook_tally.core.workings.scores import ScoreProgram
from rook_tally.store.alarms import purpose_of, watches
from rook_tally.store.readings import Latest, envelopes, gaps_between, newest_times, read_range
from rook_tally.store.site import RequestKind, Series, Site, Station, newest_requests
from rook_tally.store.site.guidelines import guidelines
from rook_tally.store.workings import bound_workings, inputs_of
from rook_tally.wall.pane_resolver import ResolvedPane

RIBBON_COLUMNS = 360
BUCKET_US = 5 * MINUTE_US
_LOOKED_BACK_US = 2 * DAY_US
"""A switch that has not moved for so long has been as it is for longer than we look."""
_SWITCHED_WITHIN_US = 2 * MINUTE_US
"""A request so long before a switch moved was what moved it."""


@dataclass(frozen=True, slots=True)
class DaySpan:
    """A series' lowest and highest since midnight, in the base unit."""

    low: float
    low_us: int
    high: float
    high_us: int

    def with_reading(self, time_us: int, value: float) -> DaySpan:
        """The same with one more reading."""
        low, low_us = (value, time_us) if value < self.low else (self.low, self.low_us)
        high, high_us = (value, time_us) if value > self.high else (self.high, self.high_us)
        return DaySpan(low, low_us, high, high_us)


@dataclass(frozen=True, slots=True)
class InputLoss:
    """Points that an input takes from a score: its name, points, and the series it is, if it is
    one."""

    name: str
    points: float
    series_id: int | None


@dataclass(slots=True)
class PaneData:
    """The past that a sheet needs, as of a moment.

    Attributes
    ----------
    panes : what they show
    envelopes : by series id and span in s
    peaks : the highest of each envelope's window, value and moment, by the same
    days : by series id
    since_us : by id of a series of states, since when it has been as it is; None for longer than
        we look back
    purposes : by series id, the watch or person that switched it
    losses : by id of a score's series
    newest_us : by series id, the newest moment that is counted in
    guidelines : those that columns are held against, by slug
    """

    panes: tuple[ResolvedPane, ...]
    at_us: int
    midnight_us: int = 0
    envelopes: dict[tuple[int, float], Envelope] = field(default_factory=dict)
    peaks: dict[tuple[int, float], tuple[float, int]] = field(default_factory=dict)
    days: dict[int, DaySpan] = field(default_factory=dict)
    since_us: dict[int, int | None] = field(default_factory=dict)
    purposes: dict[int, str] = field(default_factory=dict)
    losses: dict[int, tuple[InputLoss, ...]] = field(default_factory=dict)
    newest_us: dict[int, int] = field(default_factory=dict)
    guidelines: dict[str, Guideline] = field(default_factory=dict)
    _was_on: dict[int, bool] = field(default_factory=dict)

    def hear(self, reading: Latest) -> None:
        """Count a reading in that is newer than all there were of its series; any other is in."""
        series_id, is_good = reading.series_id, reading.quality == 0
        if reading.time_us <= self.newest_us.get(series_id, 0):
            return
        self.newest_us[series_id] = reading.time_us
        for key, envelope in self.envelopes.items():
            if key[0] == series_id:
                self.envelopes[key] = envelope.with_reading(
                    reading.time_us, reading.value, is_good=is_good
                )
        if not is_good:
            return
        for key, (value, _) in self.peaks.items():
            if key[0] == series_id and reading.value > value:
                self.peaks[key] = reading.value, reading.time_us
        day = self.days.get(series_id)
        if day is not None and reading.time_us >= self.midnight_us:
            self.days[series_id] = day.with_reading(reading.time_us, reading.value)
        if series_id in self._was_on:
            is_on = reading.value >= 0.5
            if is_on != self._was_on[series_id]:
                self._was_on[series_id] = is_on
                self.since_us[series_id] = reading.time_us
                # Who switched it is read with everything else, soon.
                self.purposes.pop(series_id, None)

    def is_outdated(self, now_us: int) -> bool:
        """True if it has to be read anew: a column is full, or the day is over."""
        widths = [(one.end_us - one.start_us) // len(one) for one in self.envelopes.values()]
        patience_us = min([MINUTE_US, *(max(width, 5 * SECOND_US) for width in widths)])
        return not 0 <= now_us - self.at_us < patience_us

    @property
    def series_ids(self) -> frozenset[int]:
        """Every series it is about, those a score rests on as well."""
        told = {one.id for pane in self.panes for one in pane.series}
        rests = {loss.series_id for losses in self.losses.values() for loss in losses}
        return frozenset(told | {one for one in rests if one is not None})


def midnight_before(at_us: int, zone: ZoneInfo) -> int:
    """When the local day of a moment began."""
    local = datetime_from_time_us(at_us).astimezone(zone)
    return time_us_from_datetime(local.replace(hour=0, minute=0, second=0, microsecond=0))


def read_material(
    connection: Connection,
    site: Site,
    panes: Sequence[ResolvedPane],
    at_us: int,
    *,
    columns: int = RIBBON_COLUMNS,
) -> PaneData:
    """Everything some panes need of the past before a moment."""
    midnight_us = midnight_before(at_us, ZoneInfo(site.zone))
    made = PaneData(tuple(panes), at_us, midnight_us)
    told = {series.id for pane in panes for series in pane.series}
    if told:
        made.newest_us = newest_times(connection, told, until_us=at_us)
    made.envelopes = _envelopes(connection, panes, at_us, columns)
    made.peaks = _peaks(connection, made.envelopes)
    days = _series_of(panes, PaneKind.DAY, PaneKind.COLUMNS, PaneKind.DIAL)
    made.days = _days(connection, days, midnight_us, at_us)
    against = {one.pane.guideline for one in panes} - {""}
    if against:
        made.guidelines = {one.slug: one for one in guidelines(connection) if one.slug in against}
    lamps = [
        one
        for one in _series_of(panes, PaneKind.LAMPS)
        if one.quantity.scale is QuantityScale.STATE
    ]
    for one in lamps:
        _read_switch(connection, made, one, at_us)
    scores = {one.id for one in _series_of(panes, PaneKind.SCORE)}
    if scores:
        made.losses = _losses(connection, site, scores, at_us)
    return made


def _series_of(panes: Iterable[ResolvedPane], *kinds: PaneKind) -> list[Series]:
    found = {one.id: one for pane in panes if pane.pane.kind in kinds for one in pane.series}
    return list(found.values())


def _envelopes(
    connection: Connection, panes: Sequence[ResolvedPane], at_us: int, columns: int
) -> dict[tuple[int, float], Envelope]:
    by_span: dict[float, dict[int, Series]] = {}
    for pane in panes:
        if pane.pane.kind is PaneKind.RIBBON:
            wanted = by_span.setdefault(pane.pane.span_s, {})
            wanted |= {one.id: one for one in pane.series}
    found = {}
    for span_s, several in by_span.items():
        width_us = max(round(span_s * SECOND_US) // columns, 1)
        # Whole columns, so that what was drawn keeps its place as time goes on.
        end_us = (at_us // width_us + 1) * width_us
        start_us = end_us - width_us * columns
        told = envelopes(connection, list(several.values()), start_us, end_us, columns)
        for series_id, envelope in told.items():
            one = several[series_id]
            gaps = gaps_between(connection, one, start_us, at_us)
            found[series_id, span_s] = replace(envelope, gaps=gaps)
    return found


def _peaks(
    connection: Connection, several: Mapping[tuple[int, float], Envelope]
) -> dict[tuple[int, float], tuple[float, int]]:
    """The highest reading of each envelope and its very moment: a column alone says when about."""
    found = {}
    for key, envelope in several.items():
        if envelope.is_empty:
            continue
        top = int(np.nanargmax(envelope.high))
        width_us = (envelope.end_us - envelope.start_us) // len(envelope)
        begin_us = envelope.start_us + top * width_us
        # A summary counts into the column it begins in, and reaches a little into the next.
        told = highest(read_range(connection, key[0], begin_us, begin_us + width_us + BUCKET_US))
        if told.value is not None and told.time_us is not None:
            found[key] = told.value, told.time_us
    return found


def _days(
    connection: Connection, series: Iterable[Series], midnight_us: int, at_us: int
) -> dict[int, DaySpan]:
    found = {}
    for one in series:
        readings = read_range(connection, one.id, midnight_us, at_us + 1)
        low, high = lowest(readings), highest(readings)
        if low.value is not None and low.time_us is not None:
            assert high.value is not None
            assert high.time_us is not None
            found[one.id] = DaySpan(low.value, low.time_us, high.value, high.time_us)
    return found


def _read_switch(connection: Connection, made: PaneData, one: Series, at_us: int) -> None:
    """Since when a series of states has been as it is, and who switched it."""
    readings = read_range(connection, one.id, at_us - _LOOKED_BACK_US, at_us + 1)
    time_us, value = readings.time_us[readings.good], readings.value[readings.good]
    if not len(value):
        return
    is_on = value >= 0.5
    made._was_on[one.id] = bool(is_on[-1])
    moved = np.flatnonzero(is_on[1:] != is_on[:-1])
    made.since_us[one.id] = int(time_us[moved[-1] + 1]) if len(moved) else None
    purpose = _purpose(connection, one.station, made.since_us[one.id])
    if purpose:
        made.purposes[one.id] = purpose


def _purpose(connection: Connection, station: Station, since_us: int | None) -> str:
    """The name of the watch, or of the person, that asked for it; empty when nobody did."""
    if since_us is None or not station.kind.controls:
        return ""
    late_us = since_us + round(max_gap_s(station.cadence_s) * SECOND_US)
    for request in newest_requests(connection, station.key):
        if request.sort is RequestKind.CONTROL and request.asked_us <= late_us:
            if request.asked_us < since_us - _SWITCHED_WITHIN_US:
                return ""
            names = {purpose_of(watch.slug): watch.name for watch in watches(connection)}
            return names.get(request.who, request.who)
    return ""


def _losses(
    connection: Connection, site: Site, scores: Collection[int], at_us: int
) -> dict[int, tuple[InputLoss, ...]]:
    """Points that each input takes from scores at a moment, the most first."""
    found = {}
    for series, bound in bound_workings(connection, site):
        program = bound.program
        if series.id not in scores or not isinstance(program, ScoreProgram):
            continue
        readings = program.readings(
            inputs_of(connection, program, at_us, at_us + 1), np.array([at_us])
        )
        losses = program.added_up(readings).losses[:, 0].tolist()
        told = [
            InputLoss(one.name, points, _alone(part))
            for one, points, part in zip(
                program.score.inputs, losses, program.programs, strict=True
            )
            if math.isfinite(points)
        ]
        found[series.id] = tuple(sorted(told, key=lambda one: -one.points))
    return found


def _alone(part: Program | None) -> int | None:
    """The one series an input reads; None where it reads several or none."""
    inputs = part.inputs if part is not None else ()
    return inputs[0].series_id if len(inputs) == 1 else None

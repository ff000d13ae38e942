"""Working out: what new readings come to, in the transaction that writes them.

Each series of a working is worked out anew from the first moment its inputs told something new, by
the very evaluation that works out its history. What its inputs said lately is kept here, so that
nothing is read from the store as long as readings come in order and nobody else writes.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING

import numpy as np
import structlog
from sqlalchemy.engine import Connection

from rook_tally.alarming.recent_window import SLACK_US, Tail
from rook_tally.core.arrays import BoolArray, FloatArray, TimeArray
from rook_tally.core.series.corrections import Correction, corrected_values
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.store.base import add_due, newest_seq, readings_changed_since
from rook_tally.store.readings import (
    NewReading,
    append_readings,
    newest_row_us,
    read_range,
    remove_readings,
)
from rook_tally.store.site import Series, corrections_of, load_site
from rook_tally.store.workings import bound_workings, workings

if TYPE_CHECKING:
    from rook_tally.core.workings.binding import Bound

_LATE_US = 15 * MINUTE_US
"""What changes further back than this (and what a working looks at) is left to the background."""
FAULTS = (ArithmeticError, ValueError, LookupError, TypeError, MemoryError)
"""What a formula that was checked cannot raise, unless we made a mistake."""

_log = structlog.get_logger(__name__)


class LiveWorkings:
    """The workings of a site as one collector works them out. Used by one thread."""

    def __init__(self) -> None:
        self._bound: list[tuple[Series, Bound]] = []
        self._users: dict[int, list[int]] = {}
        self._tails: dict[int, Tail] = {}
        self._reach_us: dict[int, int] = {}
        self._factors: dict[int, float] = {}
        self._corrections: Mapping[int, list[Correction]] = {}
        self._seen_seq = -1
        self._site_seq = -1
        self._new: list[NewReading] = []
        self._heard_lately: dict[int, InputSamples] = {}
        self._inputs = Inputs(self._heard_lately)
        self._shown: dict[int, Tail] = {}
        self._told: dict[int, list[NewReading]] = {}

    def refresh(self, connection: Connection, site_seq: int) -> None:
        """Bind anew when the configuration changed; drop what others wrote to meanwhile."""
        if site_seq != self._site_seq:
            self._site_seq = site_seq
            self._bind(connection)
            return
        if not self._bound:
            return
        newest, series_ids = readings_changed_since(connection, self._seen_seq)
        for series_id in series_ids:
            self._tails.pop(series_id, None)
        self._seen_seq = newest

    def _bind(self, connection: Connection) -> None:
        several = workings(connection)
        self._bound = bound_workings(connection, load_site(connection)) if several else []
        self._users, self._tails, self._reach_us, self._factors = {}, {}, {}, {}
        for at, (series, bound) in enumerate(self._bound):
            reach_us = bound.program.reach_us
            for one in bound.program.inputs:
                users = self._users.setdefault(one.series_id, [])
                if at not in users:
                    users.append(at)
                known = self._reach_us.get(one.series_id, 0)
                self._reach_us[one.series_id] = max(known, reach_us)
                self._factors[one.series_id] = one.factor
            # Its own results are held as well, to see which of them change.
            self._reach_us[series.id] = max(self._reach_us.get(series.id, 0), _LATE_US)
            self._factors.setdefault(series.id, 1.0)
        self._corrections = corrections_of(connection, list(self._factors))
        self._seen_seq = newest_seq(connection)

    def work_out(
        self,
        connection: Connection,
        written: Mapping[int, list[NewReading]],
        judged: Mapping[int, int],
    ) -> dict[int, list[NewReading]]:
        """Work out what rests on readings just written; returns what that came to, by series id.

        Parameters
        ----------
        written : the readings by series id, in the order they arrived
        judged : by series id the first moment at which earlier readings were judged anew
        """
        self._told, self._shown, self._heard_lately = {}, {}, {}
        self._inputs = Inputs(self._heard_lately)
        changed_us: dict[int, int] = {}
        for series_id, readings in written.items():
            if series_id in self._users:
                first_us = self._heard(connection, series_id, readings)
                changed_us[series_id] = first_us
        for series_id, moment_us in judged.items():
            if series_id in self._users:
                self._tails.pop(series_id, None)
                changed_us[series_id] = min(moment_us, changed_us.get(series_id, moment_us))
        if not changed_us:
            return self._told
        touched = {at for series_id in changed_us for at in self._users[series_id]}
        for at in range(min(touched), len(self._bound)):
            if at in touched:
                series, bound = self._bound[at]
                first_us = min(
                    changed_us[one] for one in bound.program.series_ids if one in changed_us
                )
                try:
                    moved_us = self._work_out_one(connection, series, bound, first_us)
                except FAULTS as error:
                    # A fault of ours in a formula must not cost anybody a reading.
                    _log.error("not_worked_out", working=bound.working.slug, why=repr(error))
                    self._tails.pop(series.id, None)
                    continue
                if moved_us is not None and series.id in self._users:
                    changed_us[series.id] = moved_us
                    touched.update(self._users[series.id])
        self._write(connection)
        self._seen_seq = newest_seq(connection)
        return self._told

    def _heard(self, connection: Connection, series_id: int, readings: list[NewReading]) -> int:
        """Take readings of an input in; the first moment at which it tells something new."""
        first_us = min(one.time_us for one in readings)
        tail = self._tails.get(series_id)
        if tail is None:
            return first_us
        corrections = self._corrections.get(series_id, [])
        factor = self._factors[series_id]
        newest_us = tail.newest_us
        for one in readings:
            if one.time_us <= newest_us:
                # Late, or said anew: read from the store when it is needed.
                del self._tails[series_id]
                break
            if one.quality is Quality.GOOD and np.isfinite(one.value):
                value = one.value
                if corrections:
                    moment, raw = np.array([one.time_us]), np.array([one.value])
                    value = float(corrected_values(moment, raw, corrections)[0])
                tail.add(one.time_us, value * factor)
            newest_us = one.time_us
        return first_us

    def _tail(self, connection: Connection, series_id: int, since_us: int) -> Tail:
        """The readings of a series from a moment on, read from the store where need be."""
        tail = self._tails.get(series_id)
        if tail is None or tail.since_us > since_us:
            from_us = since_us - SLACK_US
            self._write(connection)
            readings = read_range(connection, series_id, from_us, _ALWAYS_US)
            good = readings.good
            tail = self._tails[series_id] = Tail(self._reach_us[series_id] + _LATE_US)
            tail.fill(
                readings.time_us[good], readings.value[good] * self._factors[series_id], from_us
            )
        return tail

    def _write(self, connection: Connection) -> None:
        """Write the results gathered so far: all of a batch together, as far as that goes."""
        if self._new:
            append_readings(connection, self._new)
            self._new = []

    def _newest_us(self, connection: Connection, series_id: int) -> int:
        tail = self._tails.get(series_id)
        if tail is not None:
            return tail.newest_us
        return newest_row_us(connection, series_id)

    def _inputs_since(
        self, connection: Connection, series_ids: Collection[int], since_us: int
    ) -> Inputs:
        """What some series said from a moment on, or from further back: one for all workings of a
        batch, as what is held at the moment of a reading is the same for each of them."""
        for series_id in series_ids:
            tail = self._tail(connection, series_id, since_us)
            shown = self._shown.get(series_id)
            if shown is not tail:
                self._shown[series_id] = tail
                self._heard_lately[series_id] = InputSamples(*tail.all)
                if shown is not None:
                    # Read anew from further back: what was found before does not hold for that.
                    self._inputs = Inputs(self._heard_lately)
        return self._inputs

    def _work_out_one(
        self, connection: Connection, series: Series, bound: Bound, first_us: int
    ) -> int | None:
        """Work a series out from a moment on; the first moment at which it changed, if it did."""
        program = bound.program
        newest_us = max([self._newest_us(connection, one) for one in program.series_ids])
        if newest_us - first_us > _LATE_US:
            # Its past changes: in the background, and nobody waits for it.
            add_due(connection, series.id, first_us, _ALWAYS_US)
            return None
        held = self._tail(connection, series.id, first_us)
        inputs = self._inputs_since(connection, program.series_ids, first_us - program.reach_us)
        times, value = program.worked_out(inputs, first_us, None)
        known = np.isfinite(value)
        if not known.all():
            times, value = times[known], value[known]
        new, gone = _what_is_new(held, first_us, times, value, self._factors[series.id])
        new_times, new_value = (times, value) if new is None else (times[new], value[new])
        if not len(new_times) and not len(gone):
            return None
        if len(gone):
            remove_readings(connection, series.id, gone.copy())
        told = [
            NewReading(series.id, moment, one, Quality.GOOD)
            for moment, one in zip(new_times.tolist(), new_value.tolist(), strict=True)
        ]
        self._new += told
        self._told[series.id] = told
        moved = min([int(part[0]) for part in (new_times, gone) if len(part)])
        held.cut(first_us)
        for moment, one in zip(times.tolist(), value.tolist(), strict=True):
            held.add(moment, one * self._factors[series.id])
        return moved

    def forget(self) -> None:
        """Drop all that is known: the last batch was not written."""
        self._new = []
        self._tails.clear()
        self._site_seq = -1


def _what_is_new(
    held: Tail, first_us: int, times: TimeArray, value: FloatArray, factor: float
) -> tuple[BoolArray | None, TimeArray]:
    """Which of a series' values from a moment on are not held yet (None: all), and the moments of
    those held that are no more."""
    old_times, old_value = held.since(first_us)
    if not len(old_times):
        return None, old_times
    at = np.searchsorted(old_times, times)
    there = at < len(old_times)
    same = np.zeros(len(times), dtype=np.bool_)
    same[there] = (old_times[at[there]] == times[there]) & (
        old_value[at[there]] == value[there] * factor
    )
    return ~same, np.setdiff1d(old_times, times)


_ALWAYS_US = 1 << 60

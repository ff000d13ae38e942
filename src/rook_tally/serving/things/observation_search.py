"""Observations that are asked for, found without reading all there are: in the order of time as
many as are shown, from the end at which they begin."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import HOUR_US, SECOND_US
from rook_tally.serving.things.entities import Observations
from rook_tally.serving.things.filters import Filter, bounds_of, filter_of
from rook_tally.serving.things.options import Options
from rook_tally.store.readings import read_range, span_of
from rook_tally.store.site import Series

_TIMES = (("phenomenonTime",), ("resultTime",))
_IDS = (("id",), ("@iot.id",))
_MOST_SCANNED = 2_000_000
_WIDER = 4


class ObservationSearch:
    """Looks for the observations of some series that pass a filter, ordered."""

    def __init__(self, connection: Connection, series: Sequence[Series], options: Options) -> None:
        self._connection, self._series, self._options = connection, series, options
        self._filter: Filter | None = filter_of(options.filter) if options.filter else None
        self._scanned = 0

    def found(self) -> tuple[Observations, int]:
        """Those that pass, ordered, at least as far as they are shown; how many of them there are,
        or one more than are shown where nobody asked for their number.

        Raises
        ------
        UsageError
            For a filter or an order that would have everything read: it says how to go on.
        """
        stretch = self._stretch()
        if stretch is None:
            return joined([]), 0
        start_us, end_us = stretch
        options = self._options
        first = options.orderby[0] if options.orderby else (_TIMES[0], False)
        if options.count or first[0] not in _TIMES:
            found = self._passed(start_us, end_us)
            return found.taken(order_of(found, options)), len(found)
        found = self._from_one_end(start_us, end_us, is_down=first[1])
        return found.taken(order_of(found, options)), len(found)

    def _stretch(self) -> tuple[int, int] | None:
        """From where to where observations can lie; None where there are none."""
        told = self._options.filter
        lows, highs = [], []
        for name in ("phenomenonTime", "resultTime") if told else ():
            low, high = bounds_of(told, name)
            lows += [low] if low is not None else []
            highs += [high + 1] if high is not None else []
        span = span_of(self._connection, [one.id for one in self._series])
        if span is None:
            return None
        start_us, end_us = max([span[0], *lows]), min([span[1] + 1, *highs])
        return (start_us, end_us) if start_us < end_us else None

    def _from_one_end(self, start_us: int, end_us: int, *, is_down: bool) -> Observations:
        """Wider and wider stretches from the first that is shown, until there are enough."""
        needed = self._options.skip + self._options.limit + 1
        cadence_s = min(one.station.cadence_s for one in self._series)
        width_us = max(HOUR_US, round(needed * cadence_s * SECOND_US / len(self._series)))
        parts: list[Observations] = []
        count, low_us, high_us = 0, start_us, end_us
        while count < needed and low_us < high_us:
            if is_down:
                begin_us, stop_us = max(low_us, high_us - width_us), high_us
                high_us = begin_us
            else:
                begin_us, stop_us = low_us, min(high_us, low_us + width_us)
                low_us = stop_us
            told = self._passed(begin_us, stop_us)
            parts.append(told)
            count += len(told)
            width_us *= _WIDER
        return joined(parts)

    def _passed(self, start_us: int, end_us: int) -> Observations:
        parts = []
        for one in self._series:
            told = read_range(self._connection, one.id, start_us, end_us)
            self._scanned += len(told)
            if self._scanned > _MOST_SCANNED:
                raise UsageError(
                    "that asks for more observations than are looked through at once",
                    kept=f"{_MOST_SCANNED:,} of them were read",
                    remedy="ask one Datastream without $count, or give a stretch: "
                    "$filter=phenomenonTime ge 2026-11-01T00:00:00Z",
                )
            number = np.full(len(told), one.id, np.int64)
            parts.append(Observations(number, told.time_us, told.value, told.quality))
        found = joined(parts)
        if self._filter is None:
            return found
        passed = self._filter.of(found.value_at)
        return found.taken(np.broadcast_to(np.asarray(passed, np.bool_), (len(found),)))


def order_of(found: Observations, options: Options) -> Any:
    """In which order observations are told: by time where nothing else is said."""
    is_down = any(path in _TIMES and down for path, down in options.orderby)
    keys = [found.series, -found.time_us if is_down else found.time_us]
    for path, down in reversed(options.orderby):
        column = found.value_at(path)
        if column is None:
            if path in _IDS:
                continue
            raise UsageError(f"observations have no {'/'.join(path)} to be ordered by")
        keys.append(-column.astype(np.float64) if down else column)
    return np.lexsort(keys)


def joined(parts: Sequence[Observations]) -> Observations:
    """Several as one."""
    if len(parts) == 1:
        return parts[0]
    nothing = Observations(
        np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0), np.empty(0, np.uint8)
    )
    told = [nothing, *parts]
    return Observations(
        np.concatenate([one.series for one in told]),
        np.concatenate([one.time_us for one in told]),
        np.concatenate([one.value for one in told]),
        np.concatenate([one.quality for one in told]),
    )

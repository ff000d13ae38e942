"""Inputs of a formula kept between two keystrokes: read once, then only what came since.

Lives in the process that answers questions. Readings that changed further back, by a correction, an
overruling or a late message, are read again from there on.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.series.readings import Readings
from rook_tally.core.workings.alignment import Inputs, heard_of
from rook_tally.store.base import are_forgotten, changed_since, newest_seq, schema
from rook_tally.store.readings import read_range

_MOST_KEPT = 24
_MOST_REMEMBERED = 64 << 20
_versions = itertools.count(1)


@dataclass(slots=True)
class _Kept:
    start_us: int
    end_us: int
    seq: int
    readings: Readings
    version: int = 0


class InputCache:
    """Readings of some series of one store, over the stretches asked for last."""

    def __init__(self) -> None:
        self._kept: dict[tuple[str, int], _Kept] = {}
        self._inputs: tuple[object, Inputs] | None = None

    def readings(
        self, connection: Connection, series_id: int, start_us: int, end_us: int
    ) -> Readings:
        """As `read_range` gives them."""
        key = (str(connection.engine.url), series_id)
        kept = self._kept.get(key)
        if kept is None or start_us < kept.start_us or self._is_altered(connection, kept):
            kept = self._read(connection, key, start_us, end_us)
        changed_us = _first_change(connection, series_id, kept.seq)
        known_until = min(kept.end_us, changed_us)
        if end_us > known_until or changed_us < kept.end_us:
            held = kept.readings[: int(np.searchsorted(kept.readings.time_us, known_until))]
            fresh = read_range(connection, series_id, known_until, end_us)
            kept.readings = Readings(
                np.concatenate((held.time_us, fresh.time_us)),
                np.concatenate((held.value, fresh.value)),
                np.concatenate((held.quality, fresh.quality)),
            )
            kept.end_us, kept.seq = end_us, newest_seq(connection)
            kept.version = next(_versions)
        times = kept.readings.time_us
        part = slice(*np.searchsorted(times, [start_us, end_us]).tolist())
        return kept.readings[part]

    def inputs(
        self, connection: Connection, factors: Mapping[int, float], start_us: int, end_us: int
    ) -> Inputs:
        """Readings of several series, ready for a formula.

        As long as nothing came and the window stays, the same ones: what was found out of them for
        the formula before (which moments they share, what is held on) is known for the next.
        """
        found = {
            series_id: self.readings(connection, series_id, start_us, end_us)
            for series_id in factors
        }
        key = (
            str(connection.engine.url),
            start_us,
            end_us,
            tuple(sorted(factors.items())),
            tuple(self._kept[str(connection.engine.url), one].version for one in found),
        )
        if self._inputs is None or self._inputs[0] != key:
            self._inputs = (
                key,
                Inputs(
                    {
                        series_id: heard_of(readings, factors[series_id])
                        for series_id, readings in found.items()
                    }
                ),
            )
        elif self._inputs[1].remembered_bytes > _MOST_REMEMBERED:
            # Every window of time that was tried has moments of its own.
            self._inputs = (key, Inputs(self._inputs[1].heard))
        return self._inputs[1]

    def _is_altered(self, connection: Connection, kept: _Kept) -> bool:
        return changed_since(connection, kept.seq).site

    def _read(
        self, connection: Connection, key: tuple[str, int], start_us: int, end_us: int
    ) -> _Kept:
        while len(self._kept) >= _MOST_KEPT:
            del self._kept[next(iter(self._kept))]
        seq = newest_seq(connection)
        readings = read_range(connection, key[1], start_us, end_us)
        self._kept.pop(key, None)
        kept = self._kept[key] = _Kept(start_us, end_us, seq, readings, next(_versions))
        return kept


def _first_change(connection: Connection, series_id: int, seq: int) -> int:
    if are_forgotten(connection, seq):
        return -1
    changes = schema.change.c
    first = connection.execute(
        sa.select(sa.func.min(changes.from_us)).where(
            changes.seq > seq, changes.series_id == series_id
        )
    ).scalar()
    return 1 << 62 if first is None else int(first)


KEPT = InputCache()
"""Those of this process."""

"""The site in figures that the head and the tray tell every second: who is heard, what is raised.

Kept in arrays and brought up to date by what came, as a site may have thousands of series.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from rook_tally.core.arrays import BoolArray, IntArray
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import SILENT_CADENCES
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.readings import Latest
from rook_tally.store.site import Series, Site

_NEVER, _ALWAYS = np.iinfo(np.int64).min // 2, np.iinfo(np.int64).max


class _Standing(NamedTuple):
    """The figures hold from `from_us` until before `until_us`, unless a reading changes them.
    `silent` says of each station whether it is silent."""

    from_us: int
    until_us: int
    silent: BoolArray
    heard: int
    raised: int
    worst: Level


class SiteFigures:
    """Figures over a site and the newest reading of each series.

    Attributes
    ----------
    by_id : every series by its id
    """

    def __init__(self, site: Site, latest: Mapping[int, Latest]) -> None:
        self.by_id: dict[int, Series] = {one.id: one for one in site.series}
        stations = {one.id: one for one in site.stations}
        self._count = len(stations)
        # Workings stand at stations of their own, which are not among those that report.
        for series in site.series:
            stations.setdefault(series.station.id, series.station)
        self._station_at = {key: at for at, key in enumerate(stations)}
        self._silent_us = np.array(
            [SILENT_CADENCES * one.cadence_s * SECOND_US for one in stations.values()]
        )
        self._offline_us = np.array(
            [
                _NEVER if one.offline_since_us is None else one.offline_since_us
                for one in stations.values()
            ],
            dtype=np.int64,
        )
        spans = [one.maintenance or (_NEVER, _NEVER) for one in stations.values()]
        self._maintenance_us = np.array(spans, dtype=np.int64).reshape(-1, 2)
        self._heard_us = np.full(len(stations), _NEVER, dtype=np.int64)
        self._series_at = {key: at for at, key in enumerate(self.by_id)}
        self._stands_at = np.array(
            [self._station_at[one.station.id] for one in self.by_id.values()], dtype=np.int64
        )
        self._levels = np.zeros(len(self.by_id), dtype=np.int8)
        self._standing: _Standing | None = None
        self.take(latest)

    def take(self, latest: Mapping[int, Latest]) -> None:
        """Newest readings that came, by series id."""
        for series_id, reading in latest.items():
            series = self.by_id.get(series_id)
            if series is None:
                continue
            at = self._series_at[series_id]
            is_good = reading.quality == 0
            limits = series.limits.at(reading.time_us)
            level = limits.level_of(reading.value) if is_good else 0
            station = int(self._stands_at[at])
            standing = self._standing
            if standing and (standing.silent[station] or level != self._levels[at]):
                self._standing = None
            self._levels[at] = level
            self._heard_us[station] = max(int(self._heard_us[station]), reading.time_us)

    def heard(self, now_us: int) -> tuple[int, int]:
        """Number of stations that are not silent, and of all; those under maintenance are not."""
        return self._as_of(now_us).heard, self._count

    def raised(self, now_us: int) -> tuple[int, Level]:
        """Number of series of heard stations that are raised or worse, and the worst level."""
        standing = self._as_of(now_us)
        return standing.raised, standing.worst

    def telling_levels(self, now_us: int) -> dict[int, int]:
        """The level of each series by its id; 0 while its station is silent or maintained."""
        levels = self._levels_that_tell(now_us)
        return dict(zip(self.by_id, levels.tolist(), strict=True))

    def _as_of(self, now_us: int) -> _Standing:
        """Return the figures at a moment. The head asks every second, so they are counted anew only
        after a reading changed them, or once a station falls silent or its maintenance begins or
        ends."""
        standing = self._standing
        if standing is None or not standing.from_us <= now_us < standing.until_us:
            silent, maintained = self._silent(now_us), self._maintained(now_us)
            levels = self._levels_that_tell(now_us)
            edges_us = np.concatenate(
                ((self._heard_us + self._silent_us)[~silent], self._maintenance_us.ravel())
            )
            standing = self._standing = _Standing(
                now_us,
                int(edges_us[edges_us > now_us].min(initial=_ALWAYS)),
                silent,
                self._count - int(np.count_nonzero((silent & ~maintained)[: self._count])),
                int(np.count_nonzero(levels >= Level.RAISED)),
                Level(int(levels.max(initial=0))),
            )
        return standing

    def _levels_that_tell(self, now_us: int) -> IntArray:
        says_nothing = self._silent(now_us) | self._maintained(now_us)
        return np.where(says_nothing[self._stands_at], 0, self._levels)

    def _maintained(self, now_us: int) -> BoolArray:
        begin, end = self._maintenance_us.T
        return np.asarray((begin <= now_us) & (now_us < end), np.bool_)

    def _silent(self, now_us: int) -> BoolArray:
        age_us = np.maximum(now_us - self._heard_us, 0)
        offline = (self._offline_us != _NEVER) & (self._heard_us <= self._offline_us)
        return np.asarray(
            (self._heard_us == _NEVER) | (age_us >= self._silent_us) | offline, np.bool_
        )

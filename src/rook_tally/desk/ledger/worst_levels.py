"""Works out the worst level of each place; without Qt."""

from __future__ import annotations

from collections.abc import Iterable

from rook_tally.core.quantities.levels import Level
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.ledger.rows import PlaceRow


class WorstLevels:
    """The worst level of each place, kept until something of the place changes: a large site has
    hundreds, and at every reading one of them is another."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self._by_place: dict[int, Level] = {}
        self._by_series: dict[int, int] | None = None

    def forget(self, rows: Iterable[PlaceRow]) -> None:
        """Something of these places changed."""
        self._by_series = None
        for row in rows:
            self._by_place.pop(row.place.id, None)

    def forget_all(self) -> None:
        """Anything may have changed."""
        self._by_series = None
        self._by_place.clear()

    @property
    def by_series(self) -> dict[int, int]:
        """Levels by the series' id, of those whose stations are heard."""
        if self._by_series is None:
            self._by_series = self._state.telling_levels()
        return self._by_series

    def of_place(self, row: PlaceRow) -> Level:
        """The worst level of a place; stations that are silent do not count."""
        known = self._by_place.get(row.place.id)
        if known is None:
            levels = self.by_series
            several = (one for group in row.series.values() for one in group)
            known = Level(max((levels.get(one.id, 0) for one in several), default=0))
            self._by_place[row.place.id] = known
        return known

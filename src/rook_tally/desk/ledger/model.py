"""The model of the Ledger: its rows, columns and cells; without Qt."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable

from rook_tally.core.quantities.display_unit import DisplayUnit, base_shown
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.freshness import Freshness
from rook_tally.desk.data.settings import LedgerArrangement, LedgerOrder
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.ledger.cell_view import (
    Cell,
    cell_of,
    has_proposal,
    level_now,
    named_cell,
    spoken_cell,
)
from rook_tally.desk.ledger.layout import LedgerLayout, lay_out
from rook_tally.desk.ledger.row_head import RowHead, row_head
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, Row, SummaryRow
from rook_tally.desk.ledger.summaries import summarised_values, summary_figure
from rook_tally.desk.ledger.worst_levels import WorstLevels
from rook_tally.store.site import Series, Site


class LedgerModel:
    """Rows, columns and cells over a `SiteState`.

    `laid_out` callbacks run when rows or columns changed; `all_changed` ones when every cell may
    have; `cells_changed` ones get (row, column) pairs; `heads_changed` ones get the
    rows whose heads say something else.
    """

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.arrangement = LedgerArrangement()
        self.layout = LedgerLayout()
        # What of the last cell was picked last, by the place's id.
        self._also_first: dict[int, str] = {}
        self.laid_out: list[Callable[[], None]] = []
        self.cells_changed: list[Callable[[set[tuple[int, int]]], None]] = []
        self.all_changed: list[Callable[[], None]] = []
        self.heads_changed: list[Callable[[set[int]], None]] = []
        self._site: Site | None = None
        # As of the last tick or news, of the rows that are seen.
        self._heads: dict[int, RowHead] = {}
        self._cells: dict[tuple[int, int], Cell | None] = {}
        # What the summary lines speak for, by column.
        self._summarised: dict[int, list[float]] = {}
        self._freshness: dict[int, Freshness] = {}
        self._worst = WorstLevels(state)
        # The rows that are seen; whoever draws them says which those are.
        self.visible_rows: Callable[[], Iterable[int]] = lambda: range(len(self.rows))
        state.subscribe(self._on_state_changed)

    @property
    def state(self) -> SiteState:
        """The site's state that it shows."""
        return self._state

    @property
    def rows(self) -> list[Row]:
        """The rows, from the top."""
        return self.layout.rows

    @property
    def columns(self) -> list[Quantity]:
        """The quantities that have a column of their own."""
        return self.layout.columns

    @property
    def also(self) -> list[Quantity]:
        """The quantities of the last cells."""
        return self.layout.also

    def _place_rows(self) -> list[PlaceRow]:
        return [one for one in self.rows if isinstance(one, PlaceRow)]

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if changed is None:
            self._worst.forget_all()
            if self._is_laid_out():
                # Another moment of the same site: every cell may say something else.
                self._forget_drawn()
                for callback in self.all_changed:
                    callback()
            else:
                self._lay_out()
            return
        cells = {self.layout.where[one] for one in changed if one in self.layout.where}
        self._forget_worst(cells)
        if cells:
            self._announce(cells | self._summaries_of(cells))

    def _forget_drawn(self) -> None:
        self._cells.clear()
        self._summarised.clear()
        self._heads.clear()

    def _lay_out(self) -> None:
        if self._site is not self._state.site:
            self._worst.forget_all()
        site = self._site = self._state.site
        self._forget_drawn()
        groups = self._state.groups
        self.layout = lay_out(site, self.arrangement, groups, self._worst.of_place)
        for callback in self.laid_out:
            callback()

    def _forget_worst(self, cells: set[tuple[int, int]]) -> None:
        rows = (self.rows[at] for at in {row for row, _ in cells})
        self._worst.forget(one for one in rows if isinstance(one, PlaceRow))

    def _is_laid_out(self) -> bool:
        """True if rows and columns are as they should be."""
        if self._site is not self._state.site:
            return False
        by_place = self.arrangement.order is LedgerOrder.PLACES
        return by_place or not self._is_out_of_order()

    def _announce(self, cells: set[tuple[int, int]]) -> None:
        for where in cells:
            self._cells.pop(where, None)
            self._summarised.pop(where[1], None)
        for callback in self.cells_changed:
            callback(cells)
        self._announce_heads({row for row, _ in cells})

    def _announce_heads(self, rows: set[int]) -> None:
        """Tell of the heads among these rows that say something else than before; of rows out of
        sight nothing is worked out, they say what is so once they are seen."""
        seen = rows & set(self.visible_rows())
        moved = set()
        for row in rows - seen:
            self._heads.pop(row, None)
        for row in seen:
            head = self.head(row)
            if head is not None and not head.says(self._heads.get(row)):
                self._heads[row] = head
                moved.add(row)
        if moved:
            for callback in self.heads_changed:
                callback(moved)

    def head_drawn(self, row: int) -> RowHead | None:
        """The head of a place's row as of the last tick; None for other rows."""
        if row not in self._heads:
            head = self.head(row)
            if head is None:
                return None
            self._heads[row] = head
        return self._heads[row]

    def head(self, row: int) -> RowHead | None:
        """The head of a place's row; None for other rows."""
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return None
        return row_head(self._state, line, self.layout.stations.get(line.place.id, []))

    def _summaries_of(self, cells: set[tuple[int, int]]) -> set[tuple[int, int]]:
        lines = [at for at, row in enumerate(self.rows) if isinstance(row, SummaryRow)]
        return {(line, column) for line in lines for _, column in cells}

    def tick(self) -> None:
        """Time went on: ages grow, and what has become late or silent must be drawn so."""
        state = {one.id: self._state.station_freshness(one) for one in self._state.site.stations}
        moved = {one for one, now in state.items() if self._freshness.get(one) is not now}
        self._freshness = state
        cells = set()
        if moved:
            cells = {
                self.layout.where[one.id]
                for one in self._state.site.series_shown
                if one.station.id in moved and one.id in self.layout.where
            }
            self._forget_worst(cells)
        if self.arrangement.order is LedgerOrder.WORST_FIRST and self._is_out_of_order():
            self._lay_out()
            return
        if cells:
            self._announce(cells | self._summaries_of(cells))
        self._announce_heads(set(range(len(self.rows))))

    def _is_out_of_order(self) -> bool:
        worst = [self._worst.of_place(one) for one in self._place_rows()]
        return any(one < later for one, later in itertools.pairwise(worst))

    @property
    def hidden_count(self) -> int:
        """Number of hidden places and quantities."""
        return len(self.arrangement.hidden_places) + len(self.arrangement.hidden_quantities)

    def arrange(self, arrangement: LedgerArrangement) -> None:
        """Arrange it so."""
        self._worst.forget_all()
        self.arrangement = arrangement
        self._lay_out()

    def floor_of(self, row: int) -> str:
        """The floor that a row belongs to, or is; empty where it is in none."""
        line = self.rows[row] if 0 <= row < len(self.rows) else None
        if isinstance(line, PlaceRow) and line.is_folded:
            return line.place.name
        bands = (one for one in reversed(self.rows[: row + 1]) if isinstance(one, GroupRow))
        band = next(bands, None)
        return "" if band is None or isinstance(line, SummaryRow) else band.floor

    def is_band(self, row: int) -> bool:
        """True for the line over a floor's rooms, and for a floor that is folded."""
        line = self.rows[row] if 0 <= row < len(self.rows) else None
        if isinstance(line, GroupRow):
            return bool(line.floor)
        return isinstance(line, PlaceRow) and line.is_folded

    def series_at(self, row: int, column: int) -> tuple[Series, ...]:
        """The series of a cell, the shown one first; empty where there is none."""
        if not (0 <= row < len(self.rows) and 0 <= column < self.column_count):
            return ()
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return ()
        if self.is_also(column):
            return self._also_of(line)
        return self._series_of(line, self.columns[column].slug)

    def _series_of(self, line: PlaceRow, slug: str) -> tuple[Series, ...]:
        """A row's series of a quantity, the shown one first: of a floor that is folded the
        worst."""
        several = line.series.get(slug, ())
        if not line.is_folded or len(several) < 2:
            return several
        latest = self._state.latest
        return tuple(
            sorted(several, key=lambda one: (one.id not in latest, -level_now(self._state, one)))
        )

    @property
    def column_count(self) -> int:
        """Number of columns, with that of the last cells where there is one."""
        return len(self.columns) + bool(self.also)

    def is_also(self, column: int) -> bool:
        """True for the column of the last cells."""
        return bool(self.also) and column == len(self.columns)

    def _also_of(self, line: PlaceRow) -> tuple[Series, ...]:
        """What else a place tells: the one picked last first, else the worst."""
        found = [
            self._series_of(line, one.slug)[0] for one in self.also if line.series.get(one.slug)
        ]
        found = [one for one in found if one.id in self._state.latest]
        first = self._also_first.get(line.place.id)
        return tuple(
            sorted(
                found,
                key=lambda one: (one.quantity.slug != first, -int(level_now(self._state, one))),
            )
        )

    def lines_of(self, row: int) -> tuple[Series, ...]:
        """What the last cell of a row lists, from its first line on."""
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return ()
        told = self._also_of(line)
        return tuple(sorted(told, key=lambda one: -int(level_now(self._state, one))))

    def pick_also(self, row: int, series: Series) -> None:
        """Pick a line of a row's last cell."""
        line = self.rows[row]
        if isinstance(line, PlaceRow):
            self._also_first[line.place.id] = series.quantity.slug

    def quantity_at(self, row: int, column: int) -> Quantity | None:
        """The quantity of a column; of the last cells that of the picked line."""
        if self.is_also(column):
            several = self.series_at(row, column)
            return several[0].quantity if several else None
        return self.columns[column] if 0 <= column < len(self.columns) else None

    def worst_cell(self) -> tuple[int, int] | None:
        """The cell to look at first: the worst level, the first of equals; None without cells."""
        latest, levels = self._state.latest, self._worst.by_series
        best: tuple[int, tuple[int, int]] | None = None
        for row in sorted(self._place_rows(), key=self._worst.of_place, reverse=True):
            if best is not None and -best[0] > self._worst.of_place(row):
                break
            for one in (one for group in row.series.values() for one in group):
                if one.id in latest and one.id in self.layout.where:
                    found = (-levels.get(one.id, 0), self.layout.where[one.id])
                    best = found if best is None else min(best, found)
        return None if best is None else best[1]

    def has_cell(self, row: int, column: int) -> bool:
        """True if a cell shows anything."""
        several = self.series_at(row, column)
        return bool(several) and several[0].id in self._state.latest

    def cell(self, row: int, column: int) -> Cell | None:
        """The cell of a row and column; None where the place has no such series. The same object
        while it shows the same."""
        if (row, column) not in self._cells:
            self._cells[row, column] = self._make_cell(row, column)
        return self._cells[row, column]

    def _make_cell(self, row: int, column: int) -> Cell | None:
        several = self.series_at(row, column)
        if not several:
            return None
        if self.is_also(column):
            return named_cell(self._state, self.lines_of(row))
        return cell_of(self._state, several)

    def spoken(self, row: int, column: int) -> str:
        """A cell in words, for a screen reader; empty where there is none."""
        if not self.has_cell(row, column):
            return ""
        is_also, several = self.is_also(column), self.series_at(row, column)
        told = self.lines_of(row) if is_also else several[:1]
        is_off = not is_also and has_proposal(self._state, several)
        return "; ".join(spoken_cell(self._state, one, is_off=is_off) for one in told)

    def summary_text(self, row: int, column: int) -> str:
        """The figure of a summary line; empty when fewer than two places tell the quantity."""
        line = self.rows[row]
        if not isinstance(line, SummaryRow) or self.is_also(column):
            return ""
        quantity = self.columns[column]
        # Four lines speak for one list, of which a large site has hundreds.
        values = self._summarised.get(column)
        if values is None:
            values = self._summarised[column] = summarised_values(self._state, line, quantity)
        if len(values) < 2:
            return ""
        return self.shown_as(quantity).figure(summary_figure(line.summary, quantity, values))

    def shown_as(self, quantity: Quantity) -> DisplayUnit:
        """The unit and decimals of a column."""
        return next(
            (
                one.shown
                for one in self._state.site.series_shown
                if one.quantity.slug == quantity.slug
            ),
            base_shown(quantity),
        )

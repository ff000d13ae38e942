"""The model of the Ledger: its rows, columns and cells; without Qt."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

import numpy as np
from msgspec.structs import replace

from rook_tally.core.quantities.averaging import mean_value
from rook_tally.core.quantities.display_unit import DisplayUnit, base_shown
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import age, plain
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import ORDER
from rook_tally.core.series.freshness import Freshness, expected_reports_heard
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.settings import LedgerArrangement, LedgerOrder
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import HEARD_REPORTS
from rook_tally.desk.data.undo import LocalStep, NoSteps, StepSink
from rook_tally.desk.ledger.cell_view import AlsoLine, Cell, ribbon_range, spoken_cell
from rook_tally.desk.ledger.ordering import cell_name, in_given_order, moved
from rook_tally.desk.ledger.rows import (
    GroupRow,
    PlaceGroup,
    PlaceRow,
    Row,
    RowHead,
    Summary,
    SummaryRow,
    groups_of,
    series_by_place,
    stations_by_place,
)
from rook_tally.desk.ledger.texts import tr
from rook_tally.store.site import Place, Series, Site, Station

_FROM_BEST = tuple(Freshness)
# Seconds that count up in every head are nothing to look at, and each is painted.
_AGE_STEP_S, _STEPS_UNTIL_S = 5, 100
MOST_COLUMNS, BESIDE_ALSO = 8, 6
"""So many quantities are columns; of more the first six are, and the rest stand in the last cell
of their rows."""


class LedgerModel:
    """Rows, columns and cells over a `SiteState`.

    `laid_out` callbacks run when rows or columns changed; `all_changed` ones when every cell may
    have; `cells_changed` ones get (row, column) pairs; `heads_changed` ones get the
    rows whose heads say something else.
    """

    def __init__(self, state: SiteState, steps: StepSink | None = None) -> None:
        self._state = state
        self._steps = NoSteps() if steps is None else steps
        self.arrangement = LedgerArrangement()
        self.rows: list[Row] = []
        self.columns: list[Quantity] = []
        # What few places tell: named in the last cell of its row, so that nothing is out of sight.
        self.also: list[Quantity] = []
        # What of the last cell was picked last, by the place's id.
        self._also_first: dict[int, str] = {}
        self.laid_out: list[Callable[[], None]] = []
        self.cells_changed: list[Callable[[set[tuple[int, int]]], None]] = []
        self.all_changed: list[Callable[[], None]] = []
        self._site: Site | None = None
        self.heads_changed: list[Callable[[set[int]], None]] = []
        # As of the last tick or news, of the rows that are seen.
        self._heads: dict[int, RowHead] = {}
        self._cells: dict[tuple[int, int], Cell | None] = {}
        # What the summary lines speak for, by column.
        self._told_by: dict[int, list[float]] = {}
        self._where: dict[int, tuple[int, int]] = {}
        self._freshness: dict[int, Freshness] = {}
        # The worst level of a place, by its id; of places that changed it is worked out anew.
        self._worst: dict[int, Level] = {}
        # Of every series, until something changes.
        self._levels: dict[int, int] | None = None
        self._stations: dict[int, list[Station]] = {}
        # The rows that are seen; whoever draws them says which those are.
        self.visible_rows: Callable[[], Iterable[int]] = lambda: range(len(self.rows))
        state.subscribe(self._on_state_changed)

    @property
    def state(self) -> SiteState:
        """The site's state that it shows."""
        return self._state

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if changed is None:
            self._forget_all_worst()
            if self._is_laid_out():
                # Another moment of the same site: every cell may say something else.
                self._cells.clear()
                self._told_by.clear()
                self._heads.clear()
                for callback in self.all_changed:
                    callback()
            else:
                self._lay_out()
            return
        cells = {self._where[one] for one in changed if one in self._where}
        self._forget_worst(cells)
        if cells:
            self._announce(cells | self._summaries_of(cells))

    def _is_laid_out(self) -> bool:
        """True if rows and columns are as they should be."""
        if self._site is not self._state.site:
            return False
        by_place = self.arrangement.order is LedgerOrder.PLACES
        return by_place or not self._is_out_of_order()

    def _announce(self, cells: set[tuple[int, int]]) -> None:
        for where in cells:
            self._cells.pop(where, None)
            self._told_by.pop(where[1], None)
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
                self._where[one.id]
                for one in self._state.site.series_shown
                if one.station.id in moved and one.id in self._where
            }
            self._forget_worst(cells)
        if self.arrangement.order is LedgerOrder.WORST_FIRST and self._is_out_of_order():
            self._lay_out()
            return
        if cells:
            self._announce(cells | self._summaries_of(cells))
        self._announce_heads(set(range(len(self.rows))))

    def _forget_all_worst(self) -> None:
        self._worst.clear()
        self._levels = None

    def _telling_levels(self) -> dict[int, int]:
        if self._levels is None:
            self._levels = self._state.telling_levels()
        return self._levels

    def _forget_worst(self, cells: set[tuple[int, int]]) -> None:
        self._levels = None
        for at in {row for row, _ in cells}:
            row = self.rows[at]
            if isinstance(row, PlaceRow):
                self._worst.pop(row.place.id, None)

    def _is_out_of_order(self) -> bool:
        worst = [self._worst_of(one) for one in self.rows if isinstance(one, PlaceRow)]
        return any(one < later for one, later in itertools.pairwise(worst))

    def _lay_out(self) -> None:
        if self._site is not self._state.site:
            self._forget_all_worst()
        site = self._site = self._state.site
        self._cells.clear()
        self._told_by.clear()
        self._heads.clear()
        self._stations = stations_by_place(site)
        told_by = Counter(
            slug
            for _, slug in {(one.station.place.id, one.quantity.slug) for one in site.series_shown}
        )
        quantities = {one.quantity.slug: one.quantity for one in site.series_shown}
        # What many places share stands first, so that rows can be compared.
        # What is worked out follows what is measured; on and off say enough beside a name.
        ranked = sorted(
            quantities.values(),
            key=lambda one: (
                one.slug not in ORDER,
                one.scale is QuantityScale.STATE,
                -told_by[one.slug],
                ORDER.get(one.slug, len(ORDER)),
            ),
        )
        kept = self.arrangement
        self.columns = [
            one
            for one in in_given_order(ranked, [one.slug for one in ranked], kept.quantities)
            if one.slug not in kept.hidden_quantities
        ]
        self.also = []
        if len(self.columns) > MOST_COLUMNS:
            self.columns, self.also = self.columns[:BESIDE_ALSO], self.columns[BESIDE_ALSO:]
        known = in_given_order(site.places, [one.name for one in site.places], kept.places)
        by_place = series_by_place(site)
        places = [
            self._place_row(one, by_place.get(one.id, {}))
            for one in known
            # A floor stands over its rooms; where nothing is there is nothing to be seen.
            if one.name not in kept.hidden_places and one.id in self._stations
        ]
        indoors = [row for row in places if row.place.indoors]
        self.rows = []
        groups = groups_of(places, {one.id: one for one in site.places})
        if kept.order is LedgerOrder.WORST_FIRST:
            groups = [PlaceGroup("Worst first", self._worst_first(places))]
        for group in groups:
            if group.floor is not None and group.floor.name in kept.folded:
                self.rows.append(group.folded())
                # Its head speaks for all its stations.
                self._stations[group.floor.id] = [
                    station
                    for row in group.rows
                    for station in self._stations.get(row.place.id, [])
                ]
            elif group.rows:
                self.rows.append(GroupRow(group.title, group.floor.name if group.floor else ""))
                self.rows.extend(group.rows)
        told, members = self._told_together(places, indoors)
        if len(members) > 1:
            for at, summary in enumerate(Summary):
                self.rows.append(SummaryRow(told if at == 0 else "", summary, tuple(members)))
        positions = {one.slug: at for at, one in enumerate(self.columns)}
        positions |= {one.slug: len(self.columns) for one in self.also}
        self._where = {
            series.id: (at, positions[slug])
            for at, row in enumerate(self.rows)
            if isinstance(row, PlaceRow)
            for slug, several in row.series.items()
            if slug in positions
            for series in several
        }
        for callback in self.laid_out:
            callback()

    def _worst_first(self, places: list[PlaceRow]) -> list[PlaceRow]:
        """Places by their worst level; places of one level keep their order."""
        return sorted(places, key=self._worst_of, reverse=True)

    def _worst_of(self, row: PlaceRow) -> Level:
        """The worst level of a place; stations that are silent do not count."""
        known = self._worst.get(row.place.id)
        if known is None:
            levels = self._telling_levels()
            several = (one for group in row.series.values() for one in group)
            known = Level(max((levels.get(one.id, 0) for one in several), default=0))
            self._worst[row.place.id] = known
        return known

    def _told_together(
        self, places: list[PlaceRow], indoors: list[PlaceRow]
    ) -> tuple[str, list[PlaceRow]]:
        """The rows that the group lines speak for, and what they are called."""
        group = next(
            (one for one in self._state.groups if one.name == self.arrangement.group), None
        )
        if group is None:
            return "All indoors", indoors
        return group.name, [row for row in places if row.place.name in group.places]

    def show_next_group(self) -> str:
        """Let the group lines speak for another group; returns what they speak for."""
        names = ["", *(one.name for one in self._state.groups if len(one.places) > 1)]
        at = names.index(self.arrangement.group) if self.arrangement.group in names else 0
        group = names[(at + 1) % len(names)]
        self.arrange_by_hand(
            replace(self.arrangement, group=group), tr("group of the lines below changed")
        )
        return group

    @property
    def hidden_count(self) -> int:
        """Number of hidden places and quantities."""
        return len(self.arrangement.hidden_places) + len(self.arrangement.hidden_quantities)

    def arrange(self, arrangement: LedgerArrangement) -> None:
        """Arrange it so."""
        self._forget_all_worst()
        self.arrangement = arrangement
        self._lay_out()

    def arrange_by_hand(self, arrangement: LedgerArrangement, words: str) -> None:
        """Arrange it so, as a step that can be taken back."""
        before = self.arrangement
        if arrangement != before:
            self.arrange(arrangement)
            self._steps.add_local(
                LocalStep(words, partial(self.arrange, before), partial(self.arrange, arrangement))
            )

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

    def fold(self, floor: str) -> None:
        """Let a floor be one row that shows the worst of its rooms; or all its rooms again."""
        if not floor:
            return
        folded = self.arrangement.folded
        is_folded = floor in folded
        names = tuple(one for one in folded if one != floor) if is_folded else (*folded, floor)
        words = tr("{0} unfolded", floor) if is_folded else tr("{0} folded", floor)
        self.arrange_by_hand(replace(self.arrangement, folded=names), words)

    def move_place(self, row: int, by: int) -> None:
        """Move a place up or down; ordered worst first, the order is not a person's."""
        line = self.rows[row]
        if isinstance(line, PlaceRow) and self.arrangement.order is LedgerOrder.PLACES:
            shown = [one.place.name for one in self.rows if isinstance(one, PlaceRow)]
            names = moved(shown, line.place.name, by)
            self.arrange_by_hand(
                replace(self.arrangement, places=names), tr("{0} moved", line.place.name)
            )

    def move_quantity(self, column: int, by: int) -> None:
        """Move a quantity left or right."""
        self.move_quantity_of(self.columns[column], by)

    def move_quantity_of(self, quantity: Quantity, by: int) -> None:
        """Move a quantity left or right; out of the last cells it becomes the last column."""
        order = [one.slug for one in (*self.columns, *self.also)]
        if quantity in self.also:
            by = len(self.columns) - 1 - order.index(quantity.slug) if by < 0 else 0
        names = moved(order, quantity.slug, by)
        self.arrange_by_hand(
            replace(self.arrangement, quantities=names), tr("{0} moved", quantity.name)
        )

    def hide_place(self, row: int) -> str:
        """Hide a place; returns its name."""
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return ""
        hidden = (*self.arrangement.hidden_places, line.place.name)
        self.arrange_by_hand(
            replace(self.arrangement, hidden_places=hidden), tr("{0} hidden", line.place.name)
        )
        return line.place.name

    def hide_quantity(self, column: int) -> str:
        """Hide a quantity; returns its name."""
        return self.hide_quantity_of(self.columns[column])

    def hide_quantity_of(self, quantity: Quantity) -> str:
        """Hide a quantity, wherever it stands; returns its name."""
        hidden = (*self.arrangement.hidden_quantities, quantity.slug)
        self.arrange_by_hand(
            replace(self.arrangement, hidden_quantities=hidden), tr("{0} hidden", quantity.name)
        )
        return quantity.name

    def show_all(self) -> None:
        """Show what was hidden."""
        self.arrange_by_hand(
            replace(self.arrangement, hidden_places=(), hidden_quantities=()),
            tr("everything shown"),
        )

    def show_next_station(self, row: int, column: int) -> None:
        """Where several stations of a place tell the same, show the next one's value; in a last
        cell pick the next line."""
        several = self.series_at(row, column)
        if self.is_also(column) and len(several) > 1:
            lines = self.lines_of(row)
            at = [one.id for one in lines].index(several[0].id)
            self.pick_also(row, lines[(at + 1) % len(lines)])
        elif len(several) > 1:
            one = several[1]
            name = cell_name(one.station.place.name, one.quantity.slug)
            stations = {**self.arrangement.stations, name: one.station.key}
            self.arrange_by_hand(
                replace(self.arrangement, stations=stations), tr("another station shown")
            )

    def _place_row(self, place: Place, found: dict[str, list[Series]]) -> PlaceRow:
        return PlaceRow(
            place, {slug: self._picked_first(place, slug, one) for slug, one in found.items()}
        )

    def _picked_first(self, place: Place, slug: str, several: list[Series]) -> tuple[Series, ...]:
        """The series of a cell, that of the station a person picked first, the others after it."""
        picked = self.arrangement.stations.get(cell_name(place.name, slug))
        at = next((at for at, one in enumerate(several) if one.station.key == picked), 0)
        return (*several[at:], *several[:at])

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
        return tuple(sorted(several, key=lambda one: (one.id not in latest, -self._level(one))))

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
            sorted(found, key=lambda one: (one.quantity.slug != first, -int(self._level(one))))
        )

    def lines_of(self, row: int) -> tuple[Series, ...]:
        """What the last cell of a row lists, from its first line on."""
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return ()
        told = self._also_of(line)
        return tuple(sorted(told, key=lambda one: -int(self._level(one))))

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
        latest, levels = self._state.latest, self._telling_levels()
        best: tuple[int, tuple[int, int]] | None = None
        rows = [one for one in self.rows if isinstance(one, PlaceRow)]
        for row in sorted(rows, key=self._worst_of, reverse=True):
            if best is not None and -best[0] > self._worst_of(row):
                break
            for one in (one for group in row.series.values() for one in group):
                if one.id in latest and one.id in self._where:
                    found = (-levels.get(one.id, 0), self._where[one.id])
                    best = found if best is None else min(best, found)
        return None if best is None else best[1]

    def _level(self, one: Series) -> Level:
        if not self._state.station_freshness(one.station).is_telling:
            return Level.SETTLED
        return self._state.level(one)

    def head(self, row: int) -> RowHead | None:
        """The head of a place's row; None for other rows."""
        line = self.rows[row]
        if not isinstance(line, PlaceRow):
            return None
        stations = self._stations.get(line.place.id, [])
        if not stations:
            heard = np.zeros(HEARD_REPORTS, dtype=np.bool_)
            return RowHead(line.place.name, "", Freshness.SILENT, heard)
        ages = [self._state.station_age_s(one) for one in stations]
        known = [age_s for age_s in ages if age_s is not None]
        # The row speaks for its station that is worst off, the age is of the newest word.
        states = [self._state.station_freshness(one) for one in stations]
        shown = max(states, key=_FROM_BEST.index)
        worst = stations[states.index(shown)]
        heard = expected_reports_heard(
            self._state.reports.get(worst.id, np.empty(0, dtype=np.int64)),
            now_us=self._state.now_us,
            cadence_s=worst.cadence_s,
            count=HEARD_REPORTS,
        )
        if shown is Freshness.SILENT and any(one.is_telling for one in states):
            shown = Freshness.LATE
        name = f"▸ {line.place.name}" if line.is_folded else line.place.name
        return RowHead(name, _calm_age(min(known)) if known else "", shown, heard)

    def line_of(self, one: Series) -> str:
        """Newest reading of a series as a line of place, quantity, value, unit and time, tabs
        between them; empty without one."""
        newest = self._state.latest.get(one.id)
        if newest is None:
            return ""
        when = datetime_from_time_us(newest.time_us).astimezone(self._state.zone)
        return "\t".join(
            (
                one.station.place.name,
                tr(one.quantity.name),
                plain(one.shown.text(newest.value)),
                one.shown.symbol,
                f"{when:%Y-%m-%d %H:%M:%S}",
            )
        )

    def has_cell(self, row: int, column: int) -> bool:
        """True if a cell shows anything."""
        several = self.series_at(row, column)
        return bool(several) and several[0].id in self._state.latest

    def cell(self, row: int, column: int) -> Cell | None:
        """The cell of a row and column; None where the place has no such series. The same object
        while it shows the same."""
        if (row, column) not in self._cells:
            self._cells[row, column] = self._cell(row, column)
        return self._cells[row, column]

    def _cell(self, row: int, column: int) -> Cell | None:
        several = self.series_at(row, column)
        if not several:
            return None
        if self.is_also(column):
            return self._also_cell(self.lines_of(row))
        one = several[0]
        newest = self._state.latest.get(one.id)
        if newest is None:
            return None
        ribbon = self._state.ribbons.get(one.id)
        state = self._state.station_freshness(one.station)
        level = self._state.level(one) if state.is_telling else Level.SETTLED
        text = one.shown.text(newest.value)
        is_suspect = newest.quality != 0
        alarms = self._state.alarms_of(one.id)
        return Cell(
            text=text,
            level=level,
            freshness=state,
            is_suspect=is_suspect,
            ribbon=ribbon,
            value_range=ribbon_range(one, ribbon),
            limit=one.limits.at(newest.time_us).nearest(newest.value),
            others=len(several) - 1,
            alarm=alarms[0].level if alarms else None,
            is_off=self._is_off(several),
            within=one.uncertainty_text(newest.value, newest.time_us),
        )

    def _also_cell(self, several: tuple[Series, ...]) -> Cell:
        """The last cell of a row: each quantity named, with its value and level."""
        lines = []
        for one in several:
            newest = self._state.latest[one.id]
            level, state = self._level(one), self._state.station_freshness(one.station)
            is_suspect = newest.quality != 0
            alarms = self._state.alarms_of(one.id)
            text = one.shown.text(newest.value)
            value = f"({text})" if is_suspect else text
            lines.append(
                AlsoLine(
                    tr(one.quantity.heading),
                    f"{value} {one.symbol_beside(newest.value, newest.time_us)}".rstrip(),
                    Level.SETTLED if is_suspect else level,
                    is_suspect or not state.is_telling,
                    alarms[0].level if alarms else None,
                )
            )
        alarms_told = [one.alarm for one in lines if one.alarm is not None]
        return Cell(
            text=lines[0].value,
            level=max(one.level for one in lines),
            freshness=Freshness.FRESH,
            is_suspect=False,
            ribbon=None,
            value_range=(0.0, 1.0),
            limit=None,
            others=0,
            alarm=max(alarms_told, default=None),
            lines=tuple(lines),
        )

    def spoken(self, row: int, column: int) -> str:
        """A cell in words, for a screen reader; empty where there is none."""
        if not self.has_cell(row, column):
            return ""
        is_also, several = self.is_also(column), self.series_at(row, column)
        told = self.lines_of(row) if is_also else several[:1]
        return "; ".join(
            self._spoken(one, is_off=not is_also and self._is_off(several)) for one in told
        )

    def _spoken(self, one: Series, *, is_off: bool) -> str:
        newest = self._state.latest[one.id]
        return spoken_cell(
            one,
            one.shown.text(newest.value),
            self._level(one),
            self._state.station_freshness(one.station),
            newest.quality != 0,
            self._state.alarms_of(one.id),
            is_off=is_off,
        )

    def _is_off(self, several: tuple[Series, ...]) -> bool:
        """Return True if a correction is proposed for any of these series."""
        return any(one.id in self._state.proposals for one in several)

    def summary_text(self, row: int, column: int) -> str:
        """The figure of a summary line; empty when fewer than two places tell the quantity."""
        line = self.rows[row]
        if not isinstance(line, SummaryRow) or self.is_also(column):
            return ""
        quantity = self.columns[column]
        if quantity.scale is QuantityScale.STATE:
            return ""
        # Four lines speak for one list, of which a large site has hundreds.
        values = self._told_by.get(column)
        if values is None:
            values = self._told_by[column] = self._values_of(line, quantity)
        if len(values) < 2:
            return ""
        figures: dict[Summary, Callable[[list[float]], Any]] = {
            Summary.LOWEST: np.min,
            Summary.MEAN: partial(_mean_of_places, quantity),
            Summary.MEDIAN: np.median,
            Summary.HIGHEST: np.max,
        }
        return self.shown_as(quantity).figure(float(figures[line.summary](values)))

    def _values_of(self, line: SummaryRow, quantity: Quantity) -> list[float]:
        """The newest value of each place that is heard."""
        shown = (one for place in line.places for one in place.series.get(quantity.slug, ())[:1])
        latest = self._state.latest
        return [
            newest.value
            for one in shown
            if (newest := latest.get(one.id)) is not None
            and newest.quality == 0
            and self._state.station_freshness(one.station).is_telling
        ]

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


def _mean_of_places(quantity: Quantity, values: list[float]) -> float:
    return mean_value(quantity.averaging, np.array(values))


def _calm_age(age_s: float) -> str:
    """The age of a place's newest word, told in steps as long as it is seconds."""
    if age_s < _AGE_STEP_S:
        return tr("now")
    return age(age_s // _AGE_STEP_S * _AGE_STEP_S if age_s < _STEPS_UNTIL_S else age_s)

"""The Ledger view: table and side panel."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PySide6.QtCore import QModelIndex, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.data.alarm_commands import RequestOfAlarm
from rook_tally.desk.data.commands import ShowInUnit
from rook_tally.desk.data.limit_drag import LimitDrag
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.undo import StepSink
from rook_tally.desk.ledger.actions import LedgerAction
from rook_tally.desk.ledger.arranging import LedgerArranging
from rook_tally.desk.ledger.cell_view import copied_line
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.onboarding import FirstStep, Onboarding
from rook_tally.desk.ledger.ordering import with_other_order
from rook_tally.desk.ledger.rows import PlaceRow
from rook_tally.desk.ledger.series_summary import SeriesSummary, SeriesSummaryQuery
from rook_tally.desk.ledger.side_panel import SidePanel
from rook_tally.desk.ledger.table import LedgerTable
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.keys import keys_of
from rook_tally.desk.parts.limit_grip import LimitGrip
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.site import Place, RequestKind, Series, StrayGroup, stray_groups

_ACCOUNT_PAUSE_MS = 250


class LedgerView(QWidget):
    """Places down, quantities across.

    `series_opened` asks for series to be shown in the Strip, `readings_wanted` and
    `correction_wanted` for a series' readings and corrections, `limits_wanted` for its limits,
    `places_wanted` for places to be arranged, from the one named on, `pin_wanted` for a remark
    about a place; `told` carries a line about what was done.
    """

    series_opened = Signal(list)
    readings_wanted = Signal(Series)
    correction_wanted = Signal(Series)
    limits_wanted = Signal(Series)
    places_wanted = Signal(str)
    pin_wanted = Signal(Series)
    first_step = Signal(FirstStep)
    take_in_wanted = Signal(str)
    name_wanted = Signal()
    told = Signal(str)

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, steps: StepSink
    ) -> None:
        super().__init__()
        self._state = state
        self._client = client
        self._picked: Series | None = None
        self.model = LedgerModel(state)
        self.arranging = LedgerArranging(self.model, steps)
        self.table = LedgerTable(self.model, theme, self)
        self.panel = SidePanel(theme, state, self)
        drag = LimitDrag(client, state.clock, self.told.emit)
        chart = self.panel.chart
        chart.grip = LimitGrip(chart, chart, drag, 0, -1)
        # Readings come faster than an account is worth reading again.
        self._account_timer = QTimer(self, singleShot=True, interval=_ACCOUNT_PAUSE_MS)
        self._account_timer.timeout.connect(self._ask_for_account)
        self._stack = QStackedLayout()
        sheet = QWidget()
        beside = QHBoxLayout(sheet)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.table, 1)
        beside.addWidget(self.panel)
        self._stack.addWidget(sheet)
        self.first = Onboarding(theme)
        self.first.chosen.connect(self.first_step)
        self.first.take_in_wanted.connect(self.take_in_wanted)
        self.first.name_wanted.connect(self.name_wanted)
        self._tape_moves = -1
        state.subscribe(self._watch_strays)
        self._stack.addWidget(self.first)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._stack)
        self.panel.open_in_strip.connect(self._open_picked)
        self.panel.alarm_wanted.connect(self._ask_of_alarm)
        self.table.doubleClicked.connect(self._open_picked)
        self.model.laid_out.append(self._on_laid_out)
        self.model.cells_changed.append(self._on_cells_changed)
        self.model.all_changed.append(self._ask_soon)
        self._does = self._deeds()
        self.table.quantity_head.unit_clicked.connect(self.show_in_next_unit)
        self.table.acts.connect(self.do)
        self.table.line_picked.connect(self._on_line_picked)
        self.table.band_clicked.connect(lambda row: self.arranging.fold(self.model.floor_of(row)))
        self._watch_selection()

    def _watch_selection(self) -> None:
        self.table.selectionModel().currentChanged.connect(self._on_current_changed)

    def _deeds(self) -> dict[LedgerAction, Callable[[], object]]:
        model, arranging = self.model, self.arranging
        return {
            LedgerAction.OPEN: self._open_picked,
            LedgerAction.ORDER: lambda: arranging.arrange(
                with_other_order(model.arrangement), tr("order of the places changed")
            ),
            LedgerAction.UNIT: lambda: self.show_in_next_unit(self._column),
            LedgerAction.NEXT_STATION: self._show_next_station,
            LedgerAction.PLACE_UP: lambda: self._if_picked(
                lambda: arranging.move_place(self._row, -1)
            ),
            LedgerAction.PLACE_DOWN: lambda: self._if_picked(
                lambda: arranging.move_place(self._row, 1)
            ),
            LedgerAction.QUANTITY_LEFT: lambda: self._if_picked(
                lambda: self._with_quantity(lambda one: arranging.move_quantity(one, -1))
            ),
            LedgerAction.QUANTITY_RIGHT: lambda: self._if_picked(
                lambda: self._with_quantity(lambda one: arranging.move_quantity(one, 1))
            ),
            LedgerAction.HIDE_PLACE: lambda: self._hide(arranging.hide_place, self._row),
            LedgerAction.HIDE_QUANTITY: lambda: self._with_quantity(self._hide_quantity),
            LedgerAction.SHOW_ALL: arranging.show_all,
            LedgerAction.FOLD: lambda: arranging.fold(model.floor_of(self._row)),
            LedgerAction.GROUP: self._show_next_group,
            LedgerAction.READINGS: lambda: self._with_picked(self.readings_wanted.emit),
            LedgerAction.CORRECT: lambda: self._with_picked(self.correction_wanted.emit),
            LedgerAction.COPY: lambda: self._with_picked(self._copy),
            LedgerAction.PLACES: self._ask_for_places,
            LedgerAction.LIMITS: lambda: self._with_picked(self.limits_wanted.emit),
            LedgerAction.PIN: lambda: self._with_picked(self.pin_wanted.emit),
        }

    def _show_next_group(self) -> None:
        group = self.arranging.show_next_group()
        self.told.emit(
            tr("Summary rows: {0}.", group) if group else tr("Summary rows: all places indoors.")
        )

    @property
    def _row(self) -> int:
        return self.table.currentIndex().row()

    @property
    def _column(self) -> int:
        return self.table.currentIndex().column()

    def do(self, action: LedgerAction) -> None:
        """Do what an action says."""
        self._does[action]()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Do what the keys say."""
        for keys in keys_of(event):
            action = _BY_KEYS.get(keys)
            if action is not None:
                self.do(action)
                return
        super().keyPressEvent(event)

    def _if_picked(self, call: Callable[[], object]) -> None:
        if self._picked is not None and self.table.currentIndex().isValid():
            call()

    def _with_picked(self, call: Callable[[Series], object]) -> None:
        if self._picked is not None:
            call(self._picked)

    def _with_quantity(self, call: Callable[[Quantity], object]) -> None:
        quantity = self.model.quantity_at(self._row, self._column)
        if self._picked is not None and quantity is not None:
            call(quantity)

    def _copy(self, series: Series) -> None:
        """Put what a series reads now on the clipboard, as a line of a table."""
        words = copied_line(self.model.state, series)
        if words:
            QGuiApplication.clipboard().setText(words)
            self.told.emit(tr("The reading is on the clipboard."))

    def _ask_for_places(self) -> None:
        self.places_wanted.emit("" if self._picked is None else self._picked.station.place.name)

    def _hide_quantity(self, quantity: Quantity) -> None:
        name = self.arranging.hide_quantity(quantity)
        self.told.emit(tr("{0} is hidden. Ctrl+H shows everything again.", name))

    def _hide(self, hide: Callable[[int], str], at: int) -> None:
        if self._picked is not None and at >= 0:
            self.told.emit(tr("{0} is hidden. Ctrl+H shows everything again.", hide(at)))

    def _show_next_station(self) -> None:
        if self._picked is None:
            return
        row, column = self._row, self._column
        self.arranging.show_next_station(row, column)
        several = self.model.series_at(row, column)
        if several:
            self._picked = several[0]
            self._ask_for_account()

    def _on_line_picked(self) -> None:
        several = self.model.series_at(self._row, self._column)
        if several:
            self._picked = several[0]
            self._ask_for_account()

    def show_in_next_unit(self, column: int) -> None:
        """Show a column's quantity in the unit after the one it is in, everywhere."""
        quantity = self.model.quantity_at(self._row, column)
        if quantity is None:
            return
        # A quantity may be narrowed by its station's kind; its units are the registry's.
        units = quantity.units
        now = units.index(self.model.shown_as(quantity).unit)
        if len(units) > 1:
            self._client.write(ShowInUnit(quantity, units[(now + 1) % len(units)]))
        else:
            self.told.emit(tr("{0} has no other unit.", quantity.name))

    def pick(self, row: int, column: int) -> None:
        """Pick a cell, as the mouse or the arrow keys do."""
        self.table.setCurrentIndex(self.table.model().index(row, column))

    def pick_place(self, place: Place) -> None:
        """Pick the first cell of a place; a hidden place is shown again."""
        if place.name in self.model.arrangement.hidden_places:
            self.arranging.show_all()
        for row, line in enumerate(self.model.rows):
            if isinstance(line, PlaceRow) and line.place.id == place.id:
                for column in range(self.model.column_count):
                    if self.model.has_cell(row, column):
                        self.pick(row, column)
                        return

    def _take_summary(self, summary: SeriesSummary) -> None:
        if summary.series == self._picked:
            self.panel.show_account(summary)

    def _ask_of_alarm(self, sort: RequestKind, one: ActiveAlarm) -> None:
        now_us = self._state.clock()
        until_us = now_us + HOUR_US if sort is RequestKind.SHELVE else None
        self._client.write(
            RequestOfAlarm(sort, one.watch, one.name, now_us, one.series_id, until_us=until_us)
        )

    def _open_picked(self, *_: object) -> None:
        if self._picked is not None:
            self.series_opened.emit([self._picked])

    def _on_laid_out(self) -> None:
        is_empty = not self.model.columns
        nothing_known = is_empty and not self.model.hidden_count
        if nothing_known:
            self.first.show_site(self._state.site.name, self._state.site.zone)
        self._stack.setCurrentIndex(1 if nothing_known and self._state.is_loaded else 0)
        again = self._position_of_picked()
        where = again or self.model.worst_cell()
        if is_empty or where is None:
            # The last reading there was is taken out, or hidden: nothing stays beside the table.
            self._picked = None
            self.panel.show_account(None)
            return
        bars = (self.table.verticalScrollBar(), self.table.horizontalScrollBar())
        places = [one.value() for one in bars]
        self.pick(*where)
        if again is not None:
            # Something arrived; where the person has scrolled to is theirs.
            for bar, place in zip(bars, places, strict=True):
                bar.setValue(place)

    def _watch_strays(self, _changed: set[int] | None) -> None:
        """While there is nothing else, whoever talks is what there is to see."""
        is_empty = self._state.is_loaded and not self._state.site.stations
        if is_empty and self._state.tape_moves != self._tape_moves:
            self._tape_moves = self._state.tape_moves
            self._client.read(StraysQuery(), self.first.show_strays)

    def _position_of_picked(self) -> tuple[int, int] | None:
        if self._picked is None:
            return None
        for row in range(len(self.model.rows)):
            for column in range(self.model.column_count):
                if any(one.id == self._picked.id for one in self.model.series_at(row, column)):
                    return row, column
        return None

    def _on_current_changed(self, current: QModelIndex, _previous: QModelIndex) -> None:
        several = self.model.series_at(current.row(), current.column())
        self._picked = several[0] if several else None
        if self._picked is None or self._picked.id not in self._state.latest:
            self.panel.show_account(None)
            return
        self._ask_for_account()

    def _on_cells_changed(self, cells: set[tuple[int, int]]) -> None:
        current = self.table.currentIndex()
        if (current.row(), current.column()) in cells and not self._account_timer.isActive():
            self._account_timer.start()

    def _ask_soon(self) -> None:
        # Again and again while a hand drags the rail: the account is read once it rests.
        self._account_timer.start()

    def _ask_for_account(self) -> None:
        if self._picked is None or self._picked.id not in self._state.latest:
            return
        newest = self._state.latest[self._picked.id]
        query = SeriesSummaryQuery(self._picked, newest, self._state.now_us, self._state.zone)
        self._client.read(query, self._take_summary)


class StraysQuery(msgspec.Struct, frozen=True):
    """Who is astray."""

    def run(self, connection: Connection) -> tuple[StrayGroup, ...]:
        """Them, the longest first."""
        return tuple(sorted(stray_groups(connection), key=lambda one: one.first_us))


_BY_KEYS = {keys: action for action in LedgerAction for keys in action.keys}

"""The views of a window, one of them shown; each but the Ledger is made on first use."""

from __future__ import annotations

import gc
from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QModelIndex, QPoint, Signal
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtWidgets import QListView, QStackedWidget, QWidget

from rook_tally.desk.app.views import (
    BENCH,
    LEDGER,
    REPORTS,
    STATIONS,
    STRIP,
    VIEWS,
    WALL,
    WATCH,
    WORKINGS,
    make_bench,
    make_reports,
    make_stations,
    make_strip,
    make_wall,
    make_watch,
    make_workings,
)
from rook_tally.desk.ledger.view import LedgerView

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.bench.view import BenchView
    from rook_tally.desk.reports.view import ReportsView
    from rook_tally.desk.stations.view import StationsView
    from rook_tally.desk.strip.view import StripView
    from rook_tally.desk.wall.view import WallView
    from rook_tally.desk.watch.view import WatchView
    from rook_tally.desk.workings.view import WorkingsView

_View = TypeVar("_View", bound=QWidget)


class ViewStack(QStackedWidget):
    """The Ledger, and places for the others until they are looked at. `menu_wanted` bears where
    on the screen."""

    menu_wanted = Signal(QPoint)

    def __init__(self, window: DeskWindow, ledger: LedgerView) -> None:
        super().__init__()
        self._window, self._ledger = window, ledger
        self._made = {LEDGER}
        self.addWidget(ledger)
        for _ in VIEWS[1:]:
            self.addWidget(QWidget())

    @cached_property
    def strip(self) -> StripView:
        """The Strip."""
        return self._placed(STRIP, make_strip(self._window))

    @cached_property
    def wall(self) -> WallView:
        """The Wall."""
        return self._placed(WALL, make_wall(self._window))

    @cached_property
    def workings(self) -> WorkingsView:
        """The Workings view."""
        return self._placed(WORKINGS, make_workings(self._window))

    @cached_property
    def bench(self) -> BenchView:
        """The Bench."""
        return self._placed(BENCH, make_bench(self._window))

    @cached_property
    def watch(self) -> WatchView:
        """The Watch view."""
        return self._placed(WATCH, make_watch(self._window))

    @cached_property
    def reports(self) -> ReportsView:
        """The Reports view."""
        return self._placed(REPORTS, make_reports(self._window))

    @cached_property
    def stations(self) -> StationsView:
        """The Stations view."""
        return self._placed(STATIONS, make_stations(self._window))

    def is_made(self, at: int) -> bool:
        """True if a view was looked at already."""
        return at in self._made

    def show_view(self, at: int) -> None:
        """Turn to a view and give it the keyboard."""
        if at == STRIP:
            self.strip.show_something(self._window.arrangement.lanes)
        # Made first: it takes the place that is turned to.
        focus = self._focus_of(at)
        self.setCurrentIndex(at)
        focus.setFocus()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Ask for the menu of what is under the pointer, or by key of what is picked."""
        is_by_key = event.reason() is QContextMenuEvent.Reason.Keyboard
        at = self.currentIndex()
        if at == STRIP:
            place = self.strip.pick_for_menu(None if is_by_key else event.globalPos())
        elif at == WALL:
            place = self.wall.canvas.pick_for_menu(None if is_by_key else event.globalPos())
        else:
            place = self._pick_line(None if is_by_key else event.globalPos())
        if place is None:
            event.ignore()
        else:
            self.menu_wanted.emit(place)

    def _pick_line(self, under: QPoint | None) -> QPoint | None:
        lines = self._focus_of(self.currentIndex())
        if not isinstance(lines, QListView):
            return None
        ground = lines.viewport()
        if under is not None:
            at = ground.mapFromGlobal(under)
            index = lines.indexAt(at) if ground.rect().contains(at) else QModelIndex()
        else:
            index = lines.currentIndex() if lines.hasFocus() else QModelIndex()
            at = lines.visualRect(index).center()
        if not index.isValid():
            return None
        # It acts on what it was asked for at.
        lines.setCurrentIndex(index)
        return ground.mapToGlobal(at)

    def _focus_of(self, at: int) -> QWidget:
        if at == STRIP:
            return self.strip
        if at == WALL:
            return self.wall.canvas
        if at == WORKINGS:
            return self.workings.list
        if at == BENCH:
            return self.bench.list
        if at == WATCH:
            return self.watch.list
        if at == REPORTS:
            return self.reports.list
        if at == STATIONS:
            return self.stations.list
        return self._ledger.table

    def _placed(self, at: int, view: _View) -> _View:
        to_come = self.widget(at)
        assert to_come is not None
        self.removeWidget(to_come)
        to_come.deleteLater()
        self.insertWidget(at, view)
        self._made.add(at)
        # All that was loaded stays: looking through it again takes as long as three frames.
        gc.freeze()
        return view

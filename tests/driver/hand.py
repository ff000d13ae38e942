"""The hand of a person: what they do with mouse and single keys in Ledger and Stations, and what
both must show then."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.app.views import LEDGER, STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.settings import LedgerOrder
from rook_tally.desk.ledger.rows import PlaceRow
from tests.driver.model import Person

FAN = "fan"
_LAPSE_US = 60 * SECOND_US


def click(widget: QWidget, spot: QPoint | None = None) -> None:
    """Click on a widget: in its middle, or at a spot of it."""
    where = widget.rect().center() if spot is None else spot
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=where)


@dataclass
class Hand:
    """Does it in a window and in the model of its person."""

    window: DeskWindow
    person: Person
    until: Callable[[Callable[[], bool]], None]

    def __post_init__(self) -> None:
        # How the Ledger was arranged last stays with the person.
        arrangement = self.window.ledger.model.arrangement
        self.person.hidden = set(arrangement.hidden_places)
        self.person.is_worst_first = arrangement.order is LedgerOrder.WORST_FIRST
        self.person.cell, self.person.scrolled = None, self._bar_value()

    def turn_to(self, view: int) -> None:
        """Click on a view's name."""
        click(self.window.head.views[view])

    # Ledger

    def click_cell(self, place: str) -> None:
        """Click on the first cell of a place, if it is not hidden."""
        self.turn_to(LEDGER)
        self.until(lambda: self._row_of(place) is not None or place in self.person.hidden)
        row = self._row_of(place)
        if row is None:
            return
        ledger = self.window.ledger
        columns = range(ledger.model.column_count)
        # In the past a place may have told nothing yet.
        column = next((one for one in columns if ledger.model.has_cell(row, one)), None)
        if column is None:
            return
        index = ledger.table.model().index(row, column)
        ledger.table.scrollTo(index)
        click(ledger.table.viewport(), ledger.table.visualRect(index).center())
        self.person.cell = place
        self.person.scrolled = self._bar_value()

    def scroll(self, share: float) -> None:
        """Scroll the Ledger so far down."""
        self.turn_to(LEDGER)
        bar = self.window.ledger.table.verticalScrollBar()
        bar.setValue(round(share * bar.maximum()))
        self.person.scrolled = bar.value()

    def turn_order(self) -> None:
        """Press S: by place, or worst first."""
        self.turn_to(LEDGER)
        QTest.keyClick(self.window.ledger, Qt.Key.Key_S)
        self.person.turns_order()
        self.person.scrolled = self._bar_value()

    def hide_picked(self) -> None:
        """Press H: the place that is picked is hidden."""
        self.turn_to(LEDGER)
        if self.person.cell is None:
            return
        QTest.keyClick(self.window.ledger, Qt.Key.Key_H)
        self.person.hides(self.person.cell)
        self.person.scrolled = self._bar_value()

    def _row_of(self, place: str) -> int | None:
        rows = self.window.ledger.model.rows
        named = (at for at, one in enumerate(rows) if _is_of(one, place))
        return next(named, None)

    def _bar_value(self) -> int:
        return self.window.ledger.table.verticalScrollBar().value()

    # Controls

    def ask_for_control(self, now_us: int) -> None:
        """Click on the fan's switch; in the past that does nothing."""
        self.turn_to(STATIONS)
        stations = self.window.stations
        self.until(lambda: any(one.station.key == FAN for one in stations.fleet.rows))
        at = next(at for at, one in enumerate(stations.fleet.rows) if one.station.key == FAN)
        index = stations.list.model().index(at, 0)
        stations.list.scrollTo(index)
        click(stations.list.viewport(), stations.list.visualRect(index).center())
        self.until(lambda: "on" in stations.page.controls._lines)
        before = self._control()
        click(stations.page.controls._lines["on"][0])
        if not self.person.is_past:
            self.person.site.asked_us = now_us
            self.until(lambda: "not sent yet" in self._control())
        else:
            assert self._control() == before

    def _control(self) -> str:
        return self.window.stations.page.controls._lines["on"][1].text()

    # What must be so

    def check(self) -> None:
        """Compare what the hand has picked and arranged with what the window shows."""
        ledger, person = self.window.ledger, self.person
        arrangement = ledger.model.arrangement
        assert set(arrangement.hidden_places) == person.hidden
        assert (arrangement.order is LedgerOrder.WORST_FIRST) == person.is_worst_first
        if self.window.view == LEDGER and person.cell is not None:
            picked, index = ledger._picked, ledger.table.currentIndex()
            assert picked is not None
            assert picked.station.place.name == person.cell
            assert picked in ledger.model.series_at(index.row(), index.column())
        if self.window.view == LEDGER:
            bar = ledger.table.verticalScrollBar()
            assert bar.value() == min(person.scrolled, bar.maximum())
            person.scrolled = bar.value()
        if self.window.view == STATIONS and not person.is_past:
            self._check_control()

    def _check_control(self) -> None:
        asked_us, page = self.person.site.asked_us, self.window.stations.page
        if asked_us is None or "on" not in page.controls._lines:
            return
        has_lapsed = self.window.state.clock() > asked_us + _LAPSE_US
        words = "lapsed" if has_lapsed else "not sent yet"
        self.until(lambda: words in self._control())


def _is_of(row: object, place: str) -> bool:
    return isinstance(row, PlaceRow) and row.place.name == place

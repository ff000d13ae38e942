"""The line that says what was done: it takes nothing from the views, nor from the rail under it."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk

LONG = "This was done, and it takes many words to say so. " * 12


@pytest.fixture
def window(store: Store, open_desk: OpenDesk) -> DeskWindow:
    append(store, begin_series(store), (NOON_US, 21.0))
    made = open_desk(held_clock(NOON_US))
    made.resize(1280, 800)
    return made


def _of_rail(window: DeskWindow) -> QRect:
    return QRect(window.rail.mapTo(window, QPoint(0, 0)), window.rail.size())


def test_it_lies_on_the_rail_and_over_no_view(window: DeskWindow) -> None:
    window.tell("Watch Glaze dust saved")
    assert window.teller.isVisible()
    assert _of_rail(window).contains(window.teller.geometry())


def test_the_way_back_to_now_stays_in_sight(window: DeskWindow) -> None:
    window.tell(LONG)
    live = window.rail.live
    said = window.teller.geometry()
    assert not said.intersects(QRect(live.mapTo(window, QPoint(0, 0)), live.size()))
    # What has many lines grows upwards, and ends in the window.
    assert said.bottom() <= window.height()


def test_what_lies_under_it_is_pressed(window: DeskWindow) -> None:
    window.tell("Watch Glaze dust saved")
    under = window.teller.geometry().center()
    assert QApplication.widgetAt(window.mapToGlobal(under)) is not window.teller
    before = window.rail.model.window
    target = window.childAt(under)
    assert target is not None
    QTest.mouseClick(target, Qt.MouseButton.LeftButton, pos=target.mapFrom(window, under))
    assert window.rail.model.window != before

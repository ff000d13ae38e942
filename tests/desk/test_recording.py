"""What the window says and asks of the collector that it has started."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtWidgets import QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.data.clock import held_clock
from rook_tally.store.base import Store
from tests.builders import NOON_US, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


@dataclass
class Told:
    """A recorder that writes down what it is told."""

    is_running: bool = True
    is_open: bool = False
    calls: list[str] = field(default_factory=list)

    def start(self) -> None:
        self.calls.append("start")

    def stop(self) -> None:
        self.calls.append("stop")

    def let_go(self) -> None:
        self.calls.append("let go")

    def set_open(self, is_open: bool) -> None:
        self.calls.append(f"open {is_open}")


def _button(question: QMessageBox, words: str) -> QPushButton:
    return next(one for one in question.findChildren(QPushButton) if one.text() == words)


def test_closing_asks_whether_recording_goes_on(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US))
    window.recorder = told = Told()
    window.close()
    question = opened(qtbot, window, QMessageBox)
    assert "alarms ring, as long as this window is open" in question.text()
    question.reject()
    assert window.isVisible()
    window.close()
    _button(opened(qtbot, window, QMessageBox), "Keep recording").click()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)
    assert told.calls == ["let go"]


def test_recording_is_stopped_only_when_that_is_said(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US))
    window.recorder = told = Told()
    window.close()
    _button(opened(qtbot, window, QMessageBox), "Stop recording").click()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)
    assert told.calls == []


def test_a_window_that_does_not_record_offers_to(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US))
    window.recorder = told = Told(is_running=False)
    qtbot.waitUntil(lambda: "Record from here" in window.notice.text(), timeout=PATIENCE_MS)
    window.notice.linkActivated.emit("record")
    assert told.calls == ["start"]


def test_the_sheet_says_that_doors_are_closed_to_others_and_opens_them(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    begin_series(store, key="pond")
    window = open_desk(held_clock(NOON_US))
    window.recorder = told = Told()
    window.show_view(STATIONS)
    tasks = window.stations.tasks
    qtbot.waitUntil(lambda: window.stations.model.picked is not None, timeout=PATIENCE_MS)
    tasks.show_sheet()
    qtbot.waitUntil(lambda: tasks.sheet is not None, timeout=PATIENCE_MS)
    assert tasks.sheet is not None
    assert tasks.sheet.open_doors.isVisible()
    tasks.sheet.open_doors.click()
    assert told.calls == ["open True"]
    window.asks_before_closing = False

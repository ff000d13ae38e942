"""Remarks in the real window: spans named and compared, pins dropped, altered, taken back."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.remarks import Remark
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.parts.remark_dialog import RemarkDialog
from rook_tally.desk.strip.actions import StripAction
from rook_tally.store.base import Store
from rook_tally.store.site import Series, remarks, save_remark
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, menu_at, opened, press, to_strip, until_shown

SAVE = QDialogButtonBox.StandardButton.Save


@pytest.fixture
def mill(store: Store) -> Series:
    """Two hours up to noon: an hour around 1, then an hour around 4."""
    series = begin_series(store, "temperature", place="Pug mill")
    rows = [
        (NOON_US - 120 * MINUTE_US + at * MINUTE_US, (1.0 if at < 60 else 4.0) + at % 2 * 0.2)
        for at in range(120)
    ]
    append(store, series, *rows)
    return series


def window_on(qtbot: QtBot, open_desk: OpenDesk) -> DeskWindow:
    window = open_desk(held_clock(NOON_US))
    window.state.show_last(2 * HOUR_US)
    to_strip(qtbot, window)
    return window


def mark(window: DeskWindow, begin: float, end: float) -> None:
    """Mark a stretch of the window with Shift held, as shares of its width."""
    plot = window.strip.plots[0]
    held, shift = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
    where = [QPoint(round(share * plot.width()), 20) for share in (begin, end)]
    QTest.mousePress(plot, held, shift, where[0])
    QTest.mouseMove(plot, where[1])
    QTest.mouseRelease(plot, held, shift, where[1])


def name_it(qtbot: QtBot, window: DeskWindow, words: str) -> None:
    """Name the marked stretch."""
    before = len(window.state.remarks)
    QTest.keyClick(window.strip, Qt.Key.Key_N)
    dialog = opened(qtbot, window.strip, RemarkDialog)
    QTest.keyClicks(dialog.words, words)
    press(dialog, SAVE)
    qtbot.waitUntil(lambda: len(window.state.remarks) == before + 1, timeout=PATIENCE_MS)


def test_two_spans_are_named_and_their_ratio_read(
    qtbot: QtBot, mill: Series, open_desk: OpenDesk
) -> None:
    window = window_on(qtbot, open_desk)
    mark(window, 0.05, 0.45)
    assert window.strip.model.stretch is not None
    name_it(qtbot, window, "idle")
    mark(window, 0.55, 0.95)
    name_it(qtbot, window, "stiff clay")
    model = window.strip.model.remarks
    qtbot.waitUntil(lambda: len(model.lines()) == 2, timeout=PATIENCE_MS)
    idle, stiff = model.lines()
    assert (idle.mean, idle.is_base, idle.peak) == ("1.1", True, "1.2")
    assert (stiff.mean, stiff.peak, stiff.spread, stiff.ratio) == ("4.1", "4.2", "0.1", "–")
    assert stiff.is_sure
    assert "more than chance" in stiff.told
    assert window.strip.panel.pages.currentWidget() is window.strip.panel.spans
    # The other one as base: B on the picked span.
    model.pick(stiff.remark)
    window.strip.do(StripAction.BASE_SPAN)
    idle, stiff = model.lines()
    assert (stiff.is_base, idle.ratio) == (True, "–")


def test_a_span_is_altered_taken_away_and_comes_back(
    qtbot: QtBot, store: Store, mill: Series, open_desk: OpenDesk
) -> None:
    with store.write() as connection:
        save_remark(connection, Remark("idel", NOON_US - HOUR_US, NOON_US - HOUR_US // 2))
    window = window_on(qtbot, open_desk)
    strip = window.strip
    QTest.keyClick(strip, Qt.Key.Key_R)
    QTest.keyClick(strip, Qt.Key.Key_Return)
    dialog = opened(qtbot, strip, RemarkDialog)
    dialog.words.setText("idle")
    dialog.end.setText("nonsense")
    press(dialog, SAVE)
    assert "nonsense" in dialog.problem.text()
    dialog.end.setText("2026-11-23 12:00")
    dialog.shades.button(3).click()
    press(dialog, SAVE)
    qtbot.waitUntil(lambda: window.state.remarks[0].text == "idle", timeout=PATIENCE_MS)
    assert (window.state.remarks[0].end_us, window.state.remarks[0].shade) == (NOON_US, 3)
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: not window.state.remarks, timeout=PATIENCE_MS)
    assert "Ctrl+Z" in window.teller.text()

    def texts() -> list[str]:
        return [one.text for one in window.state.remarks]

    window.undo.undo()
    qtbot.waitUntil(lambda: texts() == ["idle"], timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: texts() == ["idel"], timeout=PATIENCE_MS)
    window.undo.redo()
    qtbot.waitUntil(lambda: window.state.remarks[0].text == "idle", timeout=PATIENCE_MS)
    with store.read() as connection:
        assert [one.text for one in remarks(connection)] == ["idle"]


def test_a_pin_is_dropped_at_the_cursor_and_dragged(
    qtbot: QtBot, mill: Series, open_desk: OpenDesk
) -> None:
    window = window_on(qtbot, open_desk)
    strip = window.strip
    strip.model.point_at(NOON_US - HOUR_US)
    QTest.keyClick(strip, Qt.Key.Key_P)
    dialog = opened(qtbot, strip, RemarkDialog)
    assert dialog.end.isHidden()
    QTest.keyClicks(dialog.words, "door opened")
    press(dialog, SAVE)
    qtbot.waitUntil(lambda: len(strip.model.remarks.pins) == 1, timeout=PATIENCE_MS)
    assert strip.model.remarks.pins[0].start_us == NOON_US - HOUR_US
    lane = strip.remarks_lane
    held = Qt.MouseButton.LeftButton
    at = QPoint(round(lane.x_of(NOON_US - HOUR_US)), 44)
    QTest.mousePress(lane, held, pos=at)
    QTest.mouseMove(lane, at + QPoint(100, 0))
    QTest.mouseRelease(lane, held, pos=at + QPoint(100, 0))
    qtbot.waitUntil(
        lambda: strip.model.remarks.pins[0].start_us > NOON_US - HOUR_US, timeout=PATIENCE_MS
    )
    assert strip.remarks_lane.accessibleDescription() == "door opened"
    until_shown(qtbot, window)


def test_the_ledger_tells_what_was_written_about_the_place(
    qtbot: QtBot, store: Store, mill: Series, open_desk: OpenDesk
) -> None:
    with store.write() as connection:
        save_remark(connection, Remark("barrel rinsed", NOON_US - HOUR_US, place="Pug mill"))
        save_remark(connection, Remark("power cut", NOON_US - 2 * HOUR_US))
        save_remark(connection, Remark("till counted", NOON_US - HOUR_US, place="Shop"))
        save_remark(connection, Remark("long ago", NOON_US - 30 * HOUR_US))
    window = open_desk(held_clock(NOON_US))
    panel = window.ledger.panel
    qtbot.waitUntil(lambda: panel.account is not None, timeout=PATIENCE_MS)
    assert panel.remarks.text().split("\n") == ["11:00  barrel rinsed", "10:00  power cut"]


def test_finding_a_remark_shows_its_stretch_of_time(
    qtbot: QtBot, store: Store, mill: Series, open_desk: OpenDesk
) -> None:
    begin_us = NOON_US - 90 * MINUTE_US
    with store.write() as connection:
        kept = save_remark(connection, Remark("soft clay", begin_us, begin_us + 20 * MINUTE_US))
    window = window_on(qtbot, open_desk)
    window.dialogs.go_to(kept)
    shown = window.state.window
    assert shown.start_us < begin_us
    assert shown.end_us > begin_us + 20 * MINUTE_US
    assert window.strip.model.remarks.picked == kept


def test_the_menu_of_a_remark_acts_on_it_and_the_lanes_on_the_lane(
    qtbot: QtBot, store: Store, mill: Series, open_desk: OpenDesk
) -> None:
    with store.write() as connection:
        save_remark(connection, Remark("idle", NOON_US - HOUR_US, NOON_US - HOUR_US // 2))
    window = window_on(qtbot, open_desk)
    strip = window.strip
    lane, model = strip.remarks_lane, strip.model.remarks
    middle = QPoint(round(lane.x_of(NOON_US - 3 * HOUR_US // 4)), 10)
    QTest.mousePress(lane, Qt.MouseButton.RightButton, pos=middle)
    words = menu_at(window, lane, middle)
    assert StripAction.REMOVE.words in words
    assert model.picked is not None
    assert model.picked.text == "idle"
    # Nothing is held that the next movement of the pointer would drag.
    QTest.mouseMove(lane, middle + QPoint(30, 0))
    assert lane._moved is None
    # Deleting after a lane's menu means the lane.
    assert menu_at(window, strip.plots[0], QPoint(200, 20))
    assert model.picked is None

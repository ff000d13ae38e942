"""Limits dragged on an axis: the Strip's, and the one beside the Ledger."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from shiboken6 import isValid

from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.limit_commands import SaveLimits
from rook_tally.desk.data.limit_drag import LimitLine, lines_of, stepped, with_line_at
from rook_tally.desk.data.store_feed import News, Picture
from rook_tally.desk.parts.limit_grip import LimitChart
from rook_tally.store.base import Store
from rook_tally.store.site import limits_set_for, set_limits_of
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, to_strip

ROOM = LimitScope(quantity="temperature", place="Throwing room")
BEGAN = Limits(above=(None, 22.0, 26.0, None), below=(None, 10.0, None, None))
LIMITS = Limits(above=(15.0, 25.0, 35.0, 50.0), below=(5.0, 1.0, None, -4.0))


@given(st.sampled_from(lines_of(LIMITS)), st.floats(-60, 100))
def test_a_line_goes_no_further_than_the_others(
    taken: tuple[LimitLine, float], value: float
) -> None:
    line, before = taken
    moved = with_line_at(LIMITS, line, value)
    after = dict(lines_of(moved))
    assert after.keys() == dict(lines_of(LIMITS)).keys()
    assert {**after, line: before} == dict(lines_of(LIMITS))
    uppers = [one for one in moved.above if one is not None]
    lowers = [one for one in moved.below if one is not None]
    assert uppers == sorted(set(uppers))
    assert lowers == sorted(set(lowers), reverse=True)
    assert min(uppers) > max(lowers)


def test_it_moves_in_round_steps_of_the_unit_shown() -> None:
    shown = DisplayUnit(QUANTITIES["temperature"], FAHRENHEIT)
    assert float(shown.value(stepped(21.234, (0.0, 40.0), shown))) == pytest.approx(70.2)


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    rows = [(NOON_US - hour * HOUR_US, 20.0 + (hour // 24) % 3) for hour in range(72)]
    append(store, begin_series(store), *rows)
    with store.write() as connection:
        set_limits_of(connection, ROOM, BEGAN)
    made = open_desk(held_clock(NOON_US))
    made.resize(1280, 800)
    return made


def _set(store: Store) -> Limits | None:
    with store.read() as connection:
        return limits_set_for(connection, ROOM)


def _y(chart: LimitChart, high: int, value: float) -> int:
    _, (low, top), _ = chart.limits_drawn
    return round(high * (1 - (value - low) / (top - low)))


def _drawn(window: DeskWindow) -> Limits:
    return window.strip.plots[0].content.limits


def _drag(widget: QWidget, x: int, begin: int, end: int) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=QPoint(x, begin))
    QTest.mouseMove(widget, QPoint(x, (begin + end) // 2))
    QTest.mouseMove(widget, QPoint(x, end))


def test_a_limit_is_dragged_on_the_strips_axis_and_undone(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    (plot,) = window.strip.plots
    assert plot.grip is not None
    x = 20
    _drag(plot, x, _y(plot, plot.height(), 22.0), _y(plot, plot.height(), 21.0))
    limits, _, shown = plot.limits_drawn
    assert shown is not None
    assert limits.above[1] == pytest.approx(21.0, abs=0.1)
    line = LimitLine(Level.RAISED, is_upper=True)
    words = window.strip.limit_drag.words
    qtbot.waitUntil(lambda: " · on " in words(limits, line, shown), timeout=PATIENCE_MS)
    # Warm of twenty-two degrees were a day's hours, which lie on two days of the calendar.
    assert words(limits, line, shown).endswith(" of 4 days")
    assert _set(store) == BEGAN
    plot.grab()
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(x, 5))
    qtbot.waitUntil(lambda: _set(store) == limits, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: _drawn(window) == limits, timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: _set(store) == BEGAN, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: _drawn(window) == BEGAN, timeout=PATIENCE_MS)


def test_a_limit_that_was_undone_before_it_was_read_back_is_not_drawn_any_more(
    window: DeskWindow, store: Store, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Found: the window read only what was in force again, and went on drawing the draft."""
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    (plot,) = window.strip.plots
    x = 20
    _drag(plot, x, _y(plot, plot.height(), 22.0), _y(plot, plot.height(), 21.0))
    limits, _, _ = plot.limits_drawn
    take = window.state.take

    def take_what_is_not_of_the_draft(news: News) -> None:
        if not (isinstance(news, Picture) and news.site.series[0].limits == limits):
            take(news)

    monkeypatch.setattr(window.state, "take", take_what_is_not_of_the_draft)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(x, 5))
    qtbot.waitUntil(lambda: _set(store) == limits, timeout=PATIENCE_MS)
    assert _drawn(window) == limits
    window.undo.undo()
    qtbot.waitUntil(lambda: _set(store) == BEGAN, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: _drawn(window) == BEGAN, timeout=PATIENCE_MS)


def test_beside_the_axis_the_window_is_moved_and_no_limit(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    (plot,) = window.strip.plots
    y = _y(plot, plot.height(), 22.0)
    _drag(plot, 200, y, y - 30)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(200, 5))
    assert plot.content.limits == BEGAN
    assert _set(store) == BEGAN


def test_a_limit_is_dragged_beside_the_ledger(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.ledger.pick(1 if window.ledger.model.is_band(0) else 0, 0)
    chart = window.ledger.panel.chart
    qtbot.waitUntil(lambda: chart.limits_drawn[2] is not None, timeout=PATIENCE_MS)
    _drag(chart, 30, _y(chart, chart.height(), 22.0), _y(chart, chart.height(), 21.5))
    chart.grab()
    QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=QPoint(30, 5))
    qtbot.waitUntil(lambda: _set(store) not in (None, BEGAN), timeout=PATIENCE_MS)
    found = _set(store)
    assert found is not None
    assert found.above[1] == pytest.approx(21.5, abs=0.2)


def test_limits_that_somebody_else_set_while_one_was_dragged_stand(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    (plot,) = window.strip.plots
    x = 20
    _drag(plot, x, _y(plot, plot.height(), 22.0), _y(plot, plot.height(), 21.0))
    limits, _, shown = plot.limits_drawn
    assert shown is not None
    line = LimitLine(Level.RAISED, is_upper=True)
    words = window.strip.limit_drag.words
    qtbot.waitUntil(lambda: " · on " in words(limits, line, shown), timeout=PATIENCE_MS)
    theirs = Limits(above=(None, 30.0, None, None))
    with store.write() as connection:
        set_limits_of(connection, ROOM, theirs)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(x, 5))
    qtbot.waitUntil(lambda: "by somebody else" in window.teller.text(), timeout=PATIENCE_MS)
    assert _set(store) == theirs
    qtbot.waitUntil(lambda: _drawn(window) == theirs, timeout=PATIENCE_MS)


def test_a_limit_that_could_not_be_saved_is_not_drawn_as_if_it_were(
    window: DeskWindow, store: Store, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window.ledger.pick(1 if window.ledger.model.is_band(0) else 0, 0)
    chart = window.ledger.panel.chart
    qtbot.waitUntil(lambda: chart.limits_drawn[2] is not None, timeout=PATIENCE_MS)

    def fails(_command: SaveLimits, _connection: object) -> None:
        raise StoreError("the disk is full", kept="nothing was changed")

    monkeypatch.setattr(SaveLimits, "apply", fails)
    y = _y(chart, chart.height(), 22.0)
    _drag(chart, 30, y, y + 12)
    assert chart.limits_drawn[0] != BEGAN
    QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=QPoint(30, 5))
    qtbot.waitUntil(lambda: "the disk is full" in window.teller.text(), timeout=PATIENCE_MS)
    assert chart.limits_drawn[0] == BEGAN
    assert _set(store) == BEGAN


def test_a_drag_of_one_series_is_not_drawn_at_another(window: DeskWindow, qtbot: QtBot) -> None:
    window.ledger.pick(1 if window.ledger.model.is_band(0) else 0, 0)
    chart = window.ledger.panel.chart
    qtbot.waitUntil(lambda: chart.limits_drawn[2] is not None, timeout=PATIENCE_MS)
    y = _y(chart, chart.height(), 22.0)
    _drag(chart, 30, y, y + 12)
    grip = chart.grip
    assert grip is not None and grip.series is not None and grip.draft is not None
    grip.series = replace(grip.series, id=grip.series.id + 1)
    assert grip.draft is None
    assert not grip.is_held


def test_lanes_that_are_built_anew_under_the_hand_take_no_harm(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    (plot,) = window.strip.plots
    y = _y(plot, plot.height(), 22.0)
    _drag(plot, 20, y, y + 10)
    # Somebody else sets limits, and the lane goes while the answer is on its way.
    theirs = Limits(above=(None, 30.0, None, None))
    with store.write() as connection:
        set_limits_of(connection, ROOM, theirs)
    qtbot.waitUntil(lambda: window.strip.plots[0] is not plot, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: not isValid(plot), timeout=PATIENCE_MS)
    window.strip.limit_drag.on_answer()
    window.strip.limit_drag.on_refused()
    assert _drawn(window) == theirs

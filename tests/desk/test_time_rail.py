"""The time rail: its model, and the real window dragged into the past and back."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import HourLimits, Level, Limits
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.views import STRIP
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.rail.model import COLUMNS, RailModel, RailQuery
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history
from rook_tally.store.site import load_site
from tests.builders import MINUTE_US, NOON_US, begin_series
from tests.desk.conftest import OpenDesk

PATIENCE_MS = 30_000


@pytest.fixture
def past(store: Store) -> Store:
    """Ten days of a room at its day's number in degrees, with a silent day in the midst."""
    series = begin_series(store, limits=Limits(above=(None, 8.5, None, None)))
    at = NOON_US - 10 * DAY_US + np.arange(0, 10 * DAY_US + 1, 5 * MINUTE_US)
    day = (at - at[0]) // DAY_US
    kept = day != 4
    with store.write() as connection:
        append_history(connection, series.id, readings_from(at[kept], day[kept].astype(np.float64)))
    return store


def _model(store: Store) -> RailModel:
    state = SiteState(held_clock(NOON_US))
    with store.read() as connection:
        state.take(read_picture(connection, NOON_US))
    model = RailModel(state)
    _read(store, model)
    return model


def _read(store: Store, model: RailModel) -> None:
    with store.read() as connection:
        model.take(model.question().run(connection))


def test_the_worst_level_and_where_nothing_was_heard(past: Store) -> None:
    model = _model(past)
    ribbon = model.ribbon
    assert ribbon is not None
    assert len(ribbon.worst) == COLUMNS
    # The last week: three to nine degrees, the last day past the limit, day four silent.
    assert ribbon.worst[-20] == 2
    assert ribbon.worst[: COLUMNS // 2].max() == 0
    silent = ~ribbon.heard
    assert 40 <= silent.sum() <= 56
    assert ribbon.heard[0]
    assert ribbon.heard[-3]


def test_the_rail_reaches_as_far_as_the_window(past: Store) -> None:
    model = _model(past)
    assert not model.is_to_be_asked()
    model.stretch(start_us=NOON_US - 9 * DAY_US)
    assert model.is_to_be_asked()
    _read(past, model)
    assert model.bounds[0] <= NOON_US - 9 * DAY_US
    model.show_all(True)
    _read(past, model)
    assert model.bounds[0] == NOON_US - 10 * DAY_US


def test_a_window_moved_to_now_is_live_again(past: Store) -> None:
    model = _model(past)
    span_us = model.window.span_us
    model.move_to(NOON_US - 3 * DAY_US)
    assert model.window == TimeWindow(
        NOON_US - 3 * DAY_US, NOON_US - 3 * DAY_US + span_us, is_live=False
    )
    model.stretch(end_us=NOON_US + HOUR_US)
    assert model.window.is_live
    assert model.window.end_us == NOON_US
    model.stretch(start_us=NOON_US + HOUR_US)
    assert model.window.start_us < model.window.end_us


def test_times_typed(past: Store) -> None:
    model = _model(past)
    model.go_to("2 days ago")
    assert model.window.end_us == NOON_US - 2 * DAY_US
    assert not model.window.is_live
    model.go_to("now")
    assert model.span_words() == "last 24 h"
    model.go_to("yesterday")
    assert model.window.span_us == DAY_US
    before = model.window
    with pytest.raises(UsageError):
        model.go_to("when the kiln was red")
    assert model.window == before


def test_the_whole_application_shows_the_moment_the_rail_is_dragged_to(
    qtbot: QtBot, past: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    state, track = window.state, window.rail.track
    series = state.site.series[0]
    assert state.latest[series.id].value == 10.0
    qtbot.waitUntil(lambda: window.rail.model.ribbon is not None, timeout=PATIENCE_MS)
    area = track._window_area()
    begin = QPoint(round(area.center().x()), 40)
    three_days = round(3 * DAY_US / 7 / DAY_US * track.width())
    QTest.mousePress(track, Qt.MouseButton.LeftButton, pos=begin)
    for share in (0.3, 0.6, 1.0):
        QTest.mouseMove(track, QPoint(begin.x() - round(share * three_days), 40))
    QTest.mouseRelease(track, Qt.MouseButton.LeftButton, pos=QPoint(begin.x() - three_days, 40))
    assert not window.state.window.is_live
    qtbot.waitUntil(
        lambda: state.past is not None and state.moment_question() is None, timeout=PATIENCE_MS
    )
    # Noon three days ago, give or take a pixel: the seventh day, or the end of the sixth.
    assert state.latest[series.id].value in (6.0, 7.0)
    qtbot.waitUntil(window.banner.isVisible, timeout=PATIENCE_MS)
    assert "as it was on" in window.banner.text()
    spoken = window.ledger.table.model().data(
        window.ledger.table.currentIndex(), Qt.ItemDataRole.AccessibleTextRole
    )
    assert any(f"{value}.0" in spoken for value in (6, 7))
    # The Strip shows the same window, and its keys move it for all.
    window.show_view(STRIP)
    qtbot.waitUntil(lambda: window.strip.is_up_to_date, timeout=PATIENCE_MS)
    assert window.strip.model.window == state.window
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert state.window.is_live
    qtbot.waitUntil(window.banner.isHidden, timeout=PATIENCE_MS)
    assert state.latest[series.id].value >= 9.0


def test_a_time_is_typed_in_the_window(qtbot: QtBot, past: Store, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US))
    rail = window.rail
    rail.ask_where_to()
    QTest.keyClicks(rail.go, "someday")
    QTest.keyClick(rail.go, Qt.Key.Key_Return)
    assert "is no time we can read" in window.teller.text()
    # What is wrong with the site stays to be seen.
    assert "No collector runs" in window.notice.text()
    assert window.state.window.is_live
    rail.go.clear()
    QTest.keyClicks(rail.go, "5 days ago")
    QTest.keyClick(rail.go, Qt.Key.Key_Return)
    assert window.state.window.end_us == NOON_US - 5 * DAY_US
    qtbot.waitUntil(lambda: window.state.past is not None, timeout=PATIENCE_MS)
    QTest.keyClick(rail.track, Qt.Key.Key_Right)
    assert window.state.window.end_us > NOON_US - 5 * DAY_US
    QTest.keyClick(rail.track, Qt.Key.Key_End)
    assert window.state.window.is_live


def test_readings_that_come_meanwhile_wait_for_the_return(
    qtbot: QtBot, past: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    state = window.state
    series = state.site.series[0]
    window.rail.model.go_to("5 days ago")
    qtbot.waitUntil(lambda: state.past is not None, timeout=PATIENCE_MS)
    shown = state.latest.get(series.id)
    with past.write() as connection:
        append_history(connection, series.id, readings_from([NOON_US - 1], [4.25]))
    qtbot.waitUntil(
        lambda: state.live.latest[series.id].time_us >= NOON_US - 1, timeout=PATIENCE_MS
    )
    assert state.latest.get(series.id) == shown
    window.rail.model.go_live()
    assert state.latest[series.id] == state.live.latest[series.id]


def test_limits_of_the_night_count_in_a_column_of_half_a_day(store: Store) -> None:
    """A year and a half: a column is longer than a day's night, and its middle may be noon."""
    night = HourLimits(HoursOfDay(begin_min=0, end_min=60), above=(None, 5, None, None))
    series = begin_series(store, limits=Limits(by_hours=(night,)))
    at = NOON_US - 500 * DAY_US + np.arange(0, 500 * 24) * HOUR_US
    value = np.full(len(at), 6.0)
    with store.write() as connection:
        append_history(connection, series.id, readings_from(at, value))
    with store.read() as connection:
        site = load_site(connection)
        ribbon = RailQuery(site, NOON_US - 500 * DAY_US, NOON_US).run(connection)
    assert (ribbon.worst == Level.RAISED).mean() > 0.7

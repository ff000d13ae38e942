"""The table of readings: every one behind the window, suspects overruled, copied."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.readings import ReadingsTable
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings, overrulings, read_range
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, to_strip


@pytest.fixture
def noise(store: Store) -> Series:
    """An hour of readings, two in a row and one later marked as lone zeros."""
    series = begin_series(store, "sound_level")
    append(
        store,
        series,
        *((NOON_US - at * MINUTE_US, 50.0 + at % 3) for at in range(60) if at not in (10, 11, 30)),
    )
    with store.write() as connection:
        append_readings(
            connection,
            [
                NewReading(series.id, NOON_US - at * MINUTE_US, 0.0, Quality.LONE_ZERO)
                for at in (10, 11, 30)
            ],
        )
    return series


def table_on(qtbot: QtBot, open_desk: OpenDesk) -> tuple[DeskWindow, ReadingsTable]:
    window = open_desk(held_clock(NOON_US))
    window.state.show_last(HOUR_US)
    window.strip.add_series(list(window.state.site.series))
    to_strip(qtbot, window)
    QTest.keyClick(window.strip, Qt.Key.Key_T)
    table = opened(qtbot, window, ReadingsTable)
    qtbot.waitUntil(lambda: table.lines.rowCount() > 0, timeout=PATIENCE_MS)
    return window, table


def test_every_reading_of_the_window_is_a_line(
    qtbot: QtBot, noise: Series, open_desk: OpenDesk
) -> None:
    _, table = table_on(qtbot, open_desk)
    assert table.lines.rowCount() == 60
    assert table.words.text() == "60 readings, 3 of them suspect"
    first = [str(table.lines.index(0, column).data()) for column in range(4)]
    assert first == ["2026-11-23 11:01:00.000", "52.0", "", "good"]
    table.only_suspect.click()
    assert table.lines.rowCount() == 3
    assert table.lines.index(0, 3).data() == "suspect: lone zero"


def test_picked_readings_are_deleted_and_had_back(
    qtbot: QtBot, store: Store, noise: Series, open_desk: OpenDesk
) -> None:
    window, table = table_on(qtbot, open_desk)
    with store.read() as connection:
        before = read_range(connection, noise.id, 0, NOON_US + 1).value.tolist()
    table.only_suspect.click()
    table.table.selectAll()
    table.delete.click()
    qtbot.waitUntil(lambda: table.words.text() == "57 readings, none suspect", timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(
        lambda: table.words.text() == "60 readings, 3 of them suspect", timeout=PATIENCE_MS
    )
    with store.read() as connection:
        assert read_range(connection, noise.id, 0, NOON_US + 1).value.tolist() == before


def test_suspects_are_overruled_in_stretches_and_taken_back(
    qtbot: QtBot, store: Store, noise: Series, open_desk: OpenDesk
) -> None:
    window, table = table_on(qtbot, open_desk)
    table.only_suspect.click()
    table.table.selectAll()
    table.good.click()
    qtbot.waitUntil(lambda: table.words.text().endswith("none suspect"), timeout=PATIENCE_MS)
    with store.read() as connection:
        said = overrulings(connection, noise.id)
        assert read_range(connection, noise.id, 0, NOON_US + 1).good.all()
    # Two neighbours are one stretch.
    assert [(one.to_us - one.from_us - 1) // MINUTE_US for one in said] == [0, 1]
    table.only_suspect.click()
    assert table.lines.rowCount() == 60
    by_whom = [str(table.lines.index(row, 4).data()) for row in range(60)]
    assert sum("table of readings" in text for text in by_whom) == 3
    window.undo.undo()
    qtbot.waitUntil(lambda: "3 of them suspect" in table.words.text(), timeout=PATIENCE_MS)
    with store.read() as connection:
        assert overrulings(connection, noise.id) == []


def test_a_good_reading_is_set_aside_and_counted_again(
    qtbot: QtBot, store: Store, noise: Series, open_desk: OpenDesk
) -> None:
    window, table = table_on(qtbot, open_desk)
    table.table.selectRow(5)
    table.suspect.click()
    qtbot.waitUntil(lambda: "4 of them suspect" in table.words.text(), timeout=PATIENCE_MS)
    assert table.lines.index(5, 3).data() == "suspect: set aside by a person"
    # Said otherwise afterwards: the word before is replaced, and both come back step by step.
    table.table.selectRow(5)
    table.good.click()
    qtbot.waitUntil(lambda: "3 of them suspect" in table.words.text(), timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: "4 of them suspect" in table.words.text(), timeout=PATIENCE_MS)
    window.undo.redo()
    qtbot.waitUntil(lambda: "3 of them suspect" in table.words.text(), timeout=PATIENCE_MS)


def test_lines_are_copied_with_their_unit(qtbot: QtBot, noise: Series, open_desk: OpenDesk) -> None:
    _, table = table_on(qtbot, open_desk)
    assert not table.copy.isEnabled()
    table.table.selectRow(0)
    table.copy.click()
    qtbot.waitUntil(lambda: table.words.text() == "1 line copied.", timeout=PATIENCE_MS)
    names, line = QGuiApplication.clipboard().text().split("\n")
    assert names.split("\t")[:2] == ["Time", "Value dB(A)"]
    assert line.split("\t")[:2] == ["2026-11-23 11:01:00.000", "52.0"]


def test_an_empty_window_says_so(qtbot: QtBot, noise: Series, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US + 5 * DAY_US))
    window.strip.add_series(list(window.state.site.series))
    window.show_view(1)
    window.dialogs.show_readings(window.state.site.series[0])
    table = opened(qtbot, window, ReadingsTable)
    qtbot.waitUntil(lambda: "0 readings" in table.words.text(), timeout=PATIENCE_MS)
    assert table.lines.rowCount() == 0

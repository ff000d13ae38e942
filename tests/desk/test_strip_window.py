"""The Strip in the real window: zoom into a gap, mark, lanes by name and by mouse, earlier days,
what is copied and saved."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.views import STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.csv_export import CsvExport
from rook_tally.desk.parts.series_drag import carried_series, load_of
from rook_tally.desk.strip.actions import StripAction
from rook_tally.desk.strip.queries import Overlay
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, menu_at, opened, to_strip, until_shown


@pytest.fixture
def rooms(store: Store) -> dict[str, Series]:
    """Two rooms over 26 hours; one was silent from 10:00 to 10:40."""
    made = {
        "co2": begin_series(store, "co2"),
        "temperature": begin_series(store),
        "shop": begin_series(store, "co2", key="shelf", place="Shop"),
    }
    moments = [NOON_US - 26 * HOUR_US + at * MINUTE_US for at in range(26 * 60)]
    silent = range(NOON_US - 120 * MINUTE_US, NOON_US - 80 * MINUTE_US)
    append(
        store,
        made["co2"],
        *((at, 500.0 + (at // HOUR_US) % 24) for at in moments if at not in silent),
    )
    append(store, made["temperature"], *((at, 21.0) for at in moments))
    append(store, made["shop"], *((at, 700.0) for at in moments))
    return made


def opened_strip(qtbot: QtBot, open_desk: OpenDesk, *series: Series) -> DeskWindow:
    window = open_desk(held_clock(NOON_US))
    window.state.show_last(8 * HOUR_US)
    by_id = {one.id: one for one in window.state.site.series}
    window.strip.add_series([by_id[one.id] for one in series])
    to_strip(qtbot, window)
    return window


def test_zooming_into_a_gap_shows_only_hatching(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    strip, plot = window.strip, window.strip.plots[0]
    (gap,) = strip.model.envelopes[rooms["co2"].id].gaps.tolist()
    assert gap == [NOON_US - 121 * MINUTE_US, NOON_US - 80 * MINUTE_US]
    held, shift = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
    inside = [QPoint(round(plot.x_of(NOON_US - at * MINUTE_US)), 30) for at in (115, 85)]
    QTest.mousePress(plot, held, shift, inside[0])
    QTest.mouseMove(plot, inside[1])
    QTest.mouseRelease(plot, held, shift, inside[1])
    qtbot.waitUntil(lambda: "marked" in strip.panel.mark.text(), timeout=PATIENCE_MS)
    QTest.keyClick(strip, Qt.Key.Key_Z)
    until_shown(qtbot, window)
    assert strip.model.window.span_us < 31 * MINUTE_US
    assert strip.model.envelopes[rooms["co2"].id].is_empty
    assert strip.model.note(0) == "nothing was heard in this window"
    # Back out again, at the pointer: the gap lies in the middle with readings on both sides.
    for _ in range(10):
        QTest.keyClick(strip, Qt.Key.Key_Minus)
    until_shown(qtbot, window)
    assert not strip.model.envelopes[rooms["co2"].id].is_empty


def test_seconds_and_decades_are_zoomed_to(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["temperature"])
    for key, times in ((Qt.Key.Key_Plus, 40), (Qt.Key.Key_Minus, 90)):
        for _ in range(times):
            QTest.keyClick(window.strip, key)
        until_shown(qtbot, window)
    assert window.state.window.span_us > 20 * 365 * DAY_US
    assert window.strip.model.envelopes[rooms["temperature"].id].count.sum() == 26 * 60


def test_lanes_by_name_everything_in_a_place_and_a_quantity_everywhere(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    strip = window.strip
    assert list(strip.model.offers("co2 everywhere")) == ["CO₂ everywhere"]
    QTest.keyClicks(strip.panel.adder, "everything throwing")
    QTest.keyClick(strip.panel.adder, Qt.Key.Key_Return)
    names = [[one.field for one in lane.series] for lane in strip.model.lanes]
    assert names == [["co2"], ["temperature"]]
    strip.do(StripAction.QUANTITY)
    keys = [[one.station.key for one in lane.series] for lane in strip.model.lanes]
    assert keys == [["wall", "shelf"], ["wall"]]
    until_shown(qtbot, window)
    assert strip.model.head(0).where == "Throwing room + Shop"


def test_series_are_dropped_on_a_lane(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    """From the Ledger, or a lane's head: into a lane of the same quantity, else before it."""
    window = opened_strip(qtbot, open_desk, rooms["temperature"], rooms["co2"])
    strip = window.strip

    def drop(lane: int, series: Series) -> None:
        load = load_of([series])
        assert carried_series(load) == [series.id]
        event = QDropEvent(
            QPointF(50, 20),
            Qt.DropAction.CopyAction,
            load,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        strip.plots[lane].dropEvent(event)

    drop(1, rooms["shop"])
    qtbot.waitUntil(lambda: len(strip.model.series) == 3, timeout=PATIENCE_MS)
    assert [len(lane.series) for lane in strip.model.lanes] == [1, 2]
    drop(0, rooms["shop"])
    qtbot.waitUntil(lambda: len(strip.model.lanes) == 3, timeout=PATIENCE_MS)
    told = [[one.station.key for one in lane.series] for lane in strip.model.lanes]
    assert told == [["shelf"], ["wall"], ["wall"]]
    strip.model.pick(0)
    QTest.keyClick(strip, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert strip.model.lanes[1].series[0].station.key == "shelf"


def test_the_same_hours_of_the_day_before_lie_behind(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    window.state.show_last(HOUR_US)
    until_shown(qtbot, window)
    QTest.keyClick(window.strip, Qt.Key.Key_O)
    model = window.strip.model
    assert model.overlay is Overlay.DAY_BEFORE
    qtbot.waitUntil(
        lambda: bool(model.traces and model.traces[rooms["co2"].id].earlier), timeout=PATIENCE_MS
    )
    trace = model.traces[rooms["co2"].id]
    (before,) = trace.earlier
    assert before.start_us == trace.envelope.start_us
    # The value depends on the hour of the day alone, so both days say the same.
    both = (before.count > 0) & (trace.envelope.count > 0)
    assert both.any()
    assert np.array_equal(before.mean[both], trace.envelope.mean[both])
    words = window.strip.panel.mark
    qtbot.waitUntil(lambda: "the day before" in words.text(), timeout=PATIENCE_MS)


def test_suspect_readings_are_hollow_and_not_in_the_line(
    qtbot: QtBot, store: Store, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    odd_us = NOON_US - 30 * MINUTE_US + 1
    with store.write() as connection:
        append_readings(connection, [NewReading(rooms["co2"].id, odd_us, 0.0, Quality.LONE_ZERO)])
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    trace = window.strip.model.traces[rooms["co2"].id]
    assert (trace.suspect_us.tolist(), trace.suspect.tolist()) == ([odd_us], [0.0])
    assert "1 reading set aside as suspect" in window.strip.model.note(0)


def test_figures_are_copied_and_readings_saved_as_shown(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk, tmp_path: Path
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"], rooms["temperature"])
    window.state.show_last(HOUR_US)
    until_shown(qtbot, window)
    QTest.keyClick(window.strip, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    lines = QGuiApplication.clipboard().text().split("\n")
    assert lines[0].split("\t")[0] == "2026-11-23 11:00:00"
    assert lines[3].split("\t")[:6] == [
        "Throwing room",
        "Temperature",
        "°C",
        "21.0",
        "21.0",
        "21.0",
    ]
    window.strip.do(StripAction.SAVE_CSV)
    asked = opened(qtbot, window, QFileDialog)
    asked.fileSelected.emit(str(tmp_path / "shown.csv"))
    saving = opened(qtbot, window, CsvExport)
    qtbot.waitUntil(lambda: saving.stop.text() == "Close", timeout=PATIENCE_MS)
    assert "120 readings are in" in saving.told.text()
    rows = list(csv.reader((tmp_path / "shown.csv").read_text("utf-8").splitlines()))
    assert len(rows) == 121
    assert rows[1][1:] == ["Throwing room", "wall", "co2", "co2", "511.0", "ppm", "good"]
    saving.stop.click()
    asked.close()


def test_a_file_that_cannot_be_written_says_so(
    qtbot: QtBot, store: Store, rooms: dict[str, Series], open_desk: OpenDesk, tmp_path: Path
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    path = tmp_path / "none" / "x.csv"
    saving = CsvExport(store, [rooms["co2"]], NOON_US - HOUR_US, NOON_US, str(path), window)
    qtbot.addWidget(saving)
    qtbot.waitUntil(lambda: saving.stop.text() == "Close", timeout=PATIENCE_MS)
    assert "cannot be written" in saving.told.text()


@pytest.mark.parametrize("form", ["png", "svg"])
def test_the_picture_is_saved(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk, tmp_path: Path, form: str
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"])
    window.strip.do(StripAction.SAVE_PICTURE)
    asked = opened(qtbot, window, QFileDialog)
    path = tmp_path / f"strip.{form}"
    asked.fileSelected.emit(str(path))
    assert str(path) in window.teller.text()
    if form == "png":
        assert QImage(str(path)).width() == window.strip.width()
    else:
        text = path.read_text()
        assert "<polyline" in text or "<path" in text
        assert "CO₂" in text
    asked.fileSelected.emit(str(tmp_path / "none" / f"x.{form}"))
    assert "cannot be written" in window.teller.text()
    asked.close()


def test_forty_lanes_are_scrolled_and_do_not_grow_the_window(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    slugs = [slug for slug, one in QUANTITIES.items() if one.base.symbol][:10]
    series = [begin_series(store, slug, key=f"st-{at}") for at in range(4) for slug in slugs]
    append(store, series[0], (NOON_US - 5, 20.0))
    window = open_desk(held_clock(NOON_US))
    window.resize(1280, 800)
    window.show_view(STRIP)
    window.strip.add_series(list(window.state.site.series))
    qtbot.waitUntil(lambda: len(window.strip.plots) == 40, timeout=PATIENCE_MS)
    bar = window.strip._scroll.verticalScrollBar()
    qtbot.waitUntil(lambda: bar.maximum() > 0, timeout=PATIENCE_MS)
    assert window.height() == 800
    axis = window.strip.axis
    qtbot.waitUntil(lambda: window.strip.plots[0].width() == axis.width(), timeout=PATIENCE_MS)


def test_the_menu_of_a_lane_acts_on_that_lane(
    qtbot: QtBot, rooms: dict[str, Series], open_desk: OpenDesk
) -> None:
    window = opened_strip(qtbot, open_desk, rooms["co2"], rooms["temperature"])
    strip = window.strip
    strip.model.pick(0)
    told = {one.words for one in StripAction}
    assert told <= set(menu_at(window, strip.plots[1], QPoint(200, 20)))
    assert strip.model.picked == 1
    assert told <= set(menu_at(window, strip.heads[0], QPoint(40, 20)))
    assert strip.model.picked == 0
    # The right button on a lane's cross removes nothing.
    cross = strip.heads[0]._cross().center().toPoint()
    QTest.mouseClick(strip.heads[0], Qt.MouseButton.RightButton, pos=cross)
    assert len(strip.model.lanes) == 2
    assert not menu_at(window, strip.axis, QPoint(40, 10))

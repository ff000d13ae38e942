"""The real window: live readings through real processes, keys, notices, the Strip."""

from __future__ import annotations

import itertools
from functools import partial
from pathlib import Path

import pytest
from PIL import Image, ImageChops
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QAccessible, QCursor, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QMenu
from pytestqt.qtbot import QtBot

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.clock import now_us
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.views import LEDGER, STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.actions import Section
from rook_tally.desk.data.clock import held_clock
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import add_station, load_site, set_site
from scripts.screenshots.views import MOMENT_US, take_shots
from tests.builders import append, begin_series
from tests.desk.conftest import OpenDesk
from tests.processes import CollectorProcess

PATIENCE_MS = 20_000


def _texts(window: DeskWindow) -> set[str]:
    table = window.ledger.table.model()
    return {
        str(table.index(row, column).data() or "")
        for row in range(table.rowCount())
        for column in range(table.columnCount())
    }


def _notice(window: DeskWindow) -> str:
    return window.notice.text() if window.notice.isVisible() else ""


@pytest.fixture
def pottery(store: Store) -> Store:
    """The demo's site with some hours of history, at the moment of the pictures."""
    make_demo_site(store, end_us=MOMENT_US, days=0.3)
    return store


def test_an_empty_store_says_what_to_do(open_desk: OpenDesk) -> None:
    window = open_desk()
    shown = [label.text() for label in window.ledger.findChildren(QLabel) if label.isVisible()]
    assert "Nothing has been heard yet" in shown
    ways = [button.text() for button in window.ledger.first.buttons.values()]
    assert ways == [
        "&1  Look at the demo",
        "&2  Connect a station",
        "&3  Read a file",
        "&4  Begin with a site file",
    ]
    assert "Times are in" in window.ledger.first.site.text()
    assert "No collector runs" in _notice(window)


def test_readings_sent_by_hand_appear_unasked(
    qtbot: QtBot, collector: CollectorProcess, open_desk: OpenDesk
) -> None:
    """Station added, curl and mosquitto_pub typed by hand, while the window just stands there."""
    window = open_desk()
    assert _notice(window) == ""
    collector.add_station("kiln-1", kind="kiln-probe")
    collector.post('{"temp": 34.3}', query="?station=kiln-1")
    qtbot.waitUntil(lambda: "34.3" in _texts(window), timeout=PATIENCE_MS)
    collector.publish("kiln-1", '{"temp": 35.1}')
    qtbot.waitUntil(lambda: "35.1" in _texts(window), timeout=PATIENCE_MS)
    assert window.state.site.places[0].name == "Kiln room"
    painted: list[tuple[int, int]] = []
    window.ledger.table.cells.on_painted = lambda row, column: painted.append((row, column))
    collector.publish("kiln-1", '{"temp": 36.2}')
    qtbot.waitUntil(lambda: bool(painted) and "36.2" in _texts(window), timeout=PATIENCE_MS)
    assert collector.stop() == 0
    qtbot.waitUntil(lambda: "No collector runs" in _notice(window), timeout=PATIENCE_MS)


def test_a_broker_that_is_not_there_is_said_in_the_window(
    qtbot: QtBot, store_path: Path, open_desk: OpenDesk
) -> None:
    with CollectorProcess(store_path, broker="mqtt://127.0.0.1:1"):
        window = open_desk()
        qtbot.waitUntil(
            lambda: "MQTT door: no broker answers at 127.0.0.1:1" in _notice(window),
            timeout=PATIENCE_MS,
        )


def test_arrow_keys_move_and_enter_opens_the_strip(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(MOMENT_US))
    qtbot.waitUntil(lambda: window.ledger.panel.account is not None, timeout=PATIENCE_MS)
    first = window.ledger.panel.account
    assert first is not None
    assert (first.series.station.place.name, first.series.quantity.slug) == ("Glaze booth", "pm25")
    table = window.ledger.table
    before = table.currentIndex()
    QTest.keyClick(table, Qt.Key.Key_Right)
    assert table.currentIndex().column() > before.column()
    qtbot.waitUntil(lambda: window.ledger.panel.account is not first, timeout=PATIENCE_MS)
    QTest.keyClick(table, Qt.Key.Key_Return)
    assert len(window.strip.model.lanes) == 1
    qtbot.waitUntil(lambda: window.strip.is_up_to_date, timeout=PATIENCE_MS)
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
    assert window.ledger.isVisible()


def test_cells_can_be_heard_as_well_as_seen(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(MOMENT_US))
    model = window.ledger.table.model()
    index = window.ledger.table.currentIndex()
    spoken = model.data(index, Qt.ItemDataRole.AccessibleTextRole)
    assert spoken.startswith("Glaze booth, PM2.5 ")
    assert spoken.endswith("high, Glaze dust stands")
    assert QAccessible.queryAccessibleInterface(window.ledger.table) is not None


def _strip(qtbot: QtBot, window: DeskWindow) -> None:
    window.show_view(STRIP)
    qtbot.waitUntil(lambda: window.strip.is_up_to_date, timeout=PATIENCE_MS)


def test_the_strip_begins_with_the_worst_and_keys_steer_it(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(MOMENT_US))
    _strip(qtbot, window)
    strip = window.strip
    assert len(strip.plots) == 5
    span_us = strip.model.window.span_us
    QTest.keyClick(strip, Qt.Key.Key_Plus)
    assert strip.model.window.span_us < span_us
    assert strip.model.window.is_live
    QTest.keyClick(strip, Qt.Key.Key_Left)
    assert not strip.model.window.is_live
    qtbot.waitUntil(lambda: strip.is_up_to_date, timeout=PATIENCE_MS)
    QTest.keyClick(strip, Qt.Key.Key_Space)
    assert strip.model.window.is_live
    QTest.keyClick(strip, Qt.Key.Key_A)
    assert QApplication.focusWidget() is strip.panel.adder or not window.isActiveWindow()
    QTest.keyClicks(strip.panel.adder, "yard press")
    QTest.keyClick(strip.panel.adder, Qt.Key.Key_Return)
    assert strip.model.lanes[-1].quantity.slug == "pressure"


def test_a_preset_and_live_read_the_window_they_show(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    """With nothing new coming in: the window that is shown is the one that was read."""
    window = open_desk(held_clock(MOMENT_US))
    _strip(qtbot, window)
    strip = window.strip
    for span_us in (7 * DAY_US, HOUR_US):
        before = strip.model.window
        window.rail.model.show_last(span_us)
        assert strip.model.window != before
        qtbot.waitUntil(lambda: strip.is_up_to_date, timeout=PATIENCE_MS)
    QTest.keyClick(strip, Qt.Key.Key_Left)
    qtbot.waitUntil(lambda: strip.is_up_to_date, timeout=PATIENCE_MS)
    QTest.mouseClick(window.rail.live, Qt.MouseButton.LeftButton)
    assert strip.model.window.is_live
    qtbot.waitUntil(lambda: strip.is_up_to_date, timeout=PATIENCE_MS)


def test_the_strip_follows_the_mouse(qtbot: QtBot, pottery: Store, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(MOMENT_US))
    _strip(qtbot, window)
    strip, plot = window.strip, window.strip.plots[0]
    QTest.mouseMove(plot, QPoint(plot.width() // 2, 20))
    qtbot.waitUntil(lambda: strip.model.cursor_us is not None, timeout=PATIENCE_MS)
    assert strip.model.cursor_us is not None
    middle = (strip.model.window.start_us + strip.model.window.end_us) // 2
    assert abs(strip.model.cursor_us - middle) < strip.model.window.span_us / 100
    span_us = strip.model.window.span_us
    where = QPointF(plot.width() / 2, 20)
    wheel = QWheelEvent(
        where,
        plot.mapToGlobal(where),
        QPoint(),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plot, wheel)
    assert strip.model.window.span_us < span_us
    end_us = strip.model.window.end_us
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=QPoint(100, 20))
    QTest.mouseMove(plot, QPoint(300, 20))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(300, 20))
    assert strip.model.window.end_us < end_us
    head = strip.heads[0]
    lanes = len(strip.model.lanes)
    QTest.mouseClick(
        head, Qt.MouseButton.LeftButton, pos=QPoint(head.width() - 22, head.height() - 16)
    )
    qtbot.waitUntil(lambda: len(strip.model.lanes) == lanes - 1, timeout=PATIENCE_MS)


def test_the_strip_is_live(qtbot: QtBot, store: Store, open_desk: OpenDesk) -> None:
    series = begin_series(store, "co2")
    append(store, series, (now_us() - 60_000_000, 500.0))
    window = open_desk()
    _strip(qtbot, window)
    append(store, series, (now_us(), 733.0))
    qtbot.waitUntil(lambda: window.strip.model.head(0).values == "733", timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: (
            bool(window.strip.model.envelopes[series.id].high.max() == 733)
            or bool((window.strip.model.envelopes[series.id].high == 733).any())
        ),
        timeout=PATIENCE_MS,
    )


def test_late_readings_and_many_at_once_reach_the_ribbon(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    series = begin_series(store, "co2")
    at_us = now_us()
    append(store, series, (at_us, 500.0))
    window = open_desk()
    with store.write() as connection:
        append_readings(
            connection,
            [
                NewReading(series.id, at_us - at * 60_000_000, 900.0, Quality.GOOD)
                for at in range(60, 120)
            ],
        )
    qtbot.waitUntil(
        lambda: (
            series.id in window.state.ribbons
            and int(window.state.ribbons[series.id].count.sum()) == 61
        ),
        timeout=PATIENCE_MS,
    )
    assert window.state.latest[series.id].value == 500


def test_a_changed_configuration_is_shown_at_once(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    append(store, begin_series(store), (now_us(), 21.0))
    window = open_desk()
    with store.write() as connection:
        set_site(connection, name="Fennel Wharf Pottery", zone="Europe/London")
        add_station(connection, "new", place="Attic", kind=PLAIN)
    qtbot.waitUntil(
        lambda: [place.name for place in window.state.site.places] == ["Throwing room", "Attic"],
        timeout=PATIENCE_MS,
    )
    with store.read() as connection:
        assert load_site(connection).zone == window.state.zone.key


def test_views_fit_the_smallest_and_a_large_window(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(MOMENT_US))
    table = window.ledger.table
    for width, height in ((1024, 700), (2560, 1440)):
        window.resize(width, height)
        assert (window.width(), window.ledger.width()) == (width, width)
        assert table.verticalHeader().length() > 0
        # Whole columns only, as many as there is room for.
        assert table.viewport().width() >= table.columnWidth(0) >= 96
        window.show_view(STRIP)
        assert window.strip.width() == width
        window.show_view(LEDGER)


def _where_they_differ(first: Path, second: Path) -> tuple[int, int, int, int] | None:
    """The rectangle (left, top, right, bottom) in which two pictures differ; None if they do
    not."""
    with Image.open(first) as one, Image.open(second) as other:
        assert one.size == other.size
        return ImageChops.difference(one.convert("RGB"), other.convert("RGB")).getbbox()


def _share_that_differs(first: Path, second: Path) -> float:
    """Share of the pixels that differ in more than a shade."""
    with Image.open(first) as one, Image.open(second) as other:
        told = ImageChops.difference(one.convert("L"), other.convert("L")).histogram()
    return sum(told[16:]) / sum(told)


def test_pictures_are_the_same_every_time(qtbot: QtBot, tmp_path: Path) -> None:
    take_shots(tmp_path / "a", days=0.5)
    # Where the pointer rests is no part of a picture.
    pointer, steps = QTimer(interval=23), itertools.count()
    pointer.timeout.connect(lambda: QCursor.setPos(QPoint(451 + 60 * (next(steps) % 7), 300)))
    pointer.start()
    again = ("ledger", "strip", "plan", "watch")
    take_shots(tmp_path / "b", days=0.5, only=again)
    pointer.stop()
    names = sorted(path.name for path in (tmp_path / "a").iterdir())
    assert names == [
        "bench.png",
        "formula.png",
        "ledger.png",
        "page-phone.png",
        "page-tablet.png",
        "plan.png",
        "reports.png",
        "stations.png",
        "strip.png",
        "wall-arranged.png",
        "wall.png",
        "watch.png",
        "workings.png",
    ]
    assert all((tmp_path / "a" / one).read_bytes().startswith(b"\x89PNG") for one in names)
    # Told by where: bytes beside bytes would keep pytest busy for hours.
    for name in again:
        pictures = [tmp_path / run / f"{name}.png" for run in ("a", "b")]
        where = _where_they_differ(*pictures)
        if name == "strip":
            # Pixels of its traces differed in two whole runs, never in sixty takes alone; why is
            # not known yet. A trace moved by a pixel is 0.03, a lane without its ground 0.005.
            assert _share_that_differs(*pictures) < 0.004, where
        else:
            assert (name, where) == (name, None)


def test_the_menu_lists_what_can_be_done_in_the_view_shown(
    qtbot: QtBot, open_desk: OpenDesk
) -> None:
    window = open_desk()
    QTest.mouseClick(window.head.menu, Qt.MouseButton.LeftButton)
    menu = window.findChild(QMenu)
    qtbot.waitUntil(menu.isVisible, timeout=PATIENCE_MS)
    entries = {one.text().partition("\t")[0]: one for one in menu.actions()}
    commands = {one.words for one in window.commands if one.section is Section.LEDGER}
    assert commands
    assert commands <= set(entries)
    assert {"Time", "Everywhere"} <= set(entries)
    everywhere = entries["Everywhere"].menu()
    assert isinstance(everywhere, QMenu)
    turn = next(one for one in everywhere.actions() if one.text().startswith("Strip"))
    turn.trigger()
    assert window.view == STRIP
    menu.close()


def test_in_a_small_window_nothing_is_cut(
    qtbot: QtBot, pottery: Store, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(MOMENT_US))
    qtbot.waitUntil(lambda: window.ledger.panel.account is not None, timeout=PATIENCE_MS)
    window.resize(1024, 640)
    names = window.head.views
    qtbot.waitUntil(
        lambda: all(one.width() >= one.sizeHint().width() for one in names), timeout=PATIENCE_MS
    )
    right_of_all = names[-1].geometry().right()
    assert right_of_all < window.head.standing.geometry().left()
    assert window.head.menu.geometry().right() < window.width()
    # What the side panel has no room for is a turn of the wheel away.
    bar = window.ledger.panel.sheet.verticalScrollBar()
    assert bar.maximum() > 0
    bar.setValue(bar.maximum())
    button = window.ledger.panel.open_button
    assert (
        window.ledger.panel.sheet.viewport()
        .rect()
        .contains(button.mapTo(window.ledger.panel.sheet.viewport(), button.rect().bottomLeft()))
    )
    window.tell("What was typed is kept, and what is to be done is said in words. " * 4)
    assert window.teller.geometry().right() < window.width()
    assert window.teller.height() >= window.teller.heightForWidth(window.teller.width())


def test_in_half_a_screen_the_names_of_the_views_stay_whole(
    qtbot: QtBot, open_desk: OpenDesk
) -> None:
    """A desktop that tiles its windows asks nobody how narrow they may be."""
    window = open_desk()
    window.setMinimumSize(1, 1)

    def is_whole(width: int) -> bool:
        views = window.head.views
        wide_enough = all(one.width() >= one.sizeHint().width() for one in views)
        return window.head.width() == width and wide_enough

    for width in (640, 1280):
        window.resize(width, 700)
        qtbot.waitUntil(partial(is_whole, width), timeout=PATIENCE_MS)
    assert window.head._name.isVisible()

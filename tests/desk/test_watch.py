"""The Watch view in a real window, and alarms in every other."""

from __future__ import annotations

import csv
import itertools
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QScrollArea
from pytestqt.qtbot import QtBot

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.sentences import Part
from rook_tally.core.quantities.levels import Level
from rook_tally.desk.app.tray import tray_words
from rook_tally.desk.app.views import LEDGER, WATCH
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.alarms import AlarmDialog
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.store.alarms import journal, watches
from rook_tally.store.base import Store
from rook_tally.store.site import RequestKind, open_requests
from tests.alarming.conftest import DUST, Booth, at
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened, to_strip

PATIENCE_MS = 20_000
WATCHED = replace(DUST, for_s=0.0, calm_s=0.0, tell=("a voice",))


@pytest.fixture
def booth(store: Store) -> Booth:
    """Dust that rang at five past, and another watch that never did."""
    made = Booth(store)
    made.keep(WATCHED)
    made.keep(
        Watch(
            slug="damp",
            name="Damp",
            sort=WatchKind.BELOW,
            limit=3,
            unit="µg/m³",
            scope=Scope(quantity="pm25", place="Shop"),
        )
    )
    made.told_each_minute(0, [5.0] * 5 + [40.0, 45.0, 50.0])
    return made


@pytest.fixture
def window(booth: Booth, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    made = open_desk(held_clock(at(8)))
    made.resize(1280, 800)
    made.show_view(WATCH)
    qtbot.waitUntil(lambda: _is_shown(made), timeout=PATIENCE_MS)
    return made


def _is_shown(window: DeskWindow) -> bool:
    return bool(window.watch.is_up_to_date) and window.watch.model.backtest.result is not None


def _kept(store: Store) -> Watch:
    with store.read() as connection:
        return watches(connection)[0]


def test_the_view_shows_the_watch_its_backtest_and_the_journal(window: DeskWindow) -> None:
    view = window.watch
    assert view.name.text() == "Glaze dust"
    assert view.figures.rang.value.text() == "1"
    assert view.list.model().data(view.list.currentIndex(), Qt.ItemDataRole.AccessibleTextRole) == (
        "Glaze dust, standing 3 min, PM2.5 over 25 µg/m³ at Glaze booth"
    )
    assert [one.sort for one in view.journal_items.lines] == [JournalKind.RANG]
    assert view.acknowledge.isVisible()
    assert not view.keep.isEnabled()


def test_a_limit_is_dragged_and_the_count_follows_at_once(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    chart = window.watch.chart
    y = round(chart.y_of(25.0))
    QTest.mousePress(chart, Qt.MouseButton.LeftButton, pos=QPoint(200, y))
    QTest.mouseMove(chart, QPoint(200, round(chart.y_of(60.0))))
    assert window.watch.figures.rang.value.text() == "0"
    QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=QPoint(200, 0))
    qtbot.waitUntil(lambda: window.watch.model.backtest.others[2][1] == 0, timeout=PATIENCE_MS)
    QTest.keyClick(window.watch, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not window.watch.model.is_altered, timeout=PATIENCE_MS)
    assert _kept(store).limit > 50
    window.undo.undo()
    qtbot.waitUntil(lambda: _kept(store).limit == 25, timeout=PATIENCE_MS)


def test_nothing_lies_on_anything_in_the_smallest_window(window: DeskWindow, qtbot: QtBot) -> None:
    view = window.watch
    window.resize(window.minimumSize())
    qtbot.waitUntil(lambda: window.size() == window.minimumSize(), timeout=PATIENCE_MS)
    page = view.findChild(QScrollArea)
    # Nothing is cut at the right, once all is laid out.
    qtbot.waitUntil(lambda: page.widget().width() == page.viewport().width(), timeout=PATIENCE_MS)
    parts = (view.name, view.sentence, view.chart, view.figures)
    tops = [part.mapTo(view, QPoint(0, 0)).y() for part in parts]
    for part, top, below in zip(parts, tops, tops[1:], strict=False):
        assert top + part.height() <= below
    assert view.sentence.height() >= view.sentence.layout().heightForWidth(view.sentence.width())
    assert view.keep.visibleRegion().boundingRect().size() == view.keep.size()


def test_limits_move_with_the_keyboard(window: DeskWindow) -> None:
    chart = window.watch.chart
    chart.setFocus()
    QTest.keyClick(chart, Qt.Key.Key_Up)
    draft = window.watch.model.draft
    assert draft.limit > 25
    assert draft.clear == 18
    QTest.keyClick(chart, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert (window.watch.model.draft.clear or 0.0) < 18
    QTest.keyClick(window.watch, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert window.watch.model.draft == WATCHED


def test_parts_of_the_sentence_are_typed_and_chosen_by_keys(
    window: DeskWindow, qtbot: QtBot
) -> None:
    edit = window.watch.sentence
    edit.parts[Part.LIMIT].setFocus()
    QTest.keyClick(edit.parts[Part.LIMIT], Qt.Key.Key_Right)
    QTest.keyClick(edit.parts[Part.LIMIT], Qt.Key.Key_Left)
    QTest.keyClick(edit.parts[Part.LIMIT], Qt.Key.Key_Space)
    assert edit.typing is not None
    edit.typing.line.setText("warm")
    QTest.keyClick(edit.typing.line, Qt.Key.Key_Return)
    assert "is no number" in edit.typing.why.text()
    edit.typing.line.setText("30")
    QTest.keyClick(edit.typing.line, Qt.Key.Key_Return)
    assert edit.typing is None
    assert edit.parts[Part.LIMIT].text() == "30 µg/m³"
    edit.open(Part.LEVEL)
    assert edit.menu is not None
    edit.menu.actions()[Level.SEVERE].trigger()
    edit.menu.close()
    assert edit.parts[Part.LEVEL].text() == "severe"
    assert edit.parts[Part.LEVEL].accessibleName() == "level: severe"
    qtbot.waitUntil(lambda: _is_shown(window), timeout=PATIENCE_MS)


def test_what_is_typed_into_a_part_is_taken_by_a_click_beside_it(window: DeskWindow) -> None:
    edit = window.watch.sentence
    edit.open(Part.LIMIT)
    assert edit.typing is not None
    edit.typing.line.setText("31")
    edit.typing.hide()
    assert edit.parts[Part.LIMIT].text() == "31 µg/m³"
    edit.open(Part.LIMIT)
    assert edit.typing is not None
    edit.typing.line.setText("many")
    edit.typing.hide()
    assert "many was not taken" in window.watch.trouble.text()
    edit.open(Part.LIMIT)
    assert edit.typing is not None
    edit.typing.line.setText("99")
    QTest.keyClick(edit.typing, Qt.Key.Key_Escape)
    assert edit.parts[Part.LIMIT].text() == "31 µg/m³"


def test_a_watch_is_made_renamed_and_taken_away(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    view = window.watch
    view.do(WatchAction.NEW)
    # Saved with the name just typed, though nothing else was clicked or left.
    QTest.keyClicks(view.name, "Much dust")
    view.do(WatchAction.KEEP)
    qtbot.waitUntil(
        lambda: view.model.kept is not None and view.model.kept.slug == "much-dust",
        timeout=PATIENCE_MS,
    )
    view.do(WatchAction.TAKE_AWAY)

    def slugs() -> list[str]:
        with store.read() as connection:
            return [one.slug for one in watches(connection)]

    # In the store, and heard of in the window: only then is it the step that is undone.
    qtbot.waitUntil(
        lambda: slugs() == ["glaze-dust", "damp"] and view.model.kept == WATCHED,
        timeout=PATIENCE_MS,
    )
    window.undo.undo()
    qtbot.waitUntil(lambda: "much-dust" in slugs(), timeout=PATIENCE_MS)


def test_what_stands_is_acknowledged_shelved_and_tried(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    keeper = AlarmClock(store, since_us=0)

    def asked() -> list[RequestKind]:
        with store.read() as connection:
            return [one.sort for one in open_requests(connection)]

    window.watch.acknowledge.click()
    qtbot.waitUntil(lambda: asked() == [RequestKind.ACKNOWLEDGE], timeout=PATIENCE_MS)
    keeper.look(at(8))
    qtbot.waitUntil(lambda: not window.watch.acknowledge.isVisible(), timeout=PATIENCE_MS)
    assert window.watch.stands.text().startswith("Seen by ")
    QTest.keyClick(window.watch.list, Qt.Key.Key_H)
    qtbot.waitUntil(lambda: asked() == [RequestKind.SHELVE], timeout=PATIENCE_MS)
    keeper.look(at(8))
    qtbot.waitUntil(lambda: window.watch.shelve.text() == "Unshelve", timeout=PATIENCE_MS)
    QTest.keyClick(window.watch.list, Qt.Key.Key_T)
    qtbot.waitUntil(lambda: asked() == [RequestKind.TRIAL], timeout=PATIENCE_MS)
    keeper.look(at(8))
    with store.read() as connection:
        assert journal(connection)[0].sort is JournalKind.TRIAL


def test_the_journal_is_filtered_and_saved(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.watch.pick("damp")
    window.watch.do(WatchAction.JOURNAL)
    qtbot.waitUntil(lambda: window.watch.journal_items.lines == (), timeout=PATIENCE_MS)
    window.watch.do(WatchAction.JOURNAL)
    qtbot.waitUntil(lambda: bool(window.watch.journal_items.lines), timeout=PATIENCE_MS)
    window.watch.save_journal(tmp_path / "journal.csv")
    with (tmp_path / "journal.csv").open() as file:
        (row,) = csv.DictReader(file)
    assert (row["watch"], row["what"], row["level"]) == ("Glaze dust", "rang", "high")
    window.watch.save_journal(tmp_path / "none" / "journal.csv")
    assert "could not be written" in window.watch.trouble.text()


def test_alarms_show_in_head_cells_panel_tray_and_lanes(
    window: DeskWindow, qtbot: QtBot, booth: Booth
) -> None:
    assert window.head.standing.accessibleName() == "1 alarm, worst high"
    assert "1 alarm: Glaze dust" in tray_words(window.state)
    window.show_view(LEDGER)
    model = window.ledger.model
    series = next(one for one in window.state.site.series if one.station.key == "dust")
    places = itertools.product(range(len(model.rows)), range(len(model.columns)))
    told = {where: cell for where in places if (cell := model.cell(*where)) is not None}
    (where,) = [where for where, cell in told.items() if cell.alarm is not None]
    assert told[where].alarm is Level.HIGH
    assert model.spoken(*where).endswith("Glaze dust stands")
    window.ledger.pick(
        *next(
            (row, column)
            for row in range(len(model.rows))
            for column in range(len(model.columns))
            if model.cell(row, column) is cell
        )
    )
    panel = window.ledger.panel
    qtbot.waitUntil(lambda: panel.alarms.isVisible(), timeout=PATIENCE_MS)
    assert panel.alarms.lines[0].state.text() == "standing 3 min"
    panel.alarms.lines[0].acknowledge.click()

    def asked() -> bool:
        with booth.store.read() as connection:
            return any(one.sort is RequestKind.ACKNOWLEDGE for one in open_requests(connection))

    qtbot.waitUntil(asked, timeout=PATIENCE_MS)
    window.open_in_strip([series])
    to_strip(qtbot, window)
    (ring,) = window.strip.plots[0].content.rings
    assert (ring.begin_us, ring.end_us, ring.level) == (at(5), None, Level.HIGH)
    ribbon = window.rail.model.ribbon
    assert ribbon is not None
    assert [(begin, level) for begin, _, level in ribbon.rings] == [(at(5), Level.HIGH)]


def test_a_ring_that_comes_while_the_window_is_open_shows_and_clears(
    window: DeskWindow, qtbot: QtBot, booth: Booth
) -> None:
    booth.told(8, 5.0)
    qtbot.waitUntil(
        lambda: (
            [one.name for one in window.state.alarms] == ["Glaze dust"]
            and window.watch.model.rows()[0].state == "was 3 min ago"
        ),
        timeout=PATIENCE_MS,
    )
    booth.wish(RequestKind.ACKNOWLEDGE, 8)
    qtbot.waitUntil(lambda: window.state.alarms == (), timeout=PATIENCE_MS)
    assert window.head.standing.accessibleName() != "1 alarm, worst high"


def test_the_past_shows_what_stood_then(window: DeskWindow, qtbot: QtBot) -> None:
    def moved_to(minute: float) -> list[str]:
        window.rail.model.move_to(at(minute) - window.state.window.span_us)
        qtbot.waitUntil(lambda: window.state.moment_question() is None, timeout=PATIENCE_MS)
        return [one.name for one in window.state.alarms]

    assert moved_to(4) == []
    assert moved_to(6) == ["Glaze dust"]


def test_what_stands_is_seen_to_from_anywhere_with_a_word_why(
    window: DeskWindow, qtbot: QtBot, booth: Booth
) -> None:
    window.show_view(LEDGER)
    QTest.keyClick(
        window,
        Qt.Key.Key_A,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    dialog = opened(qtbot, window, AlarmDialog)
    assert dialog.list.item(0).text() == "Glaze dust · Glaze booth · high, standing 3 min"
    dialog.word.setText("spraying celadon")
    dialog.acknowledge.click()

    def asked() -> list[RequestKind]:
        with booth.store.read() as connection:
            return [one.sort for one in open_requests(connection)]

    qtbot.waitUntil(lambda: asked() == [RequestKind.ACKNOWLEDGE], timeout=PATIENCE_MS)
    booth.keeper.look(at(8))
    qtbot.waitUntil(lambda: not dialog.acknowledge.isEnabled(), timeout=PATIENCE_MS)
    assert booth.alarm(WATCHED).word == "spraying celadon"
    dialog.until.setCurrentIndex(2)
    dialog.shelve.click()
    qtbot.waitUntil(lambda: asked() == [RequestKind.SHELVE], timeout=PATIENCE_MS)
    booth.keeper.look(at(8))
    shelved = booth.alarm(WATCHED).shelved_until_us
    # Noon in UTC: seven the next morning.
    assert shelved == at(19 * 60)
    qtbot.waitUntil(dialog.unshelve.isVisible, timeout=PATIENCE_MS)
    dialog.open_watch.click()
    assert window.view == WATCH
    assert window.watch.model.kept == WATCHED


def test_lines_are_filtered_and_nuisances_counted_as_wished(window: DeskWindow) -> None:
    view = window.watch
    view.filter.setText("booth RANG")
    assert len(view.journal_items.lines) == 1
    view.filter.setText("booth cleared")
    assert view.journal_items.lines == ()
    assert "5 min" in view.figures.nuisances.note.text()
    view.figures.nuisances.note.linkActivated.emit("next")
    assert "15 min" in view.figures.nuisances.note.text()

"""Finding with `/`, and the sheet of keys: every action has its key beside it."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from rook_tally.core.remarks import Remark
from rook_tally.desk.app.views import LEDGER, STATIONS, STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.actions import Section, key_words
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.finding import FoundKind, found
from rook_tally.desk.dialogs.finder import Finder
from rook_tally.desk.dialogs.key_list import KeyListDialog
from rook_tally.desk.ledger.rows import PlaceRow
from rook_tally.store.base import Store
from rook_tally.store.site import save_remark
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


@pytest.fixture
def window(store: Store, open_desk: OpenDesk) -> DeskWindow:
    for series in (
        begin_series(store),
        begin_series(store, "co2"),
        begin_series(store, "co2", key="shelf", place="Shop"),
    ):
        append(store, series, (NOON_US - 1, 400.0))
    with store.write() as connection:
        save_remark(connection, Remark("door opened", NOON_US - 60_000_000, place="Shop"))
    return open_desk(held_clock(NOON_US))


def find(qtbot: QtBot, window: DeskWindow, letters: str) -> None:
    """Type `/`, some letters and Enter."""
    QTest.keyClick(window, Qt.Key.Key_Slash)
    finder = opened(qtbot, window, Finder)
    QTest.keyClicks(finder.typed, letters)
    QTest.keyClick(finder.typed, Qt.Key.Key_Return)


def test_letters_find_places_stations_series_remarks_and_commands(window: DeskWindow) -> None:
    def sorts(letters: str) -> list[tuple[FoundKind, str]]:
        return [(one.sort, one.words) for one in found(letters, window.state, window.commands)]

    assert sorts("shop")[:3] == [
        (FoundKind.PLACE, "Shop"),
        (FoundKind.SERIES, "Shop CO₂"),
        (FoundKind.STATION, "shelf"),
    ]
    assert (FoundKind.REMARK, "door opened") in sorts("shop")
    assert sorts("thr temp") == [(FoundKind.SERIES, "Throwing room Temperature")]
    assert sorts("drop pin") == [(FoundKind.COMMAND, "Drop a pin at the cursor")]
    assert sorts("zzz") == []
    # Nothing typed yet shows what can be done.
    assert {sort for sort, _ in sorts("")} == {FoundKind.COMMAND}


def test_what_is_found_is_gone_to(qtbot: QtBot, window: DeskWindow) -> None:
    find(qtbot, window, "shop co")
    qtbot.waitUntil(lambda: window.view == STRIP, timeout=PATIENCE_MS)
    assert [one.station.key for one in window.strip.model.series][-1] == "shelf"
    find(qtbot, window, "station shelf")
    qtbot.waitUntil(lambda: window.view == STATIONS, timeout=PATIENCE_MS)
    find(qtbot, window, "throwing room indoors")
    qtbot.waitUntil(lambda: window.view == LEDGER, timeout=PATIENCE_MS)
    row = window.ledger.model.rows[window.ledger.table.currentIndex().row()]
    assert isinstance(row, PlaceRow)
    assert row.place.name == "Throwing room"


def test_a_command_is_done_by_name(qtbot: QtBot, window: DeskWindow) -> None:
    find(qtbot, window, "last 7 days")
    assert window.state.window.span_us == 7 * 86_400_000_000
    find(qtbot, window, "worst first")
    titles = [row.title for row in window.ledger.model.rows if hasattr(row, "title")]
    assert titles[0] == "Worst first"


def test_arrows_move_in_what_was_found(qtbot: QtBot, window: DeskWindow) -> None:
    window.dialogs.find()
    finder = opened(qtbot, window, Finder)
    QTest.keyClicks(finder.typed, "co2")
    rows = finder.list.count()
    QTest.keyClick(finder.typed, Qt.Key.Key_Up)
    assert finder.list.currentRow() == rows - 1
    QTest.keyClick(finder.typed, Qt.Key.Key_Down)
    assert finder.list.currentRow() == 0
    spoken = finder.list.item(0).data(Qt.ItemDataRole.AccessibleTextRole)
    assert spoken.startswith("series ")


def test_the_sheet_names_every_key(qtbot: QtBot, window: DeskWindow) -> None:
    window.dialogs.show_keys()
    sheet = opened(qtbot, window, KeyListDialog)
    told = {label.text() for label in sheet.findChildren(QLabel)}
    for command in window.commands:
        if not command.keys:
            continue
        assert command.words in told
        assert key_words(command.keys) in told


def test_no_two_commands_of_one_place_share_a_key(window: DeskWindow) -> None:
    everywhere = {Section.EVERYWHERE, Section.TIME}
    for section in Section:
        here = [one for one in window.commands if one.section in everywhere | {section}]
        keys = [keys for one in here for keys in one.keys]
        assert len(keys) == len(set(keys)), section
        for one in keys:
            assert QKeySequence(one).toString() != ""

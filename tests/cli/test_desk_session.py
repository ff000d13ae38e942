"""The window is made anew when all is to be written otherwise, and goes on where it was."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rook_tally.cli import desktop_integration, logs
from rook_tally.cli.desk_session import DeskSession
from rook_tally.cli.single_instance import SingleInstance
from rook_tally.clock import now_us
from rook_tally.core.moment_words import write_moments
from rook_tally.core.quantities.number_format import write_with
from rook_tally.core.site_settings import DecimalMark, SiteSettings
from rook_tally.desk.app.views import STATIONS, WATCH
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.drafts import DraftBook
from rook_tally.desk.data.store_feed import StoreFeed
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.store.base import Store
from rook_tally.store.site.configuration import settle_site
from tests.builders import append, begin_series

PATIENCE_MS = 20_000


@pytest.fixture
def session(
    qtbot: QtBot, qapp: QApplication, store: Store, monkeypatch: pytest.MonkeyPatch
) -> Iterator[DeskSession]:
    # The log of a process, which has other tests to run.
    monkeypatch.setattr(logs, "log_to_file", lambda _path: None)
    append(store, begin_series(store), (now_us(), 20.5))
    quits = qapp.quitOnLastWindowClosed()
    qapp.setQuitOnLastWindowClosed(False)
    with SingleInstance(store.id) as only:
        made = DeskSession(qapp, store, only=only)
        feed = StoreFeed(store, clock=now_us)
        feed.start()
        made.open(feed)
        made.show()
        qtbot.waitUntil(lambda: "20.5" in _texts(made.window), timeout=PATIENCE_MS)
        yield made
        made.window.asks_before_closing = False
        made.window.close()
    qapp.setQuitOnLastWindowClosed(quits)
    write_with(".")
    write_moments(SiteSettings().dates, SiteSettings().clocks)


def _texts(window: DeskWindow) -> str:
    table = window.ledger.table.model()
    cells = (
        table.index(row, column).data()
        for row in range(table.rowCount())
        for column in range(table.columnCount())
    )
    return " ".join(str(one) for one in cells if one is not None)


def _write_with_a_comma(qtbot: QtBot, window: DeskWindow) -> None:
    window.dialogs.show_site()
    dialog = window.findChild(SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    dialog.decimals.setCurrentIndex(dialog.decimals.findData(DecimalMark.COMMA))
    QTest.mouseClick(dialog.save, Qt.MouseButton.LeftButton)


def test_what_was_chosen_is_written_at_once_and_undone(
    qtbot: QtBot, session: DeskSession, store: Store
) -> None:
    first = session.window
    first.show_view(STATIONS)
    _write_with_a_comma(qtbot, first)
    qtbot.waitUntil(lambda: session.window is not first, timeout=PATIENCE_MS)
    second = session.window
    qtbot.waitUntil(lambda: "20,5" in _texts(second), timeout=PATIENCE_MS)
    assert (second.isVisible(), second.view) == (True, STATIONS)
    # Another start brings this one forward.
    second.hide()
    with SingleInstance(store.id) as another:
        assert not another.is_first
        another.ask_first()
    qtbot.waitUntil(second.isVisible, timeout=PATIENCE_MS)
    second.undo.undo()
    qtbot.waitUntil(lambda: session.window is not second, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: "20.5" in _texts(session.window), timeout=PATIENCE_MS)


def test_what_was_typed_and_not_saved_goes_along(
    qtbot: QtBot, session: DeskSession, store: Store
) -> None:
    first = session.window
    DraftBook(first.drafts, "notes", str).put("a", "half a sentence", "")
    first.show_view(WATCH)
    with store.write() as connection:
        settle_site(connection, SiteSettings(decimals=DecimalMark.COMMA))
    qtbot.waitUntil(lambda: session.window is not first, timeout=PATIENCE_MS)
    kept = DraftBook(session.window.drafts, "notes", str).get("a")
    assert kept is not None
    assert kept.value == "half a sentence"


def test_a_window_that_is_closed_at_once_begins_nothing_later(
    qtbot: QtBot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun: list[DeskWindow] = []
    monkeypatch.setattr(desktop_integration, "_settle_in", begun.append)
    monkeypatch.setattr(desktop_integration, "_LATER_MS", 0)
    closed, kept = (DeskWindow(store, clock=now_us) for _ in range(2))
    for one in (closed, kept):
        qtbot.addWidget(one)
        desktop_integration.attend_to(one, None)
    closed.close()
    qtbot.waitUntil(lambda: kept in begun, timeout=PATIENCE_MS)
    assert begun == [kept]
    kept.close()


def test_an_open_form_is_waited_for(qtbot: QtBot, session: DeskSession, store: Store) -> None:
    first = session.window
    first.dialogs.show_site()
    dialog = first.findChild(SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    with store.write() as connection:
        settle_site(connection, SiteSettings(decimals=DecimalMark.COMMA))
    is_heard = SiteSettings(decimals=DecimalMark.COMMA).wording
    qtbot.waitUntil(lambda: first.state.site.settings.wording == is_heard, timeout=PATIENCE_MS)
    assert (session.window is first, dialog.isVisible()) == (True, True)
    QTest.mouseClick(dialog.cancel, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.window is not first, timeout=PATIENCE_MS)

"""The Reports view in a real window: described, looked at, saved, deleted and brought back."""

from __future__ import annotations

import filecmp
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.reports.definitions import Report, ReportForm, ReportPart
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.views import REPORTS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.reports.actions import ReportsAction
from rook_tally.desk.reports.dialog import ReportDialog
from rook_tally.store.base import Store
from rook_tally.store.site import set_site
from rook_tally.store.site.reports import reports, save_report, written_reports
from tests.bench.air_of_rooms import START_US, keep, moments
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, press

NOW_US = START_US + 40 * DAY_US


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
    time_us = moments(40)
    hour = (time_us - START_US) % DAY_US / HOUR_US
    keep(store, "booth", time_us, np.where((hour > 9) & (hour < 12), 60.0, 5.0), quantity="pm25")
    made = open_desk(clock=lambda: NOW_US)
    made.show_view(REPORTS)
    qtbot.waitUntil(lambda: made.reports.model.listing is not None, timeout=PATIENCE_MS)
    return made


def keep_one(store: Store, **said: object) -> None:
    with store.write() as connection:
        told = {"parts": (ReportPart.SENTENCES, ReportPart.FIGURES, ReportPart.HOURS), **said}
        save_report(connection, Report(slug="month", name="The month", **told))  # type: ignore[arg-type]


def until_shown(qtbot: QtBot, window: DeskWindow, title: str) -> None:
    def is_so() -> bool:
        shown = window.reports.model.shown
        return shown is not None and shown.document.title == title

    qtbot.waitUntil(is_so, timeout=PATIENCE_MS)


def test_one_is_described_by_hand_and_its_pages_are_shown(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    assert "press New…" in window.reports.said.text()
    QTest.keyClick(window.reports.list, Qt.Key.Key_N)
    dialog = opened(qtbot, window, ReportDialog)
    dialog.name.setText("The month")
    press(dialog, QDialogButtonBox.StandardButton.Save)
    assert "neither a folder nor a mail channel" in dialog.problem.text()
    dialog.folder.setText("reports")
    press(dialog, QDialogButtonBox.StandardButton.Save)
    until_shown(qtbot, window, "March 2026")
    with store.read() as connection:
        assert [(one.slug, one.at) for one in reports(connection)] == [("the-month", "06:00")]
    view = window.reports
    assert len(view.pages.pages) >= 2
    assert "days" in view.pages.accessibleName()
    assert [words for words, _ in view.model.contents][:2] == ["In a sentence", "Figures by place"]


def test_stretches_are_stepped_through_and_not_beyond_today(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    keep_one(store)
    until_shown(qtbot, window, "March 2026")
    window.reports.do(ReportsAction.LATER)
    until_shown(qtbot, window, "April 2026")
    assert "not over" in window.reports.model.words
    window.reports.do(ReportsAction.LATER)
    window.reports.do(ReportsAction.EARLIER)
    until_shown(qtbot, window, "March 2026")


def test_it_is_saved_copied_and_written_into_its_folder(
    window: DeskWindow, store: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    keep_one(store, folder=str(tmp_path / "out"))
    until_shown(qtbot, window, "March 2026")
    for form in ReportForm:
        window.reports.save(tmp_path / f"told.{form}", form)
        qtbot.waitUntil((tmp_path / f"told.{form}").exists, timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: (tmp_path / "told.pdf").read_bytes()[:4] == b"%PDF", timeout=PATIENCE_MS
    )
    window.reports.do(ReportsAction.COPY)
    assert QGuiApplication.clipboard().text().startswith("March 2026\nPottery · The month")
    QTest.keyClick(window.reports.list, Qt.Key.Key_R)

    def is_listed() -> bool:
        return any(one.written is not None for one in window.reports.items.rows)

    qtbot.waitUntil(is_listed, timeout=PATIENCE_MS)
    with store.read() as connection:
        (line,) = written_reports(connection)
    assert filecmp.cmp(tmp_path / "told.pdf", line.files[0], shallow=False)
    # Whether the same would be written today is looked up by itself.
    qtbot.waitUntil(
        lambda: "as it was then" in window.reports.items.rows[-1].where, timeout=PATIENCE_MS
    )


def test_what_was_deleted_comes_back(window: DeskWindow, store: Store, qtbot: QtBot) -> None:
    keep_one(store)
    until_shown(qtbot, window, "March 2026")
    QTest.keyClick(window.reports.list, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: window.reports.model.picked is None, timeout=PATIENCE_MS)
    window.undo.undo()
    until_shown(qtbot, window, "March 2026")


def test_a_report_whose_places_are_gone_says_so(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    keep_one(store, places=("Attic",))
    qtbot.waitUntil(
        lambda: "Attic" in window.reports.said.text() and window.reports.said.isVisible(),
        timeout=PATIENCE_MS,
    )

"""Own guidelines by hand: written in the unit shown, held to a series, deleted, had back."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.guidelines import GUIDELINES, Guideline, Rule
from rook_tally.desk.dialogs.guidelines import GuidelineDialog, GuidelinesDialog
from rook_tally.store.base import Store
from rook_tally.store.site.display_units import write_units
from rook_tally.store.site.guidelines import own_guidelines
from tests.builders import begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


def test_an_own_guideline_is_written_changed_deleted_and_had_back(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    begin_series(store, "pm25", key="booth", place="Booth")
    begin_series(store, "pm25", key="town", place="Town")
    with store.write() as connection:
        write_units(connection, {"pm25": "mg/m³"})
    window = open_desk()
    window.dialogs.show_guidelines()
    table = opened(qtbot, window, GuidelinesDialog)
    qtbot.waitUntil(lambda: table.table.rowCount() == len(GUIDELINES), timeout=PATIENCE_MS)
    # Those that come along are looked at, not changed.
    table.table.selectRow(0)
    assert not table.remove.isEnabled()
    QTest.mouseClick(table.new, Qt.MouseButton.LeftButton)
    form = opened(qtbot, table, GuidelineDialog)
    assert form.quantity.currentText() == "PM2.5"
    QTest.keyClicks(form.name, "The guild")
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)
    assert "is no number" in form.problem.text()
    QTest.keyClicks(form.limit, "0.012")
    form.rule.setCurrentIndex(form.rule.findText("mean of an hour"))
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)

    def own() -> list[Guideline]:
        with store.read() as connection:
            return own_guidelines(connection)

    qtbot.waitUntil(lambda: len(own()) == 1, timeout=PATIENCE_MS)
    (made,) = own()
    told = (made.slug, made.quantity, made.rule, round(made.limit, 9))
    assert told == ("the-guild", "pm25", Rule.HOUR_MEAN, 12.0)
    qtbot.waitUntil(lambda: table.table.rowCount() == len(GUIDELINES) + 1, timeout=PATIENCE_MS)
    table.table.selectRow(len(GUIDELINES))
    QTest.mouseClick(table.alter, Qt.MouseButton.LeftButton)
    form = opened(qtbot, table, GuidelineDialog)
    assert form.limit.text() == "0.012"
    form.follows.setCurrentIndex(form.follows.findText("what Town, town says"))
    assert not form.limit.isVisibleTo(form)
    QTest.mouseClick(form.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: own()[0].follows == ("town", "pm25"), timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: table.table.item(len(GUIDELINES), 3).text() == "as town pm25", timeout=PATIENCE_MS
    )
    table.table.selectRow(len(GUIDELINES))
    QTest.mouseClick(table.remove, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not own(), timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: [one.follows for one in own()] == [("town", "pm25")])
    window.undo.undo()
    qtbot.waitUntil(lambda: [one.follows for one in own()] == [None])

"""From an empty store on: the demo, a station, a file; and a store that goes and comes back."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest
import sqlalchemy as sa
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.cli.import_file import import_for_desk, look_at_file
from rook_tally.clock import now_us
from rook_tally.core.progress import Progress
from rook_tally.core.quantities.connection_sheet import Sender
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.file_importer import ColumnRole, FileToImport, ImportAnswer
from rook_tally.desk.dialogs.import_file import ImportDialog
from rook_tally.desk.dialogs.imports import ImportsDialog
from rook_tally.desk.dialogs.site_file import SiteFileDialog
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.desk.ledger.onboarding import FirstStep
from rook_tally.store.base import Store, schema
from rook_tally.store.exchange.imports import Import, imports
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


def test_the_demo_is_asked_of_whoever_opened_the_window(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk()
    with qtbot.waitSignal(window.first_step) as asked:
        QTest.mouseClick(window.ledger.first.buttons[FirstStep.DEMO], Qt.MouseButton.LeftButton)
    assert asked.args == [FirstStep.DEMO]


def test_a_station_is_added_and_its_sheet_shown(
    qtbot: QtBot, open_desk: OpenDesk, tmp_path: Path
) -> None:
    window = open_desk()
    window.ledger.first.buttons[FirstStep.STATION].click()
    assert window.view == STATIONS
    tasks = window.stations.tasks
    qtbot.waitUntil(lambda: tasks.adding.kind.count() > 0, timeout=PATIENCE_MS)
    QTest.keyClicks(tasks.adding.key, "kiln-1")
    tasks.adding.place.setCurrentText("Kiln room")
    tasks.adding.add.click()
    qtbot.waitUntil(lambda: tasks.sheet is not None, timeout=PATIENCE_MS)
    assert tasks.sheet.windowTitle().endswith("kiln-1")
    assert window.state.site.stations[0].place.name == "Kiln room"
    # The key was made in this window: here it can be read.
    tasks.sheet.show_key.click()
    key = tasks.sheet.key.text()
    assert "•" not in key
    sheet = tasks.sheet
    assert sheet is not None
    # Its program goes into a folder as its tools expect it, once.
    senders = sheet.senders
    senders.setCurrentIndex(senders.findData(Sender.ARDUINO))
    for said in ("Saved: platformio.ini, src/main.cpp", "is there already"):
        sheet.save.click()
        chooser = opened(qtbot, sheet, QFileDialog)
        chooser.fileSelected.emit(str(tmp_path))
        chooser.close()
        assert said in sheet.said.text()
    assert key in (tmp_path / "src" / "main.cpp").read_text()


def test_a_station_with_an_impossible_key_is_refused(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk()
    window.ledger.first.buttons[FirstStep.STATION].click()
    tasks = window.stations.tasks
    qtbot.waitUntil(lambda: tasks.adding.kind.count() > 0, timeout=PATIENCE_MS)
    tasks.adding.key.setText("two words")
    tasks.adding.place.setCurrentText("Shop")
    tasks.adding.add.click()
    qtbot.waitUntil(
        lambda: "cannot be a station's key" in tasks.adding.problem.text(), timeout=PATIENCE_MS
    )
    # What was typed is there still, to be put right.
    assert (tasks.adding.isVisible(), tasks.adding.place.currentText()) == (True, "Shop")
    tasks.adding.reject()
    assert window.state.site.stations == ()


# A file is read while it is set.
GOES_ON = threading.Event()


@pytest.fixture
def with_importer(store: Store, open_desk: OpenDesk) -> DeskWindow:
    begin_series(store, key="kiln-1", place="Kiln room")
    window = open_desk(held_clock(NOON_US))

    def importer(asked: FileToImport, *, dry_run: bool, progress: Progress) -> ImportAnswer:
        progress(0.25)
        GOES_ON.wait()
        return import_for_desk(store, asked, dry_run=dry_run, progress=progress)

    window.importer = importer
    GOES_ON.set()
    return window


def test_a_file_is_previewed_and_then_read(
    qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    window = with_importer
    file = tmp_path / "kiln.csv"
    file.write_text("time,temperature\n2026-11-20 08:00,21.5\n2026-11-20 08:10,22.5\nsoon,9\n")
    window.dialogs.read_file()
    dialog = opened(qtbot, window, ImportDialog)
    dialog.file.setText(str(file))
    dialog.station.setCurrentText("kiln-1")
    assert not dialog.read.isEnabled()
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    said = dialog.said.toPlainText()
    assert "2 readings from 2026-11-20" in said
    assert "line 4" in said
    assert "nothing was written" in said
    dialog.read.click()
    qtbot.waitUntil(lambda: "2 readings imported" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: any(one.value == 22.5 for one in window.state.latest.values()), timeout=PATIENCE_MS
    )
    dialog.reject()
    # It was the last thing done.
    window.undo.undo()
    qtbot.waitUntil(
        lambda: window.teller.text() == "2 imported readings taken out.", timeout=PATIENCE_MS
    )
    qtbot.waitUntil(lambda: not window.state.latest, timeout=PATIENCE_MS)
    # Nothing of it stays beside the table either.
    qtbot.waitUntil(lambda: window.ledger.panel.account is None, timeout=PATIENCE_MS)


def test_columns_are_mapped_in_the_window(
    store: Store, qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    window = with_importer
    window.looker = look_at_file
    file = tmp_path / "shed.csv"
    file.write_text("time,batt,ch2,note\n2026-11-20 08:00,3.71,70,dry\n2026-11-20 08:10,3.70,71,\n")
    window.dialogs.read_file()
    dialog = opened(qtbot, window, ImportDialog)
    dialog.file.setText(str(file))
    dialog.station.setCurrentText("kiln-1")
    qtbot.waitUntil(dialog.mapping.isVisible, timeout=PATIENCE_MS)
    assert dialog.mapping.item(1, 1).text() == "3.71 · 3.70"
    # Volts by their size, and not a battery that is nearly empty.
    assert dialog.mapping.meant() == (("batt", "voltage", "V"),)
    quantity, unit = dialog.mapping.choices(2)
    quantity.setCurrentIndex(quantity.findData("temperature"))
    unit.setCurrentIndex(unit.findData("°F"))
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    # What is meant otherwise since is looked at first.
    unit.setCurrentIndex(unit.findData("°C"))
    assert not dialog.read.isEnabled()
    unit.setCurrentIndex(unit.findData("°F"))
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    dialog.read.click()
    qtbot.waitUntil(lambda: "4 readings imported" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    with store.read() as connection:
        values = {round(one.value, 2) for one in latest(connection).values()}
    assert values == {3.70, 21.67}


def test_a_file_of_several_stations_says_whose_each_row_is(
    store: Store, qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    begin_series(store, key="loft-1", place="Loft")
    window = with_importer
    window.looker = look_at_file
    file = tmp_path / "two.csv"
    file.write_text(
        "Our pottery\nof autumn\nwhen,box,temp\n"
        "2026-11-20 08:00,kiln-1,21.5\n2026-11-20 08:00,loft-1,9.5\n"
    )
    window.dialogs.read_file()
    dialog = opened(qtbot, window, ImportDialog)
    dialog.file.setText(str(file))
    dialog.skip.setText("two")
    dialog.preview.click()
    assert "no number" in dialog.said.toPlainText()
    QTest.keyClick(dialog.skip, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(dialog.skip, "2")
    mapping = dialog.mapping
    qtbot.waitUntil(lambda: mapping.rowCount() == 3, timeout=PATIENCE_MS)
    when, _ = mapping.choices(0)
    box, _ = mapping.choices(1)
    box.setCurrentIndex(box.findData(ColumnRole.TIME))
    when.setCurrentIndex(when.findData(ColumnRole.TIME))
    # One column says when; the other is not read by that.
    assert box.currentData() == ""
    assert dialog.station.isEnabled()
    box.setCurrentIndex(box.findData(ColumnRole.STATION))
    assert not dialog.station.isEnabled()
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    dialog.read.click()
    qtbot.waitUntil(lambda: "2 readings imported" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    with store.read() as connection:
        stations = {one.id: one.station.key for one in load_site(connection).series}
        told = {stations[at]: one.value for at, one in latest(connection).items()}
    assert told == {"kiln-1": 21.5, "loft-1": 9.5}


def _with_file_typed(qtbot: QtBot, window: DeskWindow, folder: Path) -> ImportDialog:
    file = folder / "kiln.csv"
    file.write_text("time,temperature\n2026-11-20 08:00,21.5\n2026-11-20 08:10,22.5\n")
    window.dialogs.read_file()
    dialog = opened(qtbot, window, ImportDialog)
    dialog.file.setText(str(file))
    dialog.station.setCurrentText("kiln-1")
    return dialog


def _imports(window: DeskWindow) -> list[Import]:
    with window.store.read() as connection:
        return imports(connection)


def test_a_file_read_long_ago_is_taken_back(
    qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    dialog = _with_file_typed(qtbot, with_importer, tmp_path)
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    dialog.read.click()
    qtbot.waitUntil(lambda: bool(_imports(with_importer)), timeout=PATIENCE_MS)
    qtbot.waitUntil(dialog.preview.isEnabled, timeout=PATIENCE_MS)
    dialog.earlier.click()
    earlier = opened(qtbot, with_importer, ImportsDialog)
    qtbot.waitUntil(lambda: earlier.table.rowCount() == 1, timeout=PATIENCE_MS)
    assert [earlier.table.item(0, at).text() for at in (1, 2)] == ["kiln.csv", "2"]
    earlier.table.setFocus()
    QTest.keyClick(earlier.table, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: earlier.table.rowCount() == 0, timeout=PATIENCE_MS)
    assert earlier.said.text() == "2 imported readings taken out"
    assert not earlier.undo.isEnabled()
    assert _imports(with_importer) == []


def test_an_import_is_cancelled_and_nothing_of_it_kept(
    qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    window = with_importer
    dialog = _with_file_typed(qtbot, window, tmp_path)
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    GOES_ON.clear()
    dialog.read.click()
    QTest.mouseClick(dialog.cancel, Qt.MouseButton.LeftButton)
    GOES_ON.set()
    qtbot.waitUntil(lambda: "was cancelled" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    assert dialog.cancel.isHidden()
    assert not _imports(window)
    # Closing while it writes cancels it too.
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)
    GOES_ON.clear()
    dialog.read.click()
    dialog.reject()
    assert dialog.isVisible()
    with qtbot.waitSignal(dialog.finished, timeout=PATIENCE_MS):
        GOES_ON.set()
    assert not _imports(window)


def test_a_preview_says_how_far_it_is_and_can_be_cancelled(
    qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    dialog = _with_file_typed(qtbot, with_importer, tmp_path)
    assert dialog.bar.isHidden()
    GOES_ON.clear()
    dialog.preview.click()
    qtbot.waitUntil(lambda: dialog.bar.value() == 250, timeout=PATIENCE_MS)
    assert (dialog.bar.isVisible(), dialog.cancel.isEnabled()) == (True, True)
    dialog.cancel.click()
    GOES_ON.set()
    qtbot.waitUntil(lambda: "was cancelled" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    assert (dialog.bar.isHidden(), dialog.read.isEnabled()) == (True, False)
    dialog.preview.click()
    qtbot.waitUntil(dialog.read.isEnabled, timeout=PATIENCE_MS)


def test_a_file_that_is_not_there_says_so(
    qtbot: QtBot, with_importer: DeskWindow, tmp_path: Path
) -> None:
    with_importer.dialogs.read_file()
    dialog = opened(qtbot, with_importer, ImportDialog)
    dialog.file.setText(str(tmp_path / "none.csv"))
    dialog.preview.click()
    qtbot.waitUntil(lambda: "none.csv" in dialog.said.toPlainText(), timeout=PATIENCE_MS)
    assert not dialog.read.isEnabled()


def test_the_store_is_unplugged_and_plugged_back(
    qtbot: QtBot, tmp_path: Path, store_path: Path, store: Store, open_desk: OpenDesk
) -> None:
    """A table gone is what a torn-out disk looks like to a reader: said, nothing lost, and gone by
    itself once it is back."""
    series = begin_series(store)
    append(store, series, (now_us() - 1_000_000, 21.0))
    window = open_desk()
    other = open_store(store_path)
    with other.write() as connection:
        connection.execute(sa.text("ALTER TABLE reading RENAME TO reading_away"))
        connection.execute(sa.insert(schema.change).values(subject=2))
    qtbot.waitUntil(lambda: bool(window.state.trouble), timeout=PATIENCE_MS)
    assert window.notice.isVisible()
    assert window.state.latest[series.id].value == 21.0
    with other.write() as connection:
        connection.execute(sa.text("ALTER TABLE reading_away RENAME TO reading"))
    append(other, series, (now_us(), 22.0))
    qtbot.waitUntil(lambda: window.state.latest[series.id].value == 22.0, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: window.state.trouble == "", timeout=PATIENCE_MS)
    other.close()


def test_the_site_is_named_and_begun_with_a_ready_made_file(
    qtbot: QtBot, open_desk: OpenDesk, store: Store
) -> None:
    window = open_desk()
    QTest.mouseClick(window.ledger.first.site, Qt.MouseButton.LeftButton)
    named = opened(qtbot, window, SiteDialog)
    qtbot.waitUntil(named.isEnabled, timeout=PATIENCE_MS)
    named.name.setText("Wren's workshop")
    named.save.click()
    qtbot.waitUntil(
        lambda: window.ledger.first.site.text().startswith("Wren's workshop"), timeout=PATIENCE_MS
    )
    QTest.mouseClick(window.ledger.first.buttons[FirstStep.SITE], Qt.MouseButton.LeftButton)
    dialog = opened(qtbot, window, SiteFileDialog)
    dialog.ready_made.setCurrentIndex(dialog.ready_made.findData("workshop"))
    dialog.ready_made.activated.emit(dialog.ready_made.currentIndex())
    qtbot.waitUntil(dialog.main.isEnabled, timeout=PATIENCE_MS)
    dialog.main.click()
    qtbot.waitUntil(lambda: len(window.state.site.places) == 4, timeout=PATIENCE_MS)
    # The file says nothing of the name: it stays.
    assert window.state.site.name == "Wren's workshop"

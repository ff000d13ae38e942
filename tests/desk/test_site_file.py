"""Site files in the window: looked at, read, taken back, and written."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.core.site_file.content import SiteContent, SitePart
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.demo.pottery import site_text
from rook_tally.desk.dialogs.site_file import SiteFileDialog
from rook_tally.store.base import Store
from rook_tally.store.site_file.exporting import content_of
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened, press

PATIENCE_MS = 30_000
BOTH = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


def _content(store: Store) -> SiteContent:
    with store.read() as connection:
        return content_of(connection)


def test_a_whole_site_is_looked_at_read_taken_back_and_saved(
    open_desk: OpenDesk, store: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    """The pottery from an empty store: by one file, and gone again by one step."""
    file, before = tmp_path / "pottery.toml", _content(store)
    file.write_text(site_text(), encoding="utf-8")
    window = open_desk()
    QTest.keyClick(window, Qt.Key.Key_O, BOTH)
    dialog = opened(qtbot, window, SiteFileDialog)
    dialog.file.setFocus()
    QTest.keyClicks(dialog.file, str(file))
    QTest.keyClick(dialog.file, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: dialog.list.count() > 30, timeout=PATIENCE_MS)
    lines = [dialog.list.item(at).text() for at in range(dialog.list.count())]
    assert "+  place Kiln room added" in lines and "+  watch glaze-dust added" in lines
    assert _content(store) == before
    press(dialog, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: window.state.site.name == "Fennel Wharf Pottery", timeout=PATIENCE_MS)
    assert _content(store) == site_from_toml(site_text())
    target = tmp_path / "again.toml"
    window.dialogs.save_site_file()
    opened(qtbot, window, QFileDialog).fileSelected.emit(str(target))
    qtbot.waitUntil(target.exists, timeout=PATIENCE_MS)
    assert site_from_toml(target.read_text(encoding="utf-8")) == _content(store)
    window.undo.undo()
    qtbot.waitUntil(lambda: window.state.site.name == "", timeout=PATIENCE_MS)
    # Fields that stations have begun stay for their readings; there were none, nor stations.
    assert _content(store) == before


def test_a_part_of_a_ready_made_one(open_desk: OpenDesk, store: Store, qtbot: QtBot) -> None:
    window = open_desk()
    window.dialogs.read_site_file()
    dialog = opened(qtbot, window, SiteFileDialog)
    dialog.part.setCurrentIndex(dialog.part.findData(SitePart.PLACES))
    dialog.ready_made.setCurrentIndex(dialog.ready_made.findData("greenhouse"))
    dialog.ready_made.activated.emit(dialog.ready_made.currentIndex())
    qtbot.waitUntil(lambda: dialog.list.count() == 4, timeout=PATIENCE_MS)
    press(dialog, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: len(window.state.site.places) == 4, timeout=PATIENCE_MS)
    assert _content(store).watches == ()


def test_a_file_that_cannot_be_is_told_with_its_table(
    open_desk: OpenDesk, qtbot: QtBot, tmp_path: Path
) -> None:
    file = tmp_path / "wrong.toml"
    file.write_text('[[place]]\nname = "Loft"\nroof = "red"\n')
    window = open_desk()
    window.dialogs.read_site_file()
    dialog = opened(qtbot, window, SiteFileDialog)
    dialog.file.setText(str(file))
    dialog.look()
    qtbot.waitUntil(lambda: "place Loft" in dialog.problem.text(), timeout=PATIENCE_MS)
    assert not dialog.main.isEnabled()
    dialog.file.setText(str(tmp_path / "gone.toml"))
    dialog.look()
    qtbot.waitUntil(lambda: "cannot be read" in dialog.problem.text(), timeout=PATIENCE_MS)
    dialog.discard()

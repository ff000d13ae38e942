"""Files dropped on the window, on any part of it: opened as the dialogs would, others refused."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.dialogs.site_file import SiteFileDialog
from rook_tally.store.base import Store
from tests.builders import begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


def drop(window: DeskWindow, *files: Path) -> bool:
    """Drag files over the window and let them go there; whether they were taken."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(one)) for one in files])
    rest = (
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    enter = QDragEnterEvent(QPointF(300, 300).toPoint(), *rest)
    QApplication.sendEvent(window, enter)
    if not enter.isAccepted():
        return False
    QApplication.sendEvent(window, QDropEvent(QPointF(300, 300), *rest))
    return True


def test_a_site_file_is_looked_at_and_another_sort_refused(
    store: Store, open_desk: OpenDesk, qtbot: QtBot, tmp_path: Path
) -> None:
    begin_series(store)
    window = open_desk()
    site = tmp_path / "site.toml"
    site.write_text('format = 1\n[[place]]\nname = "Throwing room"\n[[place]]\nname = "Hall"\n')
    assert drop(window, site)
    dialog = opened(qtbot, window, SiteFileDialog)
    qtbot.waitUntil(lambda: dialog.list.count() > 0, timeout=PATIENCE_MS)
    assert any("Hall" in dialog.list.item(at).text() for at in range(dialog.list.count()))
    dialog.discard()
    picture = tmp_path / "kiln.gif"
    picture.write_bytes(b"GIF89a")
    assert drop(window, picture)
    assert "kiln.gif is neither" in window.teller.text()
    assert drop(window, site, picture)
    assert "One file at a time: 2 were dropped" in window.teller.text()
    assert not drop(window)


def test_a_table_of_readings_is_chosen(
    store: Store, open_desk: OpenDesk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    begin_series(store)
    window = open_desk()
    asked: list[str] = []
    monkeypatch.setattr(window.dialogs, "read_file", asked.append)
    table = tmp_path / "Hall.CSV"
    table.write_text("time,temperature\n")
    assert drop(window, table)
    assert asked == [str(table)]

"""The store looked after in the window: sizes, copies, check, compact, thinning, the collector."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.dialogs.store_care import StoreCareDialog
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.copies import restore
from rook_tally.store.readings import append_history, read_range, seal_all
from tests.builders import NOON_US, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened

PATIENCE_MS = 30_000


@dataclass
class Machine:
    """A recorder and a service that write down what they are told."""

    is_running: bool = True
    is_open: bool = False
    is_installed: bool = False
    calls: list[str] = field(default_factory=list)

    def start(self) -> None:
        self.calls.append("start")
        self.is_running = True

    def stop(self) -> None:
        self.calls.append("stop")
        self.is_running = False

    def let_go(self) -> None:
        self.calls.append("let go")

    def set_open(self, is_open: bool) -> None:
        self.calls.append(f"open {is_open}")

    def install(self) -> str:
        self.calls.append("install")
        self.is_installed = True
        return "installed"

    def remove(self) -> str:
        self.calls.append("remove")
        self.is_installed = False
        return "removed"


@pytest.fixture
def machine() -> Machine:
    return Machine()


@pytest.fixture
def dialog(store: Store, open_desk: OpenDesk, qtbot: QtBot, machine: Machine) -> StoreCareDialog:
    series = begin_series(store)
    at = NOON_US - 5 * DAY_US + np.arange(20_000) * 10 * SECOND_US
    with store.write() as connection:
        append_history(connection, series.id, readings_from(at, 20 + np.round(np.sin(at / 1e9), 2)))
    seal_all(store, {series.id: series}, now_us=NOON_US)
    window: DeskWindow = open_desk()
    window.recorder = machine
    window.service = lambda: machine
    window.dialogs.show_store()
    shown = opened(qtbot, window, StoreCareDialog)
    qtbot.waitUntil(lambda: "readings" in shown.rooms.text(), timeout=PATIENCE_MS)
    return shown


def _said(dialog: StoreCareDialog, qtbot: QtBot, words: str) -> str:
    def is_said() -> None:
        assert words in dialog.said.text()

    qtbot.waitUntil(is_said, timeout=PATIENCE_MS)
    return dialog.said.text()


def _choose(qtbot: QtBot, dialog: StoreCareDialog, path: Path) -> None:
    chooser = opened(qtbot, dialog, QFileDialog)
    chooser.fileSelected.emit(str(path))
    chooser.close()


def test_it_is_copied_looked_over_and_compacted(
    store: Store, dialog: StoreCareDialog, qtbot: QtBot, tmp_path: Path
) -> None:
    assert "No copies" in dialog.copies.text()
    copy = tmp_path / "copy.db"
    dialog.copy.click()
    _choose(qtbot, dialog, copy)
    _said(dialog, qtbot, "20000 readings, read back")
    dialog.check.click()
    _said(dialog, qtbot, "nothing is damaged")
    dialog.compact.click()
    _said(dialog, qtbot, "after")
    elsewhere = tmp_path / "elsewhere.db"
    restore(copy, elsewhere, now_us=NOON_US)
    with open_store(elsewhere) as again, again.read() as connection:
        assert len(read_range(connection, 1, 0, 2**62)) == 20_000
    dialog.copy.click()
    _choose(qtbot, dialog, Path("/nowhere/copy.db"))
    _said(dialog, qtbot, "/nowhere")


def test_old_readings_are_thinned_after_a_preview_and_a_copy(
    store: Store, dialog: StoreCareDialog, qtbot: QtBot
) -> None:
    dialog.thin.click()
    asked = opened(qtbot, dialog, ValueDialog)
    asked.field.setText("1 h")
    asked.main.click()
    assert "whole days" in asked.problem.text()
    asked.field.setText("2 d")
    asked.main.click()
    _said(dialog, qtbot, "would go")
    question = opened(qtbot, dialog, QMessageBox)
    assert "A copy of everything" in question.text()
    next(one for one in question.buttons() if one.text() == "Thin").click()
    _said(dialog, qtbot, "readings thinned")
    with store.read() as connection:
        assert len(read_range(connection, 1, 0, 2**62)) < 20_000
    (copy,) = Path(store.address).parent.glob("*.before-thinning-*")
    with open_store(copy) as before, before.read() as connection:
        assert len(read_range(connection, 1, 0, 2**62)) == 20_000


def test_the_collector_is_stopped_started_opened_and_made_a_service(
    dialog: StoreCareDialog, qtbot: QtBot, machine: Machine
) -> None:
    assert "own collector runs" in dialog.collector.text()
    dialog.is_open.click()
    dialog.record.click()
    _said(dialog, qtbot, "stopped")
    assert "No collector runs" in dialog.collector.text()
    dialog.record.click()
    dialog.as_service.click()
    _said(dialog, qtbot, "installed")
    assert not dialog.record.isVisible()
    dialog.as_service.click()
    _said(dialog, qtbot, "removed")
    assert machine.calls == ["open True", "stop", "start", "stop", "install", "remove"]


def test_a_copy_is_restored_once_the_window_is_closed(
    dialog: StoreCareDialog, qtbot: QtBot, tmp_path: Path
) -> None:
    window = dialog.parent()
    assert isinstance(window, DeskWindow)
    dialog.restore.click()
    _choose(qtbot, dialog, tmp_path / "copy.db")
    question = opened(qtbot, dialog, QMessageBox)
    next(one for one in question.buttons() if one.text() == "Restore").click()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)
    assert window.restores == str(tmp_path / "copy.db")

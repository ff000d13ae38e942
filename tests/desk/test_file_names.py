"""Choosing a file begins where the last one for the same purpose was."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally import __version__
from rook_tally.desk.app import arrangement
from rook_tally.desk.data import file_names
from rook_tally.desk.data.file_names import FileNames, FilePurpose
from rook_tally.desk.data.settings import DeskSettings, ThemeChoice
from rook_tally.desk.parts import file_dialog
from rook_tally.store.base import Store
from tests.builders import begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened


@pytest.fixture
def names(monkeypatch: pytest.MonkeyPatch) -> FileNames:
    """The names of a process that has chosen nothing yet."""
    fresh = FileNames()
    for one in (file_names, file_dialog, arrangement):
        monkeypatch.setattr(one, "FILE_NAMES", fresh)
    return fresh


def test_the_last_file_is_where_it_begins(tmp_path: Path) -> None:
    names = FileNames()
    assert names.begin(FilePurpose.SITE, "site.toml") == "site.toml"
    names.choose(FilePurpose.SITE, str(tmp_path / "pottery.toml"))
    assert names.begin(FilePurpose.SITE, "site.toml") == str(tmp_path / "pottery.toml")
    assert names.begin(FilePurpose.SHEETS, "sheets.toml") == "sheets.toml"


def test_a_name_that_is_new_each_time_keeps_the_folder(tmp_path: Path) -> None:
    names = FileNames()
    names.choose(FilePurpose.REPORT, str(tmp_path / "month-2026-10.pdf"))
    told = names.begin(FilePurpose.REPORT, "month-2026-11.pdf", is_new=True)
    assert told == str(tmp_path / "month-2026-11.pdf")


def test_a_folder_that_is_gone_is_not_offered(tmp_path: Path) -> None:
    names = FileNames()
    names.choose(FilePurpose.COPY, str(tmp_path / "stick" / "copy.db"))
    assert names.begin(FilePurpose.COPY, "rook-tally-copy.db") == "rook-tally-copy.db"


def test_it_is_remembered_over_a_start(
    qtbot: QtBot, store: Store, open_desk: OpenDesk, names: FileNames, tmp_path: Path
) -> None:
    begin_series(store)
    window = open_desk()
    window.dialogs.save_site_file()
    chooser = opened(qtbot, window, QFileDialog)
    chooser.fileSelected.emit(str(tmp_path / "pottery.toml"))
    kept = window.arrangement.settings(ThemeChoice.FOLLOW)
    assert kept.files == {"site": str(tmp_path / "pottery.toml")}
    names._chosen.clear()
    open_desk().arrangement.restore(DeskSettings(files=kept.files))
    assert names.begin(FilePurpose.SITE, "site.toml") == str(tmp_path / "pottery.toml")


def test_which_version_it_is_and_where_its_store_is(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    window = open_desk()
    window.dialogs.show_about()
    about = opened(qtbot, window, QMessageBox)
    assert __version__ in about.text()
    assert store.url in about.text()

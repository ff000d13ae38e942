"""The site's settings, changed in the window and by undoing that."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.site_settings import DecimalMark, SiteSettings, TimeGrain, Weekday
from rook_tally.desk.data.site_settings import (
    NO_COPIES,
    SaveSiteSettings,
    SiteForm,
    SiteSettingsQuery,
)
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.store.base import Store
from rook_tally.store.maintenance.backup_schedule import (
    BackupSchedule,
    LastBackup,
    note_backup,
    schedule_into,
    set_backup_schedule,
)
from rook_tally.store.site import StrayBounds
from tests.builders import NOON_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened


def _settings(store: Store) -> SiteForm:
    with store.read() as connection:
        return SiteSettingsQuery().run(connection)


def test_changed_in_the_window_and_undone(
    open_desk: OpenDesk, qtbot: QtBot, store: Store, tmp_path: Path
) -> None:
    before = _settings(store)
    window = open_desk()
    QTest.keyClick(window, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    dialog = opened(qtbot, window, SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    dialog.name.setText("Quay")
    dialog.zone.setText("Pacific/Auckland")
    keeping, copies = dialog.keeping, NO_COPIES
    QTest.mouseClick(dialog.page_names[2], Qt.MouseButton.LeftButton)
    if before.can_be_copied:
        assert keeping.isVisible()
        copies = BackupSchedule(str(tmp_path / "copies"), daily=3, from_hour=4)
        keeping.folder.setText(copies.folder)
        keeping.daily.setText("3")
        keeping.hour.setCurrentIndex(4)
    keeping.stray_mb.setText("20")
    keeping.stray_days.setText("0")
    keeping.thinning.setText("400")
    keeping.times.setCurrentIndex(keeping.times.findData(TimeGrain.MILLISECOND))
    dialog.keys.setCurrentIndex(dialog.keys.findData(KeysWanted.FROM_ALL))
    dialog.passwords.setCurrentIndex(dialog.passwords.findData(PasswordsAt.IN_STORE))
    dialog.position.setText("-36.9, 174.8")
    dialog.above_sea.setText("1 000")
    dialog.save.click()
    assert "days that strays are kept: 0 cannot be" in dialog.why.text()
    keeping.stray_days.setText("30")
    dialog.quiet.setText("sometimes")
    dialog.save.click()
    assert "are no hours" in dialog.why.text()
    dialog.week.setCurrentIndex(6)
    dialog.decimals.setCurrentIndex(dialog.decimals.findData(DecimalMark.COMMA))
    dialog.dates.setCurrentIndex(dialog.dates.findData(DateStyle.YEAR_FIRST))
    dialog.clocks.setCurrentIndex(dialog.clocks.findData(ClockStyle.HOURS_12))
    dialog.language.setCurrentIndex(dialog.language.findData("en"))
    dialog.quiet.setText("22:00–06:00")
    dialog.save.click()
    wanted = SiteForm(
        "Quay",
        "Pacific/Auckland",
        KeysWanted.FROM_ALL,
        PasswordsAt.IN_STORE,
        copies,
        StrayBounds(20_000_000, 30.0),
        400.0,
        can_be_copied=before.can_be_copied,
        settings=SiteSettings(
            latitude=-36.9,
            longitude=174.8,
            height_m=1000.0,
            quiet=HoursOfDay(begin_min=22 * 60, end_min=6 * 60),
            week_begins=Weekday.SUNDAY,
            decimals=DecimalMark.COMMA,
            dates=DateStyle.YEAR_FIRST,
            clocks=ClockStyle.HOURS_12,
            language="en",
            times=TimeGrain.MILLISECOND,
        ),
    )
    qtbot.waitUntil(lambda: _settings(store) == wanted, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: window.state.site.name == "Quay", timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: _settings(store) == before, timeout=PATIENCE_MS)


def test_leaving_asks_about_what_was_typed_on_any_page_and_about_nothing_else(
    open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk()
    window.dialogs.show_site()
    dialog = opened(qtbot, window, SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    for name in dialog.page_names:
        name.click()
        assert not dialog.is_touched
    dialog.keeping.stray_days.setText("31")
    dialog.page_names[0].click()
    assert dialog.is_touched
    dialog.reject()
    assert dialog.isVisible()
    opened(qtbot, dialog, QMessageBox).close()
    dialog.discard()


def test_what_cannot_be_is_said_in_the_dialog_and_nothing_is_changed(
    open_desk: OpenDesk, qtbot: QtBot, store: Store, tmp_path: Path
) -> None:
    window = open_desk()
    before = _settings(store)
    window.head.site_wanted.emit()
    dialog = opened(qtbot, window, SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    dialog.name.setText("Quay")
    dialog.zone.setText("Mars/Olympus")
    dialog.save.click()
    qtbot.waitUntil(lambda: "there is no time zone" in dialog.why.text(), timeout=PATIENCE_MS)
    assert dialog.save.isEnabled()
    assert _settings(store) == before
    dialog.discard()


def test_copies_that_cannot_be_made_there_are_refused(store: Store, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    before = _settings(store)
    why = "cannot be written" if before.can_be_copied else "the server's own tools"
    wanted = SaveSiteSettings(
        SiteForm(
            "Quay",
            "UTC",
            KeysWanted.BY_DOOR,
            PasswordsAt.DESKTOP,
            BackupSchedule(str(tmp_path / "file" / "in")),
        )
    )
    with pytest.raises(UsageError, match=why), store.write() as connection:
        wanted.apply(connection)
    assert _settings(store) == before


def test_how_the_last_copy_went(store: Store, tmp_path: Path) -> None:
    with store.write() as connection:
        set_backup_schedule(connection, schedule_into(str(tmp_path)))
        note_backup(connection, LastBackup(NOON_US, "copy.db"))
    assert _settings(store).copied.startswith("the last one on ")
    with store.write() as connection:
        note_backup(connection, LastBackup(NOON_US, "copy.db", "the disk is full"))
    assert _settings(store).copied == "the last one failed: the disk is full"

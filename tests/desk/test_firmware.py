"""The firmware dialog, driven: an image is added, given out in steps, paused, withdrawn, undone."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.core.firmware.rollout import Rollout, RolloutStage, RolloutState
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.stations.firmware_dialog import FirmwareDialog
from rook_tally.store.base import Store
from rook_tally.store.site import add_station
from rook_tally.store.site.firmware import ImageDraft, add_image
from rook_tally.store.site.firmware_rollouts import (
    FirmwareOfKind,
    RolloutStep,
    begin_rollout,
    firmware_of,
    note_asked,
    note_fetched,
    station_of_key,
)
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

KIND = "substrate-probe"


@pytest.fixture
def keys(store: Store) -> list[str]:
    """Access keys of three stations, two of which have asked for firmware."""
    with store.write() as connection:
        made = [
            add_station(connection, f"bed-{at}", place="Beds", kind=KINDS[KIND]) for at in (1, 2, 3)
        ]
        for key in made[:2]:
            station = station_of_key(connection, key)
            assert station is not None
            note_asked(connection, station, "1.3.0", now_us())
    return made


@pytest.fixture
def shown(
    store: Store, keys: list[str], open_desk: OpenDesk, qtbot: QtBot
) -> tuple[DeskWindow, FirmwareDialog]:
    assert keys
    window = open_desk()
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    QTest.keyClick(window.stations, Qt.Key.Key_U)
    dialog = opened(qtbot, window, FirmwareDialog)
    qtbot.waitUntil(lambda: dialog.stations.rowCount() == 3, timeout=PATIENCE_MS)
    return window, dialog


def _told(store: Store) -> FirmwareOfKind:
    with store.read() as connection:
        return firmware_of(connection, KIND)


def _add(dialog: FirmwareDialog, folder: Path, version: str) -> None:
    path = folder / "image.bin"
    path.write_bytes(bytes(400_000))
    dialog.version.setText(version)
    dialog.notes.setText("sleeps deeper between two readings")
    dialog.add_file(str(path))


def _cells(dialog: FirmwareDialog) -> list[list[str]]:
    table = dialog.stations
    items = [[table.item(row, column) for column in range(3)] for row in range(table.rowCount())]
    return [[one.text() for one in row if one is not None] for row in items]


def test_an_image_is_given_out_by_hand(
    shown: tuple[DeskWindow, FirmwareDialog],
    store: Store,
    keys: list[str],
    qtbot: QtBot,
    tmp_path: Path,
) -> None:
    window, dialog = shown
    assert not dialog.offer.isEnabled()
    assert dialog.state.text() == "Nothing is given out."
    assert _cells(dialog)[2] == ["bed-3", "–", "never asked"]
    _add(dialog, tmp_path, "1.4.0")
    qtbot.waitUntil(dialog.offer.isEnabled, timeout=PATIENCE_MS)
    assert dialog.version.text() == ""
    # The same version once more is refused, and said.
    _add(dialog, tmp_path, "1.4.0")
    qtbot.waitUntil(lambda: "already" in dialog.problem.text(), timeout=PATIENCE_MS)
    dialog.first.setCurrentIndex(dialog.first.findData("bed-2"))
    dialog.offer.click()
    qtbot.waitUntil(
        lambda: dialog.state.text() == "1.4.0 is offered to one station. 0 of 2 that ask run it.",
        timeout=PATIENCE_MS,
    )
    rollout = _told(store).rollout
    assert rollout is not None
    assert (rollout.first, rollout.share, rollout.watch_s) == ("bed-2", 0.25, 3600)
    assert [row[2] for row in _cells(dialog)] == ["not yet offered", "offered", "never asked"]
    assert not dialog.remove.isEnabled()
    # What a station does is seen without being asked for.
    station = None
    with store.write() as connection:
        station = station_of_key(connection, keys[1])
        assert station is not None
        note_fetched(connection, station, _told(store).images[0], now_us())
        note_asked(connection, station, "1.4.0", now_us())
    qtbot.waitUntil(lambda: _cells(dialog)[1][1:] == ["1.4.0", "runs it"], timeout=PATIENCE_MS)
    dialog.steps[RolloutStep.NEXT].click()
    qtbot.waitUntil(
        lambda: (now := _told(store).rollout) is not None and now.stage is RolloutStage.SHARE,
        timeout=PATIENCE_MS,
    )
    dialog.steps[RolloutStep.PAUSE].click()
    qtbot.waitUntil(lambda: "paused" in dialog.state.text(), timeout=PATIENCE_MS)
    assert not dialog.steps[RolloutStep.PAUSE].isVisibleTo(dialog)
    dialog.steps[RolloutStep.WITHDRAW].click()
    qtbot.waitUntil(lambda: _told(store).rollout is None, timeout=PATIENCE_MS)
    qtbot.waitUntil(dialog.remove.isEnabled, timeout=PATIENCE_MS)
    dialog.remove.click()
    qtbot.waitUntil(lambda: not _told(store).images, timeout=PATIENCE_MS)
    dialog.close()
    window.undo.undo()
    qtbot.waitUntil(lambda: bool(_told(store).images), timeout=PATIENCE_MS)


def test_to_all_at_once_and_undone(
    shown: tuple[DeskWindow, FirmwareDialog], store: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    window, dialog = shown
    _add(dialog, tmp_path, "2")
    qtbot.waitUntil(dialog.offer.isEnabled, timeout=PATIENCE_MS)
    dialog.share.setCurrentIndex(dialog.share.count() - 1)
    assert not dialog.first.isEnabled()
    dialog.offer.click()
    qtbot.waitUntil(
        lambda: (
            (now := _told(store).rollout) is not None
            and (now.stage, now.state) == (RolloutStage.ALL, RolloutState.RUNNING)
        ),
        timeout=PATIENCE_MS,
    )
    assert not dialog.steps[RolloutStep.NEXT].isVisibleTo(dialog)
    window.undo.undo()
    qtbot.waitUntil(lambda: _told(store).rollout is None, timeout=PATIENCE_MS)
    # Another kind has images of its own.
    dialog.kinds.setCurrentIndex(0)
    dialog.close()


def test_the_fleet_says_who_did_not_take_an_update(
    store: Store, keys: list[str], open_desk: OpenDesk, qtbot: QtBot
) -> None:
    with store.write() as connection:
        draft = ImageDraft(KIND, "1.4.0", b"image")
        image = add_image(connection, draft, who="me", now_us=now_us())
        begin_rollout(connection, KIND, "", Rollout(0), now_us=now_us())
        station = station_of_key(connection, keys[0])
        assert station is not None
        note_fetched(connection, station, image, now_us() - 300_000_000)
        note_asked(connection, station, "1.3.0", now_us())
    window = open_desk()
    window.show_view(STATIONS)

    def remarks() -> list[str]:
        return [one.remark for one in window.stations.fleet.rows]

    told = "firmware 1.4.0: came back with the old one"
    qtbot.waitUntil(lambda: told in remarks(), timeout=PATIENCE_MS)
    assert remarks().count(told) == 1


def test_a_file_that_cannot_be_read_is_said(
    shown: tuple[DeskWindow, FirmwareDialog], store: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    _, dialog = shown
    dialog.version.setText("1.0")
    dialog.add_file(str(tmp_path / "none.bin"))
    qtbot.waitUntil(lambda: "cannot be read" in dialog.problem.text(), timeout=PATIENCE_MS)
    assert not _told(store).images
    dialog.close()

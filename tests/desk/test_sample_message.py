"""A sample message decoded live beside the editor of kinds."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.cli.kinds import read_sample
from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.stations.kinds_dialog import KindsDialog
from rook_tally.desk.stations.sample_dialog import SampleDialog
from rook_tally.store.base import Store
from rook_tally.store.site import add_station
from tests.builders import NOON_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened
from tests.intake.test_kind_bodies import BED, of_bed
from tests.ways_in import WayIn


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    with store.write() as connection:
        add_station(connection, "wall", place="Hall", kind=KINDS["sound-meter"])
    way = WayIn.__new__(WayIn)
    way.store = store
    way.restart()
    way.send({"temp_f": 68, "noise": 43.5}, NOON_US, station="wall")
    window = open_desk(held_clock(NOON_US))
    window.sample_reader = read_sample
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    return window


def _rows(sample: SampleDialog) -> list[list[str]]:
    table = sample.values
    return [
        [table.item(row, column).text() for column in range(3)] for row in range(table.rowCount())
    ]


def test_the_last_message_is_read_as_the_kind_is_edited(window: DeskWindow, qtbot: QtBot) -> None:
    QTest.keyClick(window.stations, Qt.Key.Key_K)
    kinds = opened(qtbot, window, KindsDialog)
    qtbot.waitUntil(lambda: kinds.picked == "sound-meter", timeout=PATIENCE_MS)
    kinds.sample.click()
    sample = opened(qtbot, kinds, SampleDialog)
    qtbot.waitUntil(
        lambda: (
            _rows(sample) == [["temp_f", "68 °F", "is read"], ["noise", "43.5 dB(A)", "is read"]]
        ),
        timeout=PATIENCE_MS,
    )
    # A field is renamed in the editor: the sample says at once that nobody reads it any more.
    at = [one.name for one in kinds.form.fields].index("noise")
    kinds.fields.item(at, 0).setText("loud")
    qtbot.waitUntil(lambda: "no field of the kind: noise" in sample.problem.text())
    assert _rows(sample)[1] == ["noise", "43.5", ""]
    sample.text.setPlainText('{"loud": 44')
    qtbot.waitUntil(lambda: "JSON" in sample.problem.text(), timeout=PATIENCE_MS)
    assert _rows(sample) == []
    sample.text.setPlainText("loud=44 temp_f=70")
    qtbot.waitUntil(lambda: sample.problem.text() == "", timeout=PATIENCE_MS)
    assert [row[1] for row in _rows(sample)] == ["44 dB(A)", "70 °F"]
    sample.text.setPlainText("x" * 70_000)
    assert "longer than" in sample.problem.text()
    sample.close()
    kinds.discard()


def test_a_sample_that_cannot_be_read_says_why() -> None:
    with pytest.raises(DecodeError, match="not JSON"):
        read_sample(KINDS["sound-meter"], "{")
    with pytest.raises(UsageError, match="is not hexadecimal"):
        read_sample(BED, "zz")
    (value,) = read_sample(BED, of_bed(412).hex(" ")).values
    assert (value.name, value.value, value.is_read) == ("moisture", "41.2 %", True)

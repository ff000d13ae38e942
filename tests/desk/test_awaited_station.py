"""After a door was set up its first message is awaited: taken in, shown, or said why it fails."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.door_settings import (
    BluetoothSetting,
    DoorSettings,
    PollSetting,
    ProbesSetting,
    SerialSetting,
    TopicSetting,
)
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.door_commands import NOTHING_IN_REACH, InReach
from rook_tally.desk.dialogs.awaited_station import AwaitedStation, awaited_key
from rook_tally.desk.dialogs.door import DoorDialog
from rook_tally.desk.dialogs.in_reach import InReachDialog
from rook_tally.desk.stations.take_in_dialog import TakeInDialog
from rook_tally.store.base import Store
from rook_tally.store.site import Door, DoorState, Stray, save_strays
from rook_tally.store.site.door_settings import DoorSetting, add_door
from rook_tally.store.site.in_reach import put_in_reach
from tests.builders import NOON_US, add_room_air
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, press
from tests.ways_in import WayIn

PORT = SerialSetting("/dev/ttyACM0", 9600, "bench")


def _told(state: DoorState | None, detail: str = "") -> InReach:
    door = None if state is None else Door("serial ttyACM0", PORT.path, state, detail, NOON_US)
    return replace(NOTHING_IN_REACH, doors=((DoorSetting(1, PORT), door),))


@pytest.mark.parametrize(
    ("told", "words"),
    [
        (NOTHING_IN_REACH, "no collector has opened it yet"),
        (_told(None), "no collector has opened it yet"),
        (_told(DoorState.TRYING, "plug it in"), "serial ttyACM0 is not open: plug it in"),
        (_told(DoorState.OPEN, "half a frame"), "serial ttyACM0 is open: half a frame"),
        (_told(DoorState.OPEN), "Waiting for the first message of bench"),
    ],
)
def test_the_step_that_fails_is_said(
    store: Store, open_desk: OpenDesk, told: InReach, words: str
) -> None:
    awaited = AwaitedStation(open_desk(held_clock(NOON_US)).state, PORT, "bench")
    news = awaited.news(told)
    assert words in news.words
    assert not news.is_over


def test_who_says_nothing_for_long_is_asked_after(store: Store, open_desk: OpenDesk) -> None:
    window = open_desk(held_clock(NOON_US))
    awaited = AwaitedStation(window.state, PORT, "bench")
    window.state.clock = held_clock(NOON_US + 2 * MINUTE_US)
    assert "Is it switched on" in awaited.news(_told(DoorState.OPEN)).words


@pytest.mark.parametrize(
    ("settings", "topic", "key"),
    [
        (PORT, "", "bench"),
        (PollSetting("http://a/", "box", 60.0), "", "box"),
        (ProbesSetting(only=("iio-bme280",)), "", "iio-bme280"),
        (ProbesSetting(), "", ""),
        (TopicSetting("plant/{station}/{field}"), "plant/bed-3/moisture", "bed-3"),
        (TopicSetting("plant/{station}/{field}"), "", ""),
        (TopicSetting("meters/hall", "hall"), "meters/hall", "hall"),
    ],
)
def test_whose_message_is_awaited(settings: DoorSettings, topic: str, key: str) -> None:
    assert awaited_key(settings, topic) == key


def _set_up_port(window: DeskWindow, qtbot: QtBot, station: str) -> InReachDialog:
    window.dialogs.show_in_reach()
    dialog = opened(qtbot, window, InReachDialog)
    qtbot.waitUntil(lambda: dialog.reach.rowCount() == 1, timeout=PATIENCE_MS)
    dialog.reach.selectRow(0)
    dialog.use.click()
    form = opened(qtbot, dialog, DoorDialog)
    form.fields["station"].setText(station)
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(
        lambda: f"{PORT.path} is saved" in dialog.awaited_said.text(), timeout=PATIENCE_MS
    )
    return dialog


@pytest.fixture
def window(store: Store, open_desk: OpenDesk) -> DeskWindow:
    add_room_air(store)
    with store.write() as connection:
        put_in_reach(connection, [Reachable(ReachSort.PORT, PORT.path, "Board")])
    return open_desk(held_clock(NOON_US))


def test_who_is_no_station_yet_is_taken_in_as_soon_as_it_is_heard(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _set_up_port(window, qtbot, "bench")
    with store.write() as connection:
        save_strays(
            connection,
            [Stray(NOON_US, "serial", PORT.path, "bench", None, b"t=21.5", "no station bench")],
        )
    dialog.read_again()
    form = opened(qtbot, window, TakeInDialog)
    assert "bench" in form.windowTitle()
    form.discard()


def test_the_first_reading_of_a_station_is_shown(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    dialog = _set_up_port(window, qtbot, "wall")
    way = WayIn.__new__(WayIn)
    way.store = store
    way.restart()
    way.told(NOON_US, NOON_US, "wall", temp=21.5)

    def is_shown() -> bool:
        dialog.read_again()
        return "First reading of wall: Temperature 21.5 °C" in dialog.awaited_said.text()

    qtbot.waitUntil(is_shown, timeout=PATIENCE_MS)
    QTest.keyClick(dialog, Qt.Key.Key_Escape)


def test_a_sensor_is_awaited_until_a_kind_says_what_it_says(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    with store.write() as connection:
        add_door(connection, BluetoothSetting())
        put_in_reach(connection, [Reachable(ReachSort.BLUETOOTH, "ble-c411", "−80 dBm", "shelf")])
    window = open_desk(held_clock(NOON_US))
    window.dialogs.show_in_reach()
    dialog = opened(qtbot, window, InReachDialog)
    qtbot.waitUntil(lambda: dialog.reach.rowCount() == 1, timeout=PATIENCE_MS)
    dialog.reach.selectRow(0)
    with qtbot.waitSignal(dialog.kind_wanted, timeout=PATIENCE_MS):
        dialog.use.click()
    stray = Stray(NOON_US, "bluetooth", "C4:11 company ffff", "ble-c411", None, b"1", "no station")
    with qtbot.waitSignal(dialog.take_in_wanted, timeout=PATIENCE_MS) as wanted:
        with store.write() as connection:
            save_strays(connection, [stray])
        dialog.read_again()
    assert wanted.args == ["ble-c411"]

"""A sensor that is heard by Bluetooth becomes a kind by hand."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.core.quantities.bluetooth_map import (
    AdvertisedData,
    BluetoothMap,
    CharacteristicData,
)
from rook_tally.core.quantities.byte_layout import ByteLayout, LayoutField, NumberType
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.door import DoorDialog
from rook_tally.desk.dialogs.door_form import proposed_pattern
from rook_tally.desk.dialogs.in_reach import InReachDialog
from rook_tally.desk.stations.bluetooth_dialog import BluetoothDialog
from rook_tally.desk.stations.bluetooth_model import (
    DataSort,
    TypedBluetooth,
    TypedData,
    begun_with,
    typed_bluetooth,
)
from rook_tally.desk.stations.kind_model import TypedField, missing_fields
from rook_tally.desk.stations.kinds_dialog import KindsDialog
from rook_tally.desk.stations.layout_dialog import LayoutDialog
from rook_tally.store.base import Store
from rook_tally.store.site.in_reach import put_in_reach
from rook_tally.store.site.kinds import own_kinds
from tests.builders import NOON_US, add_room_air
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

LAYOUT = ByteLayout(field=(LayoutField(name="temp", at=0, kind=NumberType.I16),))
MAP = BluetoothMap(
    named="clay-",
    lines=True,
    advertised=(
        AdvertisedData(company=0x0499, layout=LAYOUT),
        AdvertisedData(service="0000fe95-0000-1000-8000-00805f9b34fb", layout=LAYOUT),
    ),
    characteristic=(
        CharacteristicData(uuid="6e400003-b5a3-f393-e0a9-e50e24dcca9e", notify=True, layout=LAYOUT),
    ),
)


def test_what_is_read_is_the_same_typed_over() -> None:
    typed = typed_bluetooth(MAP)
    assert [(one.sort, one.text) for one in typed.data] == [
        (DataSort.COMPANY, "0499"),
        (DataSort.SERVICE, "fe95"),
        (DataSort.SENT, "6e400003-b5a3-f393-e0a9-e50e24dcca9e"),
    ]
    assert typed.made() == MAP
    assert typed_bluetooth(None).made() is None
    assert typed.without(0).data == typed.data[1:]


@pytest.mark.parametrize(
    ("typed", "why"),
    [
        (TypedBluetooth(data=(TypedData(DataSort.COMPANY, "", LAYOUT),)), "no number of a company"),
        (TypedBluetooth(data=(TypedData(DataSort.COMPANY, "fffff", LAYOUT),)), "0xffff"),
        (TypedBluetooth(data=(TypedData(DataSort.READ, "fff", LAYOUT),)), "no UUID"),
        (TypedBluetooth(data=(TypedData(DataSort.COMPANY, "0499"),)), "no bytes are read"),
        (TypedBluetooth(lines=True), "nothing tells such a sensor from others"),
    ],
)
def test_what_cannot_be_read_is_said(typed: TypedBluetooth, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        typed.made()


def test_a_sensor_that_advertises_nothing_is_known_by_its_name() -> None:
    assert begun_with("scale", {}).named == "scale"
    begun = begun_with("shelf", {"company ffff": "42", "service 0000fe95" + "-x": "01"})
    assert (begun.named, begun.data[0].text) == ("", "ffff")


def test_fields_that_a_layout_reads_are_proposed() -> None:
    (found,) = missing_fields(["rh", "_raw", "temp"], [TypedField("temp")])
    assert (found.name, found.quantity) == ("rh", "humidity")


@pytest.mark.parametrize(
    ("topic", "message", "pattern"),
    [
        ("plant/kiln/temp", "812.5", "plant/{station}/{field}"),
        ("plant/kiln", '{"temp": 812.5}', "plant/{station}"),
        ("kiln", "812.5", "{field}"),
        ("kiln", "{}", "{station}"),
    ],
)
def test_a_pattern_is_proposed_by_the_example_of_a_topic(
    topic: str, message: str, pattern: str
) -> None:
    assert proposed_pattern(topic, message) == pattern


@pytest.fixture
def reach(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> tuple[DeskWindow, InReachDialog]:
    add_room_air(store)
    heard = [
        Reachable(
            ReachSort.BLUETOOTH,
            "ble-c4110a000003",
            "-80 dBm, about 10 m; company ffff: 420b09860be7",
            "kiln shelf",
            {"company ffff": "420b09860be7"},
        ),
        Reachable(ReachSort.ADAPTER, "hci1", "nobody listens by it yet"),
        Reachable(ReachSort.TOPIC, "plant/kiln/temp", "812.5"),
    ]
    with store.write() as connection:
        put_in_reach(connection, heard)
    window = open_desk(held_clock(NOON_US))
    shift = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(window, Qt.Key.Key_I, shift)
    shown = opened(qtbot, window, InReachDialog)
    qtbot.waitUntil(lambda: shown.reach.rowCount() == 3, timeout=PATIENCE_MS)
    return window, shown


def test_a_sensor_that_is_heard_becomes_a_kind(
    reach: tuple[DeskWindow, InReachDialog], store: Store, qtbot: QtBot
) -> None:
    window, shown = reach
    shown.reach.selectRow(0)
    shown.use.click()
    kinds = opened(qtbot, window, KindsDialog)
    radio = opened(qtbot, kinds, BluetoothDialog)
    assert kinds.name.text() == "kiln shelf"
    assert radio.typed.data[0].text == "ffff"
    # Nothing of it is read so far.
    radio.save.click()
    assert "no bytes are read" in radio.problem.text()
    radio.bytes.click()
    layout = opened(qtbot, radio, LayoutDialog)
    qtbot.waitUntil(lambda: layout.model.carried == bytes.fromhex("420b09860be7"))
    for at in (1, 2):
        layout.grid.item(0, at).setSelected(True)
    layout.take.click()
    name = layout.fields.cellWidget(0, 0)
    assert isinstance(name, QComboBox)
    name.setEditText("temp")
    layout.save.click()
    words = radio.data.item(0, 2)
    assert words is not None
    assert words.text() == "1 field: temp"
    radio.save.click()
    assert [one.name for one in kinds.form.fields] == ["temp"]
    assert "is read by Bluetooth" in kinds.called.text()
    kinds.save.click()

    def made() -> BluetoothMap | None:
        with store.read() as connection:
            told = own_kinds(connection).get("kiln-shelf")
        return None if told is None else told.bluetooth

    qtbot.waitUntil(lambda: made() is not None, timeout=PATIENCE_MS)
    told = made()
    assert told is not None
    assert told.advertised[0].company == 0xFFFF
    assert told.advertised[0].layout.field[0].at == 1
    kinds.close()
    shown.close()


@pytest.mark.parametrize(
    ("row", "sort", "field", "text"),
    [(1, "bluetooth", "adapter", "hci1"), (2, "topics", "pattern", "plant/{station}/{field}")],
)
def test_adapters_and_topics_begin_their_door(
    reach: tuple[DeskWindow, InReachDialog],
    qtbot: QtBot,
    row: int,
    sort: str,
    field: str,
    text: str,
) -> None:
    _, shown = reach
    shown.reach.selectRow(row)
    assert shown.use.text() == "Set up…"
    shown.use.click()
    door = opened(qtbot, shown, DoorDialog)
    assert door.sort.currentData() == sort
    assert door.fields[field].text() == text
    door.close()
    shown.close()

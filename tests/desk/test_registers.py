"""Registers of a Modbus device picked by clicking values that a real server answers."""

from __future__ import annotations

import struct
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from rook_tally.cli.desktop_integration import attend_to
from rook_tally.cli.door_trial import read_registers
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import NumberType
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.modbus_map import ModbusRegister, RegisterTable, register_from_table
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.stations.kinds_dialog import KindsDialog
from rook_tally.desk.stations.registers_dialog import RegistersDialog
from rook_tally.desk.stations.registers_model import (
    TYPES,
    RegistersAnswer,
    TypedRegister,
    picked_register,
    registers_of,
    rows_of,
    typed_register,
    value_words,
)
from rook_tally.desk.stations.view import StationsView
from rook_tally.store.base import Store
from rook_tally.store.site import add_station
from rook_tally.store.site.kinds import own_kinds
from tests.collector.test_modbus import device
from tests.collector.test_mqtt_link import free_port
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

HOLDING = RegisterTable.HOLDING
WHOLE = [
    {"name": "power", "table": "input", "at": 12, "type": "f32"},
    {"name": "energy", "at": 72, "type": "u32", "low_word_first": True, "scale": 0.01},
    {"name": "voltage", "at": 3, "scale": 0.1, "nothing": [65535]},
    {"name": "open", "table": "coil", "at": 5},
    {"name": "state", "at": 9, "bits": [2, 3]},
]


@pytest.mark.parametrize("table", WHOLE)
def test_a_register_is_the_same_typed_over(table: dict[str, object]) -> None:
    """What the window has no field for is kept, such as bits and values that mean nothing."""
    register = register_from_table(1, table)
    assert typed_register(register).made() == register


@given(st.floats(-1e6, 1e6, width=32), st.booleans())
def test_a_value_that_is_clicked_is_the_one_that_is_read(value: float, low_first: bool) -> None:
    words = list(struct.unpack(">HH", struct.pack(">f", value)))
    answer = RegistersAnswer(HOLDING, 40, tuple(words[::-1] if low_first else words))
    row = rows_of(answer, low_word_first=low_first)[0]
    picked = picked_register(row, HOLDING, NumberType.F32, [], low_word_first=low_first)
    shown = float(row.values[TYPES.index(NumberType.F32)].replace("−", "-"))
    assert shown == pytest.approx(value, rel=1e-6, abs=1e-30)
    told = float(value_words(picked, [answer]).replace("−", "-"))
    assert told == pytest.approx(value, rel=1e-6, abs=1e-30)


def test_states_are_shown_as_they_are_and_two_registers_need_two() -> None:
    coils = RegistersAnswer(RegisterTable.COIL, 0, (True, False))
    assert [one.values[0] for one in rows_of(coils, low_word_first=False)] == ["1", "0"]
    answer = RegistersAnswer(HOLDING, 7, (65535,))
    (row,) = rows_of(answer, low_word_first=False)
    assert (row.at, row.raw) == (7, "ffff")
    assert row.values == ("65535", "−1", "", "", "")


@pytest.mark.parametrize(
    ("typed", "why"),
    [
        (TypedRegister("", HOLDING, "1", NumberType.U16), "has no field"),
        (TypedRegister("a", HOLDING, "", NumberType.U16), "no address"),
        (TypedRegister("a", HOLDING, "70000", NumberType.U16), "at has to be an address"),
        (TypedRegister("a", HOLDING, "1", NumberType.U16, scale="much"), "much"),
        (TypedRegister("a", HOLDING, "1", NumberType.U16, scale="0"), "scale"),
    ],
)
def test_what_cannot_be_a_register_is_said(typed: TypedRegister, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        typed.made()
    assert value_words(typed, [])


def test_two_registers_of_one_field_are_refused() -> None:
    one = TypedRegister("a", HOLDING, "1", NumberType.U16)
    with pytest.raises(UsageError, match="a is there twice"):
        registers_of([one, one])


@pytest.fixture
def dialog(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> Iterator[tuple[DeskWindow, KindsDialog, RegistersDialog]]:
    with store.write() as connection:
        add_station(connection, "meter", place="Shed", kind=KINDS["shunt-meter"])
    window = open_desk()
    window.stations.tasks.registers_reader = read_registers
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    QTest.keyClick(window.stations, Qt.Key.Key_K)
    kinds = opened(qtbot, window, KindsDialog)
    qtbot.waitUntil(lambda: kinds.picked == "shunt-meter", timeout=PATIENCE_MS)
    kinds.modbus.click()
    shown = opened(qtbot, kinds, RegistersDialog)
    yield window, kinds, shown
    shown.discard()
    kinds.discard()


def test_a_value_of_a_device_is_clicked_and_saved_with_the_kind(
    dialog: tuple[DeskWindow, KindsDialog, RegistersDialog], store: Store, qtbot: QtBot
) -> None:
    _, kinds, shown = dialog
    port = free_port()
    with device(port, 2301):
        shown.address.setText(f"127.0.0.1:{port}")
        shown.unit.setValue(7)
        shown.at.setValue(10)
        shown.count.setValue(1)
        shown.read.click()
        qtbot.waitUntil(lambda: shown.rows.rowCount() == 1, timeout=PATIENCE_MS)
    shown.rows.setCurrentCell(0, 2)
    shown.take.click()
    name, scale = shown.registers.item(0, 0), shown.registers.item(0, 5)
    assert name is not None
    assert scale is not None
    name.setText("voltage")
    scale.setText("0.1")
    now = shown.registers.item(0, 7)
    assert now is not None
    assert now.text() == "230.1"
    shown.save.click()
    assert "reads registers of a Modbus device" in kinds.called.text()
    assert "voltage" in [one.name for one in kinds.form.fields]
    kinds.save.click()

    def made() -> tuple[ModbusRegister, ...]:
        with store.read() as connection:
            told = own_kinds(connection).get("shunt-meter")
        return () if told is None else told.registers

    qtbot.waitUntil(lambda: bool(made()), timeout=PATIENCE_MS)
    assert made() == (
        register_from_table(1, {"name": "voltage", "at": 10, "type": "u16", "scale": 0.1}),
    )


def test_what_does_not_answer_is_said(
    dialog: tuple[DeskWindow, KindsDialog, RegistersDialog], qtbot: QtBot
) -> None:
    _, _, shown = dialog
    shown.read.click()
    assert "where the device is" in shown.problem.text()
    shown.address.setText(f"127.0.0.1:{free_port()}")
    shown.read.click()
    qtbot.waitUntil(lambda: "cannot be reached" in shown.problem.text(), timeout=PATIENCE_MS)
    assert shown.read.isEnabled()


def test_a_register_is_typed_over_and_removed(
    dialog: tuple[DeskWindow, KindsDialog, RegistersDialog], qtbot: QtBot
) -> None:
    _, _, shown = dialog
    shown.answered.emit(RegistersAnswer(HOLDING, 3, (1, 2)), "")
    shown.rows.setCurrentCell(0, 4)
    shown.take.click()
    assert shown.typed[0].kind is NumberType.U32
    table = shown.registers.cellWidget(0, 1)
    assert isinstance(table, QComboBox)
    table.setCurrentIndex(1)
    table.activated.emit(1)
    assert shown.typed[0].table is RegisterTable.INPUT
    assert shown.is_touched
    shown.drop.click()
    assert not shown.is_touched
    # The last column is empty where a register behind it was not read.
    shown.rows.setCurrentCell(1, 4)
    shown.take.click()
    assert not shown.typed


def test_what_a_window_is_given_makes_no_view_before_it_is_looked_at(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    """Making one takes as long as all of the start."""
    window = open_desk()
    attend_to(window, None)
    assert window.findChild(StationsView) is None
    window.show_view(STATIONS)
    assert window.stations.tasks.registers_reader is window.registers_reader
    assert window.registers_reader is not None

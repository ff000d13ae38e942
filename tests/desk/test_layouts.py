"""A layout of bytes written by example: what bytes could be, what the last messages say by it."""

from __future__ import annotations

import base64
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    ByteOrder,
    BytesText,
    CheckKind,
    LayoutField,
    LayoutFormula,
    LayoutRepeat,
    NumberType,
    PresenceBit,
    layout_from_table,
    layout_table,
)
from rook_tally.core.quantities.kinds import Field, Kind
from rook_tally.core.quantities.layout_reading import LayoutReader
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.stations.kinds_dialog import KindsDialog
from rook_tally.desk.stations.layout_dialog import LayoutDialog
from rook_tally.desk.stations.layout_model import LayoutModel, layout_of, typed_layout
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import add_station, load_site
from rook_tally.store.site.kinds import keep_kind, own_kinds
from tests.builders import NOON_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

PROBE = Kind(
    "bed-probe", "bed probe", 60.0, (Field("t", "temperature", "°C"), Field("u", "voltage", "V"))
)
EIGHTHS = st.integers(-80, 80).filter(bool).map(lambda one: one / 8)


@st.composite
def layouts(draw: st.DrawFn) -> ByteLayout:
    """Layouts as files hold them."""
    names = draw(st.lists(st.sampled_from("abcdef"), min_size=1, max_size=4, unique=True))
    fields = []
    for name in names:
        kind = draw(st.sampled_from(NumberType))
        bits = (0, 3) if kind.is_whole and draw(st.booleans()) else None
        fields.append(
            LayoutField(
                name=name,
                at=draw(st.integers(0, 20)),
                kind=kind,
                order=draw(st.sampled_from([None, *ByteOrder])),
                bits=bits,
                scale=draw(EIGHTHS),
                offset=draw(EIGHTHS),
                nothing=tuple(draw(st.lists(st.integers(-9, 9).map(float), max_size=2))),
                when=draw(st.none() | st.builds(PresenceBit, at=st.just(0), bit=st.integers(0, 7))),
            )
        )
    return ByteLayout(
        field=tuple(fields),
        order=draw(st.sampled_from(ByteOrder)),
        begins=draw(st.sampled_from(["", "42", "4201"])),
        check=draw(st.sampled_from([None, *CheckKind])),
        repeat=draw(st.none() | st.just(LayoutRepeat(bytes=4, back=60.0))),
        at=draw(st.sampled_from(["", "/up/payload"])),
        text=draw(st.sampled_from(BytesText)),
        formula=tuple(
            LayoutFormula(name=f"x{at}", text=f"{names[0]} * 2 + {at}")
            for at in range(draw(st.integers(0, 2)))
        ),
    )


@given(layout=layouts(), body=st.binary(min_size=60, max_size=60))
def test_what_is_typed_as_it_stands_reads_the_same(layout: ByteLayout, body: bytes) -> None:
    again = layout_of(typed_layout(layout))
    body = bytes.fromhex(layout.begins) + body
    # Without their checks, which no bytes by chance fulfil.
    one, other = (LayoutReader(_unchecked(told)) for told in (layout, again))
    assert one.one(body) == other.one(body)
    assert (again.check, again.at, again.text) == (layout.check, layout.at, layout.text)
    assert again.formula == layout.formula


def _unchecked(layout: ByteLayout) -> ByteLayout:
    told = layout_table(layout)
    told.pop("check", None)
    return layout_from_table(told)


def test_bytes_are_every_number_they_could_be() -> None:
    model = LayoutModel(None, ["t"])
    model.paste("42 fe 0c " + struct.pack("<f", 21.5).hex())
    told = {(one.kind.value, one.order.value): one.number for one in model.candidates(1, 2)}
    assert told == {
        ("u16", "big"): 0xFE0C,
        ("u16", "little"): 0x0CFE,
        ("i16", "big"): -500,
        ("i16", "little"): 0x0CFE,
    }
    floats = [one.number for one in model.candidates(3, 4) if one.kind is NumberType.F32]
    assert 21.5 in floats
    assert model.candidates(1, 5) == []
    assert model.candidates(5, 4) == []


def test_values_follow_what_is_typed_and_what_does_not_fit_says_why() -> None:
    model = LayoutModel(None, ["t", "u"])
    model.take_messages([bytes.fromhex("42fe0c"), bytes.fromhex("4200c8"), b"\x42"])
    assert [one.why for one in model.tried()] == ["", "", ""]
    (signed,) = [
        one
        for one in model.candidates(1, 2)
        if (one.kind, one.order) == (NumberType.I16, ByteOrder.BIG)
    ]
    model.add(1, signed)
    model.alter(0, replace(model.typed.values[0], scale="0,01"))
    told = model.tried()
    assert [one.values for one in told] == [("−5",), ("2",), ()]
    assert told[2].why == "1 bytes came, and the layout needs 3"
    model.alter(0, replace(model.typed.values[0], scale="much"))
    assert all("no number" in one.why for one in model.tried())
    with pytest.raises(UsageError, match="t: .* no number"):
        model.layout()
    model.remove(0)
    assert model.layout() is None


def test_what_is_worked_out_is_shown_beside_what_is_read() -> None:
    model = LayoutModel(None, [])
    model.take_messages([bytes.fromhex("0190"), bytes.fromhex("0000")])
    model.add(0, model.candidates(0, 2)[0])
    model.alter(0, replace(model.typed.values[0], name="_raw"))
    model.typed = replace(model.typed, formulas="temp = _raw / 10 - 40; share = 100 / _raw")
    assert model.typed.shown == ["temp", "share"]
    assert [one.values for one in model.tried()] == [("0", "0.25"), ("−40", "")]
    for formulas, why in (
        ("temp = _raw + hum", "no field before it is called hum"),
        ("temp = _raw *", "the formula ends too early"),
        ("temp = _raw * 2 mm", "units are not looked at"),
        ("temp = mean(_raw over 1 h)", "mean is not for one number"),
        ("temp = dew_point(_raw, _raw)", "dew_point is not for one number"),
        ("_raw = 1", "formula _raw is there twice"),
        ("temp", "there is no formula yet"),
    ):
        model.typed = replace(model.typed, formulas=formulas)
        assert why in model.tried()[0].why, formulas


def test_bytes_within_json_are_found() -> None:
    model = LayoutModel(None, ["t"])
    model.typed = replace(model.typed, at="/up/payload")
    body = base64.b64encode(bytes([1, 2, 3])).decode()
    model.paste(f'{{"up": {{"payload": "{body}"}}}}')
    assert model.carried == bytes([1, 2, 3])
    model.paste('{"down": 1}')
    assert model.carried == b""
    model.typed = replace(model.typed, text=BytesText.HEX, at="")
    model.paste("0a0b")
    assert model.carried == bytes([10, 11])
    with pytest.raises(UsageError, match="empty"):
        model.paste("  ")
    model.typed = replace(model.typed, text=BytesText.BYTES)
    with pytest.raises(UsageError, match="not hexadecimal"):
        model.paste("warm")


def _send(store: Store, *bodies: bytes) -> None:
    directory, clocks = IntakeSession(), Clocks()
    for at, body in enumerate(bodies):
        message = Message("mqtt", "beds", body, NOON_US + at * 60_000_000, station="bed")
        receive(store, directory, clocks, [message])


def test_bytes_are_picked_taken_and_read_from_then_on(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    with store.write() as connection:
        keep_kind(connection, PROBE)
        add_station(connection, "bed", place="Bed", kind=PROBE)
    _send(store, bytes.fromhex("4204b4"), bytes.fromhex("4204a7"))
    window = open_desk()
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    QTest.keyClick(window.stations, Qt.Key.Key_K)
    kinds = opened(qtbot, window, KindsDialog)
    qtbot.waitUntil(lambda: kinds.picked == "bed-probe", timeout=PATIENCE_MS)
    kinds.bytes.click()
    dialog = opened(qtbot, kinds, LayoutDialog)
    # What it has sent is there already, astray as it is.
    qtbot.waitUntil(lambda: dialog.messages.rowCount() == 2, timeout=PATIENCE_MS)
    assert not dialog.take.isEnabled()
    for column, keys in (
        (1, Qt.KeyboardModifier.NoModifier),
        (2, Qt.KeyboardModifier.ShiftModifier),
    ):
        where = dialog.grid.visualRect(dialog.grid.model().index(0, column)).center()
        QTest.mouseClick(dialog.grid.viewport(), Qt.MouseButton.LeftButton, keys, where)
    assert dialog.hint.text() == "Bytes 1 to 2 could be"
    offered = [dialog.candidates.item(at).text() for at in range(dialog.candidates.count())]
    assert "1191 (u16, highest first)" in offered
    dialog.take.click()
    item = dialog.fields.item(0, 4)
    assert item is not None
    item.setText("0.01")
    assert [dialog.messages.item(at, 0).text() for at in range(2)] == ["11.91", "12.04"]
    # A length that its fields do not fit in is said at once.
    QTest.keyClicks(dialog.length, "2")
    assert "its fields need 3" in dialog.problem.text()
    assert not dialog.save.isEnabled()
    dialog.reject()
    opened(qtbot, dialog, QMessageBox).close()
    dialog.length.clear()
    dialog.length.textEdited.emit("")
    dialog.save.click()

    assert "reads bytes by a layout" in kinds.called.text()
    assert kinds.is_touched
    kinds.save.click()
    qtbot.waitUntil(lambda: _layout(store) is not None, timeout=PATIENCE_MS)
    _send(store, bytes.fromhex("420258"))
    with store.read() as connection:
        series = {one.id: one.field for one in load_site(connection).series}
        assert {series[at]: one.value for at, one in latest(connection).items()} == {"t": 6.0}
    window.undo.undo()
    qtbot.waitUntil(lambda: _layout(store) is None, timeout=PATIENCE_MS)


def _layout(store: Store) -> ByteLayout | None:
    with store.read() as connection:
        return own_kinds(connection)["bed-probe"].layout

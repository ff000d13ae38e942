"""Layouts of bytes: what was packed is read, one by one and many at once alike."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    ByteOrder,
    CheckKind,
    LayoutField,
    LayoutRepeat,
    NumberType,
    PresenceBit,
    layout_from_table,
    layout_table,
)
from rook_tally.core.quantities.layout_reading import LayoutError, LayoutReader, checks_of

WHOLE = [one for one in NumberType if one.is_whole]
ROOM: dict[str, Any] = {
    "begins": "42",
    "check": "crc8",
    "field": [
        {"name": "temp", "at": 1, "type": "i16", "scale": 0.01, "nothing": [-32768]},
        {"name": "rh", "at": 3, "type": "u8", "scale": 0.5},
        {"name": "open", "at": 4, "type": "u8", "bits": [3, 1]},
        {
            "name": "battery_v",
            "at": 5,
            "type": "u16",
            "order": "little",
            "scale": 0.001,
            "when": {"at": 4, "bit": 7},
        },
    ],
}


def crc8(body: bytes) -> int:
    """CRC-8 of polynomial 0x31 begun with 0xff, bit by bit."""
    crc = 0xFF
    for byte in body:
        crc ^= byte
        for _ in range(8):
            crc = (crc << 1 ^ 0x31 if crc & 0x80 else crc << 1) & 0xFF
    return crc


def room(temp: int, rh: int, flags: int, battery: int) -> bytes:
    body = b"\x42" + temp.to_bytes(2, "big", signed=True) + bytes([rh, flags])
    body += battery.to_bytes(2, "little")
    return body + bytes([crc8(body)])


def read(layout: ByteLayout, body: bytes) -> dict[str, float]:
    return {one.name: one.value for one in LayoutReader(layout).one(body)}


def test_a_message_of_a_room_sensor() -> None:
    layout = layout_from_table(ROOM)
    assert read(layout, room(2153, 97, 0b1000_1000, 3012)) == {
        "temp": 21.53,
        "rh": 48.5,
        "open": 1.0,
        "battery_v": 3.012,
    }
    # No battery without its bit, and no temperature where the number says that there is none.
    assert read(layout, room(-32768, 97, 0, 3012)) == {"rh": 48.5, "open": 0.0}


# From the catalogue of parametrised CRC algorithms: each over the digits 1 to 9.
@pytest.mark.parametrize(
    ("check", "told"),
    [
        (CheckKind.CRC8, 0xF7),
        (CheckKind.CRC8_MAXIM, 0xA1),
        (CheckKind.CRC16_MODBUS, 0x4B37),
        (CheckKind.CRC16_CCITT, 0x29B1),
        (CheckKind.SUM8, sum(b"123456789") & 0xFF),
        (CheckKind.XOR8, 0x31),
    ],
)
def test_checks_are_those_of_their_names(check: CheckKind, told: int) -> None:
    digits = np.frombuffer(b"123456789" * 2, np.uint8).reshape(2, 9)
    assert checks_of(digits, check).tolist() == [told, told]


def test_the_check_of_modbus_has_its_low_byte_first() -> None:
    layout = ByteLayout(
        field=(LayoutField(name="a", at=0, kind=NumberType.U8),), check=CheckKind.CRC16_MODBUS
    )
    assert read(layout, b"123456789" + bytes([0x37, 0x4B])) == {"a": 0x31}
    with pytest.raises(LayoutError, match="crc16-modbus is 374b, and 4b37 follows"):
        read(layout, b"123456789" + bytes([0x4B, 0x37]))


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (b"", "0 bytes came, and the layout needs 8"),
        (room(1, 2, 3, 4)[:-1], "7 bytes came"),
        (b"\x43" + room(1, 2, 3, 4)[1:], "begins with 43, not with 42"),
        (room(1, 2, 3, 4)[:-1] + b"\0", "its crc8 is 00"),
    ],
)
def test_what_is_no_message_of_the_layout_says_why(body: bytes, why: str) -> None:
    with pytest.raises(LayoutError, match=why):
        read(layout_from_table(ROOM), body)


def test_fields_repeat_from_earlier_on() -> None:
    layout = layout_from_table(
        {
            "field": [{"name": "temp", "at": 1, "type": "i8"}],
            "repeat": {"bytes": 1, "back": "5 min", "count_at": 0},
        }
    )
    told = LayoutReader(layout).one(bytes([3, 20, 21, 0xFF]))
    assert [(one.value, one.back_s) for one in told] == [(20, 0), (21, 300), (-1, 600)]
    assert LayoutReader(layout).one(bytes([0, 20])) == []
    with pytest.raises(LayoutError, match="says 9 values of each field, and 2 fit in"):
        LayoutReader(layout).one(bytes([9, 20, 21]))
    oldest = LayoutRepeat(bytes=1, back=60, oldest_first=True)
    turned = ByteLayout(field=layout.field, repeat=oldest)
    told = LayoutReader(turned).one(bytes([0, 20, 21, 22]))
    assert [(one.value, one.back_s) for one in told] == [(20, 120), (21, 60), (22, 0)]


@st.composite
def packed(draw: st.DrawFn) -> tuple[ByteLayout, list[bytes], list[dict[str, int]]]:
    """A layout of whole numbers, messages of it, and what was packed into them."""
    fields, at = [], 0
    for number in range(draw(st.integers(1, 5))):
        at += draw(st.integers(0, 2))
        kind = draw(st.sampled_from(WHOLE))
        order = draw(st.sampled_from([None, *ByteOrder]))
        fields.append(LayoutField(name=f"f{number}", at=at, kind=kind, order=order))
        at += kind.size
    layout = ByteLayout(field=tuple(fields), order=draw(st.sampled_from(ByteOrder)))
    bodies, told = [], []
    for _ in range(draw(st.integers(1, 4))):
        body, row = bytearray(at), {}
        for one in fields:
            bits = 8 * one.kind.size
            low, high = (
                (-(1 << bits - 1), (1 << bits - 1) - 1)
                if one.kind.is_signed
                else (0, (1 << bits) - 1)
            )
            row[one.name] = draw(st.integers(low, high))
            is_big = (one.order or layout.order) is ByteOrder.BIG
            written = row[one.name].to_bytes(one.kind.size, "big", signed=one.kind.is_signed)
            body[one.at : one.end] = written if is_big else written[::-1]
        bodies.append(bytes(body))
        told.append(row)
    return layout, bodies, told


@given(packed())
def test_what_was_packed_is_read(
    case: tuple[ByteLayout, list[bytes], list[dict[str, int]]],
) -> None:
    layout, bodies, told = case
    assert [read(layout, body) for body in bodies] == told
    rows = np.frombuffer(b"".join(bodies), np.uint8).reshape(len(bodies), -1)
    columns, is_one = LayoutReader(layout).many(rows)
    assert is_one.all()
    assert {name: column.tolist() for name, column in columns.items()} == {
        one.name: [float(row[one.name]) for row in told] for one in layout.field
    }


ANY_FIELD = st.builds(
    LayoutField,
    name=st.uuids().map(str),
    at=st.integers(0, 6),
    kind=st.sampled_from(NumberType),
    scale=st.sampled_from([1.0, 0.01, 0.5, 3.0, -0.1]),
    offset=st.sampled_from([0.0, -40.0]),
    nothing=st.just(()) | st.just((0.0, 255.0)),
    when=st.none() | st.builds(PresenceBit, at=st.integers(0, 3), bit=st.integers(0, 7)),
)
ANY_LAYOUT = st.builds(
    ByteLayout,
    field=st.lists(ANY_FIELD, min_size=1, max_size=3).map(tuple),
    order=st.sampled_from(ByteOrder),
    check=st.none() | st.sampled_from(CheckKind),
    begins=st.sampled_from(["", "42"]),
)


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        # A NaN that signals: IEEE 754-2008, 6.2.1.
        (NumberType.F32, "7f800001"),
        (NumberType.F64, "7ff0000000000001"),
        (NumberType.F32, "ff800000"),
        # A number, and three times it is none.
        (NumberType.F64, "7fefffffffffffff"),
    ],
)
def test_what_is_no_number_is_left_out(kind: NumberType, told: str) -> None:
    field = LayoutField(name="x", at=0, kind=kind, scale=3.0)
    reader, body = LayoutReader(ByteLayout(field=(field,))), bytes.fromhex(told)
    assert reader.one(body) == []
    columns, is_one = reader.many(np.frombuffer(body, np.uint8).reshape(1, -1))
    assert is_one.all()
    assert np.isnan(columns["x"]).all()


@given(ANY_LAYOUT, st.lists(st.binary(min_size=16, max_size=16), min_size=1, max_size=5))
def test_many_at_once_are_read_as_one_by_one(layout: ByteLayout, bodies: list[bytes]) -> None:
    reader = LayoutReader(layout)
    rows = np.frombuffer(b"".join(bodies), np.uint8).reshape(len(bodies), -1)
    columns, is_one = reader.many(rows)
    for at, body in enumerate(bodies):
        told = {name: float(column[at]) for name, column in columns.items()}
        try:
            alone = {one.name: one.value for one in reader.one(body)}
        except LayoutError:
            assert not is_one[at]
            assert all(math.isnan(one) for one in told.values())
        else:
            assert is_one[at]
            assert {name: one for name, one in told.items() if not math.isnan(one)} == alone


@given(ANY_LAYOUT, st.binary(max_size=64))
def test_no_bytes_are_more_than_a_reason(layout: ByteLayout, body: bytes) -> None:
    try:
        told = LayoutReader(layout).one(body)
    except LayoutError as error:
        assert str(error)
    else:
        assert all(math.isfinite(one.value) for one in told)


@given(ANY_LAYOUT)
def test_a_layout_is_the_same_out_of_its_table(layout: ByteLayout) -> None:
    assert layout_from_table(layout_table(layout)) == layout


def field(**said: object) -> dict[str, Any]:
    return {"field": [{"name": "temp", "at": 0, "type": "u8", **said}]}


@pytest.mark.parametrize(
    ("table", "why"),
    [
        ({"field": []}, "no field"),
        ({"fields": []}, "fields"),
        (field(type="u7"), r"\$\.field\[0\]\.type"),
        (field(at=-1), "field temp: at = -1"),
        (field(at=5000), "no offset"),
        (field(bits=[6, 4]), r"bits = \[6, 4\] do not lie within u8"),
        (field(type="f32", bits=[0, 1]), "f32 has no bits"),
        (field(scale=0), "scale not 0"),
        (field(when={"at": 0, "bit": 8}), "when has to name a byte"),
        (field(name=" "), "no name"),
        ({**field(), "length": 0}, "length = 0, and its fields need 1"),
        ({**field(), "begins": "4x"}, "not hexadecimal"),
        ({**field(), "at": "uplink"}, "no JSON pointer"),
        ({"field": [*field()["field"], *field()["field"]]}, "temp is there twice"),
        ({**field(), "repeat": {"bytes": 0, "back": "60 s"}}, "bytes has to be"),
        ({**field(), "repeat": {"bytes": 1, "back": "soon"}}, "back has to be"),
    ],
)
def test_what_cannot_be_meant_is_refused_with_its_place(table: dict[str, Any], why: str) -> None:
    with pytest.raises(UsageError, match=why):
        layout_from_table(table)

"""Environmental Sensing: raw bytes of characteristics into values."""

from __future__ import annotations

import pytest

from rook_tally.core.ble_distance import distance_in_words, rough_distance_m
from rook_tally.core.errors import DecodeError
from rook_tally.intake.decode.environmental import body_of, decode


@pytest.mark.parametrize(
    ("number", "raw", "field", "value", "unit"),
    [
        # GATT Specification Supplement: sint16 and uint16 in hundredths, pressure in tenths of Pa.
        (0x2A6E, "5908", "temperature", 21.37, "°C"),
        (0x2A6E, "0cfe", "temperature", -5.0, "°C"),
        (0x2A6F, "8813", "humidity", 50.0, "%"),
        (0x2A6D, "cd750f00", "pressure", 101_319.7, "Pa"),
        (0x2A19, "58", "battery", 88.0, "%"),
        (0x2AFB, "102700", "illuminance", 100.0, "lx"),
        (0x2B8C, "2003", "co2", 800.0, "ppm"),
    ],
)
def test_a_characteristic(number: int, raw: str, field: str, value: float, unit: str) -> None:
    (item,) = decode(body_of({number: bytes.fromhex(raw)}, None)).items
    assert (item.field, item.unit) == (field, unit)
    assert item.value == pytest.approx(value)


def test_not_known_is_no_value() -> None:
    read = decode(body_of({0x2A6E: b"\x00\x80", 0x2A6F: b"\x88\x13"}, -61))
    assert [one.field for one in read.items] == ["humidity", "rssi"]


def test_what_cannot_be_read_is_refused_by_itself() -> None:
    read = decode(b"2a6e=5908 2a6f=88 2a99=01 2a19=zz")
    assert [one.field for one in read.items] == ["temperature"]
    assert [one.why for one in read.refused] == [
        "2a6f: 1 bytes where humidity has 2",
        "2a99: no characteristic we know",
        "2a19: non-hexadecimal number found in fromhex() arg at position 0",
    ]
    with pytest.raises(DecodeError):
        decode(b"rssi=-60")


def test_a_rough_distance_grows_as_the_signal_falls() -> None:
    assert rough_distance_m(-59) == pytest.approx(1.0)
    assert rough_distance_m(-86) == pytest.approx(10.0)
    assert distance_in_words(rough_distance_m(-50)) == "within reach"
    assert distance_in_words(rough_distance_m(-86)) == "about 10 m"
